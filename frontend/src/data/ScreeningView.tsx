import { useQuery } from "@tanstack/react-query";
import { api, take, type Project } from "../api/client";
import type { components } from "../api/schema";
import { coefficient, plain, pValue } from "../shared/numbers";
import { DistancePlot } from "./DistancePlot";
import { HeatMap } from "./HeatMap";

type Document = components["schemas"]["CheckDocument"];
type Screening = components["schemas"]["Screening"];

/** What screening finds: suspicious cases and columns, normality, distances, correlations, missing answers. */
export function ScreeningView({ project }: { project: Project }) {
  const found = useQuery({
    queryKey: ["screening", project.id],
    queryFn: () =>
      take<Document>(
        api.GET("/api/projects/{project_id}/screening", { params: { path: { project_id: project.id } } }),
      ),
  });
  if (found.isError) return <p role="alert">{found.error.message}</p>;
  if (!found.data?.screening) return <p className="text-quiet">Screening…</p>;
  const { screening, problems } = found.data;
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_minmax(0,1.05fr)] gap-x-10 gap-y-6 pb-4">
      <section aria-label="Findings">
        <Heading>worth a second look</Heading>
        {problems.length === 0 && <p>Nothing stands out.</p>}
        {problems.map((problem) => (
          <p
            key={problem.message}
            data-testid={`finding-${problem.code}`}
            className={`mb-2 border-l-2 pl-2.5 ${problem.severity === "note" ? "border-line" : "border-gold"}`}
          >
            {problem.message}
          </p>
        ))}
        <Normality screening={screening} />
        <Missing screening={screening} n={project.n_cases} />
      </section>
      <section className="min-w-0">
        <Heading>distance from the centre, case by case (Mahalanobis d²)</Heading>
        {screening.mahalanobis.length > 0 ? (
          <DistancePlot cases={screening.mahalanobis} cutOff={screening.mahalanobis_cut_off} />
        ) : (
          <p className="text-quiet">It cannot be computed; the findings say why.</p>
        )}
        {screening.correlations && (
          <>
            <Heading>correlations</Heading>
            <HeatMap matrix={screening.correlations} />
          </>
        )}
      </section>
    </div>
  );
}

function Heading({ children }: { children: string }) {
  return <h2 className="mb-1.5 mt-1 text-sm text-quiet">{children}</h2>;
}

function Normality({ screening }: { screening: Screening }) {
  const tests = screening.multivariate_normality;
  if (!tests) return null;
  return (
    <div className="mt-5">
      <Heading>multivariate normality (Mardia 1970)</Heading>
      <p>
        Skewness {plain(tests.skewness)}: χ² = {plain(tests.skewness_chi_square, 1)}, df = {tests.skewness_df}
        , p {pValue(tests.skewness_p)}
      </p>
      <p>
        Kurtosis {plain(tests.kurtosis)}: z = {plain(tests.kurtosis_z)}, p {pValue(tests.kurtosis_p)}
      </p>
      <p className="mt-1 text-sm text-quiet">
        On {tests.n} complete cases of {tests.columns.length} columns. A z beyond 5 is taken as a sign that
        maximum likelihood errors and χ² may be off (Bentler 2005).
      </p>
    </div>
  );
}

function Missing({ screening, n }: { screening: Screening; n: number }) {
  const { missing_patterns: patterns, little } = screening;
  if (patterns.length < 2) return <p className="mt-5">No answer is missing in the columns of numbers.</p>;
  const shown = patterns.slice(0, 6);
  return (
    <div className="mt-5">
      <Heading>missing answers</Heading>
      <table className="w-full" aria-label="Missing patterns">
        <tbody>
          {shown.map((pattern) => (
            <tr key={pattern.missing.join()} className="border-b border-line/40">
              <td className="w-24 py-[3px] pr-4 text-right">{pattern.cases}</td>
              <td className="text-quiet">{((100 * pattern.cases) / n).toFixed(1)} %</td>
              <td className="py-[3px] pl-4">
                {pattern.missing.length === 0
                  ? "nothing missing"
                  : pattern.missing.length > 7
                    ? `${pattern.missing.slice(0, 6).join(", ")} and ${pattern.missing.length - 6} more missing`
                    : `${pattern.missing.join(", ")} missing`}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {patterns.length > shown.length && (
        <p className="mt-1 text-sm text-quiet">and {patterns.length - shown.length} patterns more</p>
      )}
      {little && (
        <p className="mt-2">
          Little's test: χ² = {plain(little.chi_square, 1)}, df = {little.df}, p{" "}
          {coefficient(little.p_value, 3)}.{" "}
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
