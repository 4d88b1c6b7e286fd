import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, take, type ModelState, type Schemas } from "../api/client";
import { useCriteria } from "../api/hooks";
import type { StationProps } from "../frame/stations";
import { useDesk } from "../model/desk";
import { Heading, TextButton } from "../shared/controls";
import { Glyph } from "../shared/Glyph";
import { coefficient, interval, plain, pValue, pWords } from "../shared/numbers";
import { Table, type TableColumn } from "../shared/Table";
import { judge } from "../shared/verdict";

type Compared = Schemas["Compared"];
type ModelColumn = Compared["models"][number];
type PathTest = Schemas["PathTestPart"];

const FIGURES = [
  { key: "chi_square", words: "χ²", decimals: 2 },
  { key: "df", words: "df", decimals: 0 },
  { key: "cfi", words: "CFI", decimals: 3 },
  { key: "tli", words: "TLI", decimals: 3 },
  { key: "rmsea", words: "RMSEA", decimals: 3 },
  { key: "srmr", words: "SRMR", decimals: 3 },
  { key: "aic", words: "AIC", decimals: 1 },
  { key: "bic", words: "BIC", decimals: 1 },
] as const;

/** Models side by side with nested tests, and every path of the model on the desk at zero. */
export default function CompareStation({ project, model }: StationProps) {
  const [left, setLeft] = useState<Set<number>>(new Set());
  const chosen = project.models.map((m) => m.id).filter((id) => !left.has(id));
  const sent = useDesk(({ comparing }) => (comparing && comparing.model === model.id ? comparing : null));
  const revisions = sent?.revisions ?? [];
  const compared = useQuery({
    queryKey: ["compare", project.id, sent ? [] : chosen, revisions, model.revision.id],
    enabled: chosen.length + revisions.length > 0,
    queryFn: () =>
      take(
        api.POST("/api/projects/{project_id}/comparisons", {
          params: { path: { project_id: project.id } },
          body: sent ? { models: [], revisions } : { models: chosen.slice(0, 8), revisions: [] },
        }),
      ),
  });
  return (
    <div className="grid h-full grid-cols-[minmax(0,1.25fr)_minmax(0,1fr)] gap-10 overflow-y-auto px-4 pb-4 pt-4">
      <section aria-label="Models side by side" className="min-w-0">
        <Heading className="mb-2">{sent ? "two revisions side by side" : "models side by side"}</Heading>
        {sent ? (
          <p className="mb-3">
            From the trail of {model.name}.{" "}
            <TextButton onClick={() => useDesk.setState({ comparing: null })}>
              Compare models instead
            </TextButton>
          </p>
        ) : project.models.length > 1 ? (
          <div className="mb-3 flex flex-wrap gap-x-5 gap-y-1">
            {project.models.map((m) => (
              <label key={m.id} className="flex items-center gap-2">
                <input
                  type="checkbox"
                  className="checkbox checkbox-xs"
                  checked={!left.has(m.id)}
                  onChange={() => {
                    const next = new Set(left);
                    if (!next.delete(m.id)) next.add(m.id);
                    setLeft(next);
                  }}
                />
                {m.name}
              </label>
            ))}
          </div>
        ) : (
          <p className="mb-3 max-w-md">
            There is one model so far. Copy it (by its name in the top line), change the copy, and both stand
            here with the test of their difference.
          </p>
        )}
        {compared.isError && <p role="alert">{compared.error.message}</p>}
        {compared.data && <SideBySide found={compared.data} />}
      </section>
      <section aria-label="Every path at zero" className="min-w-0">
        <Heading className="mb-2">every path at zero, in {model.name}</Heading>
        <PathsAtZero model={model} />
      </section>
    </div>
  );
}

interface Line {
  words: string;
  values: (number | null)[];
  texts: string[];
  figure?: string;
}

/** What stands side by side: fit, weights, what is explained, paths. */
function linesOf({ models, paths }: Compared): Line[] {
  const numbers = (
    words: string,
    of: (m: ModelColumn) => number | null,
    write: (x: number | null) => string,
  ) => ({
    words,
    values: models.map(of),
    texts: models.map((m) => (m.estimated ? write(of(m)) : "not estimated")),
  });
  const explained = [...new Set(models.flatMap((m) => Object.keys(m.r_squared)))].filter((name) =>
    paths.some((p) => p.to === name),
  );
  return [
    numbers(
      "cases",
      (m) => m.n_used,
      (x) => (x === null ? "–" : String(x)),
    ),
    ...FIGURES.map(({ key, words, decimals }) => {
      const write = (x: number | null) => (decimals === 3 ? coefficient(x, 3) : plain(x, decimals));
      const line: Line = { ...numbers(words, (m) => m.fit?.[key] ?? null, write), figure: key };
      if (key === "rmsea")
        line.texts = line.texts.map((text, at) => `${text} ${interval(models[at]?.fit?.rmsea_interval, 3)}`);
      return line;
    }),
    numbers(
      "weight by AIC",
      (m) => m.aic_weight,
      (x) => coefficient(x),
    ),
    numbers(
      "weight by BIC",
      (m) => m.bic_weight,
      (x) => coefficient(x),
    ),
    ...explained.map((name) =>
      numbers(
        `R² ${name}`,
        (m) => m.r_squared[name] ?? null,
        (x) => coefficient(x),
      ),
    ),
    ...paths.map((p) => ({
      words: `${p.from} → ${p.to}`,
      values: p.standardized,
      texts: p.standardized.map((b, at) =>
        b === null ? "" : `${coefficient(b)}${(p.p_value[at] ?? 0) >= 0.05 ? " n.s." : ""}`,
      ),
    })),
  ];
}

