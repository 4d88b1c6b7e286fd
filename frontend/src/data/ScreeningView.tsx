import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, take, type Project, type Schemas } from "../client/client";
import { Action, Explained, Heading, LINK, Quiet, TextButton } from "../shared/controls";
import { plain, pWords } from "../shared/numbers";
import { isStep } from "../shared/repairs";
import { Table, type TableColumn } from "../shared/Table";
import { DistancePlot } from "./DistancePlot";
import { HeatMap } from "../shared/HeatMap";
import { QuantilePlot } from "./QuantilePlot";
import { withHeldOut, withoutHeldOut, type Steps } from "../desk/steps";
import { keys } from "../client/queryKeys";

type Screening = Schemas["Screening"];
type Pattern = Screening["missing_patterns"][number];

/** What screening finds: suspicious cases and columns, normality, distances, correlations, missing answers. */
export function ScreeningView({ project, steps }: { project: Project; steps: Steps }) {
  const [chosen, setChosen] = useState<Set<number>>(new Set());
  const found = useQuery({
    queryKey: keys.screening(project.id, project.data_version_id),
    queryFn: () =>
      take(api.GET("/api/projects/{project_id}/screening", { params: { path: { project_id: project.id } } })),
    placeholderData: keepPreviousData,
  });
  if (found.isLoadingError) return <p role="alert">{found.error.message}</p>;
  if (!found.data?.screening) return <p className="text-quiet">Screening…</p>;
  const { screening, problems } = found.data;
  const flip = (one: number) => {
    const next = new Set(chosen);
    if (!next.delete(one)) next.add(one);
    setChosen(next);
  };
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_minmax(0,1.05fr)] gap-x-10 gap-y-6 pb-4">
      <section aria-label="Findings">
        <Heading className="mb-1.5 mt-1">worth a second look</Heading>
        {problems.length === 0 && <p>Nothing stands out.</p>}
        {problems.map((problem) => (
          <div
            key={problem.message}
            data-testid={`finding-${problem.code}`}
            className={`mb-2.5 border-l-2 pl-2.5 ${problem.severity === "note" ? "border-line" : "border-gold"}`}
          >
            <p>{problem.message}</p>
            {MEANING[problem.code] && <p className="text-sm text-quiet">{MEANING[problem.code]}</p>}
            {problem.repairs.map(({ words, change }) =>
              change && isStep(change) ? (
                <Action
                  key={words}
                  size="xs"
                  className="mr-1.5 mt-1"
                  disabled={steps.busy}
                  onClick={() => void steps.add(change)}
                >
                  {words}
                </Action>
              ) : null,
            )}
          </div>
        ))}
        {steps.fault && <p role="alert">{steps.fault}</p>}
        <HeldOut steps={steps} />
        <Explained page="screening">How each of these is found</Explained>
        <Normality screening={screening} />
        <Extreme screening={screening} />
        <Missing screening={screening} n={project.n_cases} />
      </section>
      <section className="min-w-0">
        <Heading className="mb-1.5 mt-1">distance from the centre, case by case (Mahalanobis d²)</Heading>
        {screening.mahalanobis.length > 0 ? (
          <>
            <DistancePlot
              cases={screening.mahalanobis}
              cutOff={screening.mahalanobis_cut_off}
              chosen={chosen}
              choose={flip}
            />
            <p className="mb-4 flex min-h-7 flex-wrap items-center gap-2">
              {chosen.size === 0 ? (
                <span className="text-quiet">
                  {screening.mahalanobis_beyond
                    ? `${screening.mahalanobis_beyond} beyond the line, ${screening.mahalanobis_bonferroni} of them even after Bonferroni.`
                    : "No case lies beyond the line."}{" "}
                  Look for jumps; pick points to hold cases out.
                </span>
              ) : (
                <>
                  <span>
                    {chosen.size === 1 ? "Case" : "Cases"} {[...chosen].sort((a, b) => a - b).join(", ")}
                  </span>
                  <Action
                    size="xs"
                    disabled={steps.busy}
                    onClick={() =>
                      void steps
                        .set(withHeldOut(steps.steps, [...chosen], "far from the centre"))
                        .then((part) => part && setChosen(new Set()))
                    }
                  >
                    Hold out
                  </Action>
                  <Quiet size="xs" onClick={() => setChosen(new Set())}>
                    Deselect
                  </Quiet>
                </>
              )}
            </p>
            <Heading className="mb-1.5 mt-1">d² against the χ² of normal data</Heading>
            <QuantilePlot
              cases={screening.mahalanobis}
              total={screening.multivariate_normality?.n ?? screening.mahalanobis.length}
              df={screening.correlations?.rows.length ?? 1}
            />
          </>
        ) : (
          <p className="text-quiet">It cannot be computed; the findings say why.</p>
        )}
        {screening.correlations && (
          <>
            <Heading className="mb-1.5 mt-1">correlations</Heading>
            <HeatMap matrix={screening.correlations} />
            <p className="mt-2 text-sm text-quiet">
              Determinant {small(screening.determinant)}, condition number{" "}
              {plain(screening.condition_number, 0)}.{" "}
              <a className={LINK} href={`/api/projects/${project.id}/tables/correlations.csv`}>
                Save as .csv
              </a>
            </p>
          </>
        )}
      </section>
    </div>
  );
}

