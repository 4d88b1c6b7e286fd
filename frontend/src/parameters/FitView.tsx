import type { Criterion, ModelState, Schemas } from "../client/client";
import { useCriteria, useFit } from "../api/hooks";
import { Heading } from "../shared/controls";
import { Glyph } from "../shared/Glyph";
import { coefficient, interval, plain, pValue, pWords, written } from "../shared/numbers";
import { Table, type TableColumn } from "../shared/Table";
import { judge } from "../shared/verdict";

type Fit = NonNullable<Schemas["FitDocument"]["fit"]>;
type Line = { words: string; value: string; key?: string; number: number | null; empty?: string };

/** Every statistic of fit that the registry has, in its order, with what is not in it before and after. */
function fitLines(fit: Fit, criteria: Iterable<Criterion>): Line[] {
  const saturated = "saturated: nothing to test";
  const noLikelihood = "this estimator has no likelihood";
  const large = (words: string, value: number | null): Line => ({
    words,
    value: plain(value, 2),
    number: value,
    empty: noLikelihood,
  });
  const known = [...criteria].filter(({ page, key }) => page === "fit" && key in fit && !APART.includes(key));
  return [
    {
      words: "χ²",
      number: fit.chi_square,
      value: `${plain(fit.chi_square, 3)}, df = ${fit.df}, ${pWords(fit.p_value)}`,
    },
    ...known.map((criterion) => {
      const { key, label } = criterion;
      const number = fit[key as "cfi"];
      const bounds = key === "rmsea" ? ` ${interval(fit.rmsea_interval, 3)}` : "";
      const empty = LIKELY.includes(key) ? noLikelihood : saturated;
      return { words: label, key, number, value: written(criterion, number) + bounds, empty };
    }),
    large("log-likelihood", fit.log_likelihood),
    large("log-likelihood, saturated", fit.log_likelihood_saturated),
    { words: "free parameters", number: fit.n_parameters, value: String(fit.n_parameters) },
    {
      words: "baseline χ²",
      number: fit.baseline?.chi_square ?? null,
      value: `${plain(fit.baseline?.chi_square, 2)}, df = ${fit.baseline?.df}`,
    },
  ];
}

const APART = ["chi_square", "scaled"];
const LIKELY = ["aic", "bic", "sabic"];

interface Distance {
  key: "srmr" | "d_uls" | "d_g";
  part: string;
  value: number | null;
  bounds: { q95: number; q99: number } | null;
}

/** Distances of composites: of the whole model and of its measurement part, with what they would be by chance. */
function distancesOf(fit: Fit): Distance[] {
  const part = fit.measurement_part;
  return (["srmr", "d_uls", "d_g"] as const).flatMap((key) => [
    { key, part: "whole model", value: fit[key], bounds: fit.reference?.[key] ?? null },
    { key, part: "measurement part", value: part?.[key] ?? null, bounds: part?.reference?.[key] ?? null },
  ]);
}

function Distances({ fit }: { fit: Fit }) {
  const criteria = useCriteria();
  const columns: TableColumn<Distance>[] = [
    {
      key: "figure",
      head: "",
      left: true,
      className: "text-quiet",
      value: (line) => `${criteria.get(line.key)?.label ?? ""} of the ${line.part}`,
    },
    {
      key: "value",
      head: "",
      value: (line) => line.value,
      text: (line) => coefficient(line.value, 3),
      show: (line) => (
        <>
          <Glyph verdict={judge(criteria.get(line.key), line.value)} size={8} /> {coefficient(line.value, 3)}
        </>
      ),
    },
    {
      key: "q95",
      head: "95 %",
      value: (l) => l.bounds?.q95 ?? null,
      text: (l) => coefficient(l.bounds?.q95, 3),
    },
    {
      key: "q99",
      head: "99 %",
      value: (l) => l.bounds?.q99 ?? null,
      text: (l) => coefficient(l.bounds?.q99, 3),
    },
  ];
  return (
    <div>
      <Table
        label="Distances"
        className="h-fit"
        columns={columns}
        rows={distancesOf(fit)}
        keyOf={(line) => line.key + line.part}
      />
      <p className="mt-3 max-w-md text-sm text-quiet">
        {fit.reference
          ? "95 and 99 of 100 resamples of data transformed to the model stay below these: a distance above them is no chance."
          : "A bootstrap (on Effects) adds what these distances would be by chance, were the model true."}{" "}
        Within a block the implied correlations are those of a {fit.implied_within}.
      </p>
    </div>
  );
}