function SideBySide({ found }: { found: Compared }) {
  const criteria = useCriteria();
  const name = (id: number) => found.models.find((m) => m.id === id)?.name ?? "";
  const columns: TableColumn<Line>[] = [
    {
      key: "words",
      head: "",
      hidden: "figure",
      left: true,
      className: "text-quiet",
      value: (line) => line.words,
    },
    ...found.models.map((m, at): TableColumn<Line> => ({
      key: String(m.id),
      head: m.name,
      value: (line) => line.values[at],
      text: (line) => line.texts[at] ?? "",
      show: (line) => (
        <>
          {typeof criteria.get(line.figure ?? "")?.good === "number" && (
            <Glyph
              verdict={judge(criteria.get(line.figure ?? ""), m.fit?.df === 0 ? null : line.values[at])}
              size={8}
            />
          )}{" "}
          {line.texts[at]}
        </>
      ),
    })),
  ];
  return (
    <>
      <Table
        label="Figures of the models"
        columns={columns}
        rows={linesOf(found)}
        keyOf={(line) => line.words}
      />
      {found.pairs.length > 0 && (
        <>
          <Heading className="mb-1 mt-5">tests of their differences</Heading>
          {found.pairs.map((pair) => (
            <p key={`${pair.first} ${pair.second}`} className="border-b border-line/40 py-1">
              <span className="font-semibold">
                {name(pair.first)} and {name(pair.second)}
              </span>
              :{" "}
              {pair.difference ? (
                <>
                  Δχ² = {plain(pair.difference.chi_square)}, Δdf = {plain(pair.difference.df, 0)},{" "}
                  {pWords(pair.difference.p_value)}
                  {pair.difference.scaled !== null &&
                    `; scaled ${plain(pair.difference.scaled)}, ${pWords(pair.difference.scaled_p)}`}
                  <span className="text-quiet"> · {pair.reason}, checked by numbers</span>
                </>
              ) : (
                <span className="text-quiet">{pair.reason}</span>
              )}
            </p>
          ))}
          <p className="mt-2 text-sm text-quiet">
            A small p says that the freer model fits better by more than chance. Models that are not nested
            are compared by AIC and BIC, on the same data only.
          </p>
        </>
      )}
    </>
  );
}

function zeroColumns(tests: PathTest[]): TableColumn<PathTest>[] {
  const scaled = tests.some((t) => t.difference !== null && t.difference.scaled !== null);
  const of = (t: PathTest) => (scaled ? t.difference?.scaled : t.difference?.chi_square);
  const p = (t: PathTest) => (scaled ? t.difference?.scaled_p : t.difference?.p_value);
  return [
    {
      key: "path",
      head: "path",
      left: true,
      className: "font-semibold",
      value: (t) => `${t.from} → ${t.to}`,
    },
    { key: "z", head: "z", value: (t) => t.z, text: (t) => plain(t.z) },
    { key: "z_p", head: "p", value: (t) => t.z_p, text: (t) => pValue(t.z_p) },
    {
      key: "difference",
      head: scaled ? "scaled Δχ²" : "Δχ²",
      value: of,
      text: (t) => (t.difference ? plain(of(t)) : "not identified"),
    },
    { key: "df", head: "Δdf", value: (t) => t.difference?.df },
    { key: "p", head: "p", value: p, text: (t) => (t.difference ? pValue(p(t)) : "") },
  ];
}

function PathsAtZero({ model }: { model: ModelState }) {
  const found = useQuery({
    queryKey: ["paths-at-zero", model.id, model.revision.id],
    enabled: model.estimated,
    queryFn: () =>
      take(api.GET("/api/models/{model_id}/paths-at-zero", { params: { path: { model_id: model.id } } })),
  });
  if (!model.estimated) return <p className="text-quiet">The model has to be estimated first.</p>;
  if (found.isError) return <p role="alert">{found.error.message}</p>;
  if (!found.data) return <p className="text-quiet">Fitting the model without each path…</p>;
  const { tests } = found.data;
  if (tests.length === 0) return <p className="text-quiet">The model has no free path.</p>;
  return (
    <>
      <Table
        label="Every path at zero"
        columns={zeroColumns(tests)}
        rows={tests}
        keyOf={(t) => `${t.from}\u0000${t.to}`}
      />
      <p className="mt-2 text-sm text-quiet">
        Each row refits the model with that path fixed at zero. z and Δχ² test the same thing by two routes;
        where they part, trust Δχ². A model that is not identified without the path has no test.
      </p>
    </>
  );
}