/** What a finding means for the estimates, in one sentence. */
const MEANING: Record<string, string> = {
  item_reversed: "Left as it is, its loading is negative, and alpha and AVE come out too low.",
  missing_code_suspected: "Taken for an answer, it pulls mean, variance and every correlation of the column.",
  near_duplicates: "Two such columns make the covariance matrix nearly singular and standard errors large.",
  straight_liners: "Careless answers raise all correlations alike, which looks like one common factor.",
  long_strings: "Careless answers raise all correlations alike, which looks like one common factor.",
  duplicate_cases: "A case that counts twice makes standard errors too small.",
  far_cases: "A few far cases can carry a path, and make χ² and standard errors unreliable.",
  exact_sum: "The covariance matrix is singular, so nothing can be estimated with all of them.",
};

function HeldOut({ steps }: { steps: Steps }) {
  const out = Object.keys(steps.part?.held_out ?? {}).map(Number);
  if (out.length === 0) return null;
  return (
    <p className="mb-2.5 border-l-2 border-lake pl-2.5">
      Held out:{" "}
      {out.slice(0, 24).map((one) => (
        <TextButton
          key={one}
          className="mr-1.5"
          title={`Take case ${one} back`}
          disabled={steps.busy}
          onClick={() => void steps.set(withoutHeldOut(steps.steps, one))}
        >
          {one}
        </TextButton>
      ))}
      <span className="text-sm text-quiet">
        {out.length > 24 ? `and ${out.length - 24} more; ` : ""}pick one to take it back
      </span>
    </p>
  );
}

/** Small numbers without scientific notation. */
function small(value: number | null): string {
  if (value === null) return "–";
  return Math.abs(value) < 0.0005 ? "< .001" : plain(value, 3);
}

function Normality({ screening }: { screening: Screening }) {
  const tests = screening.multivariate_normality;
  if (!tests) return null;
  return (
    <div className="mt-5">
      <Heading className="mb-1.5 mt-1">multivariate normality (Mardia 1970)</Heading>
      <p>
        Skewness {plain(tests.skewness)}: χ² = {plain(tests.skewness_chi_square, 1)}, df = {tests.skewness_df}
        , {pWords(tests.skewness_p)}
      </p>
      <p>
        Kurtosis {plain(tests.kurtosis)}: z = {plain(tests.kurtosis_z)}, {pWords(tests.kurtosis_p)}
      </p>
      <p className="mt-1 text-sm text-quiet">
        On {tests.n} complete cases of {tests.columns.length} columns. By convention a z beyond 5 is a sign
        that maximum likelihood errors and χ² may be off.
      </p>
    </div>
  );
}

/** Columns with answers so far out that one case in a thousand would have them. */
function Extreme({ screening }: { screening: Screening }) {
  const out = screening.columns.filter((column) => (column.extreme ?? 0) > 0);
  return (
    <div className="mt-5">
      <Heading className="mb-1.5 mt-1">extreme answers, beyond 3.29 standard deviations</Heading>
      <p>
        {out.length === 0
          ? "None in any column."
          : out
              .slice(0, 12)
              .map((column) => `${column.name} ${column.extreme}`)
              .join(", ") + (out.length > 12 ? ` and ${out.length - 12} columns more` : "")}
        {out.length > 0 && <span className="text-quiet"> (column and number of cases)</span>}
      </p>
    </div>
  );
}

function patternColumns(n: number): TableColumn<Pattern>[] {
  const words = ({ missing }: Pattern) =>
    missing.length === 0
      ? "nothing missing"
      : missing.length > 7
        ? `${missing.slice(0, 6).join(", ")} and ${missing.length - 6} more missing`
        : `${missing.join(", ")} missing`;
  return [
    { key: "cases", head: "cases", width: "64px", value: (pattern) => pattern.cases },
    {
      key: "share",
      head: "%",
      className: "text-quiet",
      value: (pattern) => (100 * pattern.cases) / n,
      text: (pattern) => `${((100 * pattern.cases) / n).toFixed(1)} %`,
    },
    { key: "missing", head: "without an answer in", left: true, value: words },
  ];
}

function Missing({ screening, n }: { screening: Screening; n: number }) {
  const { missing_patterns: patterns, little } = screening;
  if (patterns.length < 2) return <p className="mt-5">No answer is missing in the columns of numbers.</p>;
  const shown = patterns.slice(0, 6);
  return (
    <div className="mt-5">
      <Heading className="mb-1.5 mt-1">missing answers</Heading>
      <Table
        label="Missing patterns"
        columns={patternColumns(n)}
        rows={shown}
        keyOf={(pattern) => pattern.missing.join()}
      />
      {patterns.length > shown.length && (
        <p className="mt-1 text-sm text-quiet">and {patterns.length - shown.length} patterns more</p>
      )}
      {little && (
        <p className="mt-2">
          Little's test: χ² = {plain(little.chi_square, 1)}, df = {little.df}, {pWords(little.p_value)}.{" "}
          <span className="text-quiet">
            {little.p_value < 0.05
              ? "Answers do not seem to be missing completely at random, so leaving cases out may bias the estimates."
              : "Nothing speaks against answers missing completely at random."}
          </span>
        </p>
      )}
    </div>
  );
}