interface Share {
  name: string;
  value: number | null;
}

const SHARES: TableColumn<Share>[] = [
  { key: "name", head: "", left: true, value: (row) => row.name },
  { key: "value", head: "", value: (row) => row.value, text: (row) => coefficient(row.value, 3) },
];

type Test = Fit["tests"][number];

/** What follows from a test, three digits each. */
const following = (key: "cfi" | "tli" | "rmsea", head: string): TableColumn<Test> => ({
  key,
  head,
  value: (test) => test[key],
  text: (test) => coefficient(test[key], 3),
});

const TESTS: TableColumn<Test>[] = [
  { key: "kind", head: "", left: true, className: "text-quiet", value: (test) => test.kind },
  {
    key: "chi_square",
    head: "χ²",
    value: (test) => test.chi_square,
    text: (test) => plain(test.chi_square, 2),
  },
  {
    key: "df",
    head: "df",
    value: (test) => test.df,
    text: (test) => (Number.isInteger(test.df) ? String(test.df) : plain(test.df, 2)),
  },
  { key: "p", head: "p", value: (test) => test.p_value, text: (test) => pValue(test.p_value) },
  following("cfi", "CFI"),
  following("tli", "TLI"),
  following("rmsea", "RMSEA"),
];

/** Every figure of global fit, the robust tests, and what is explained. */
export function FitView({ model }: { model: ModelState }) {
  const criteria = useCriteria();
  const found = useFit(model).data;
  if (!found?.fit)
    return <p className="text-quiet">{model.shown ? "Fetching…" : "The model is not estimated."}</p>;
  const { fit } = found;
  const columns: TableColumn<Line>[] = [
    { key: "words", head: "", left: true, className: "text-quiet", value: (line) => line.words },
    {
      key: "value",
      head: "",
      value: (line) => line.number,
      text: (line) => (line.number === null ? (line.empty ?? "–") : line.value),
      show: (line) => (
        <>
          {line.key && typeof criteria.get(line.key)?.good === "number" && (
            <Glyph verdict={judge(criteria.get(line.key), fit.df === 0 ? null : line.number)} size={8} />
          )}{" "}
          {line.number === null ? <span className="text-sm text-quiet">{line.empty}</span> : line.value}
        </>
      ),
    },
  ];
  const shares = Object.entries(found.r_squared).map(([name, value]) => ({ name, value }));
  if (fit.chi_square === null) {
    return (
      <div className="grid min-h-0 flex-1 grid-cols-2 gap-12 overflow-y-auto pb-4">
        <Distances fit={fit} />
        <div>
          <Heading>R² of what is explained</Heading>
          <Table label="R²" columns={SHARES} rows={shares} keyOf={(row) => row.name} />
        </div>
      </div>
    );
  }
  return (
    <div className="grid min-h-0 flex-1 grid-cols-2 gap-12 overflow-y-auto pb-4">
      <Table
        label="All fit figures"
        className="h-fit"
        columns={columns}
        rows={fitLines(fit, criteria.values())}
        keyOf={(line) => line.words}
      />
      <div>
        <Heading>tests of fit</Heading>
        <Table label="Tests of fit" columns={TESTS} rows={fit.tests} keyOf={(test) => test.kind} />
        {fit.scaled ? (
          <p className="mt-2 mb-4 text-sm text-quiet">
            Scaling factor {plain(fit.scaled.scaling_factor, 3)}. What they would be in normal data: robust
            CFI {coefficient(fit.scaled.robust_cfi, 3)}, TLI {coefficient(fit.scaled.robust_tli, 3)}, RMSEA{" "}
            {coefficient(fit.scaled.robust_rmsea, 3)}.
          </p>
        ) : (
          <p className="mt-2 mb-4 text-sm text-quiet">
            With robust standard errors, tests that allow for answers that are not normal stand here too.
          </p>
        )}
        <Heading>Bollen–Stine test</Heading>
        {fit.bollen_stine ? (
          <p className="mb-4">
            {pWords(fit.bollen_stine.p_value)}: {fit.bollen_stine.exceeded} of {fit.bollen_stine.used}{" "}
            resamples of data transformed to the model have a larger χ².
          </p>
        ) : (
          <p className="mb-4 text-quiet">It runs with the bootstrap, on complete cases.</p>
        )}
        <Heading>R² of what is explained</Heading>
        <Table label="R²" columns={SHARES} rows={shares} keyOf={(row) => row.name} />
      </div>
    </div>
  );
}
