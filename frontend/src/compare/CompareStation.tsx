import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, take, type ModelState, type Project } from "../api/client";
import type { components } from "../api/schema";
import { useCriteria } from "../api/hooks";
import { Glyph } from "../shared/Glyph";
import { coefficient, interval, plain, pValue, pWords } from "../shared/numbers";
import { judge } from "../shared/verdict";

type Compared = components["schemas"]["Compared"];
type PathTests = components["schemas"]["PathTests"];
type ModelColumn = Compared["models"][number];

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
export function CompareStation({ project, model }: { project: Project; model: ModelState }) {
  const [left, setLeft] = useState<Set<number>>(new Set());
  const chosen = project.models.map((m) => m.id).filter((id) => !left.has(id));
  const compared = useQuery({
    queryKey: ["compare", project.id, chosen, model.revision.id],
    enabled: chosen.length > 0,
    queryFn: () =>
      take<Compared>(
        api.POST("/api/projects/{project_id}/comparisons", {
          params: { path: { project_id: project.id } },
          body: { models: chosen.slice(0, 8) },
        }),
      ),
  });
  return (
    <div className="grid h-full grid-cols-[minmax(0,1.25fr)_minmax(0,1fr)] gap-10 overflow-y-auto px-4 pb-4 pt-4">
      <section aria-label="Models side by side" className="min-w-0">
        <h2 className="mb-2 text-sm text-quiet">models side by side</h2>
        {project.models.length > 1 ? (
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
        <h2 className="mb-2 text-sm text-quiet">every path at zero, in {model.name}</h2>
        <PathsAtZero model={model} />
      </section>
    </div>
  );
}

function SideBySide({ found }: { found: Compared }) {
  const criteria = useCriteria();
  const name = (id: number) => found.models.find((m) => m.id === id)?.name ?? "";
  const value = (m: ModelColumn, key: (typeof FIGURES)[number]["key"]) => m.fit?.[key] ?? null;
  const constructs = [...new Set(found.models.flatMap((m) => Object.keys(m.r_squared)))].filter((n) =>
    found.paths.some((p) => p.to === n),
  );
  return (
    <>
      <table className="w-full border-collapse" aria-label="Figures of the models">
        <thead className="text-left text-sm">
          <tr>
            <th />
            {found.models.map((m) => (
              <th key={m.id} className="pb-1 pl-4 text-right font-semibold">
                {m.name}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          <Line head="cases" cells={found.models.map((m) => (m.n_used === null ? "–" : String(m.n_used)))} />
          {FIGURES.map(({ key, words, decimals }) => (
            <tr key={key} className="border-b border-line/40">
              <td className="py-[3px] text-quiet">{words}</td>
              {found.models.map((m) => (
                <td key={m.id} className="whitespace-nowrap pl-4 text-right">
                  {["cfi", "tli", "rmsea", "srmr"].includes(key) && (
                    <Glyph
                      verdict={judge(
                        criteria.data?.criteria.find((c) => c.key === key),
                        m.fit?.df === 0 ? null : value(m, key),
                      )}
                      size={8}
                    />
                  )}{" "}
                  {m.estimated
                    ? decimals === 3
                      ? coefficient(value(m, key), 3)
                      : plain(value(m, key), decimals)
                    : "not estimated"}
                  {key === "rmsea" && m.fit?.rmsea_interval ? (
                    <span className="text-sm text-quiet"> {interval(m.fit.rmsea_interval, 3)}</span>
                  ) : null}
                </td>
              ))}
            </tr>
          ))}
          <Line head="weight by AIC" cells={found.models.map((m) => coefficient(m.aic_weight, 2))} />
          <Line head="weight by BIC" cells={found.models.map((m) => coefficient(m.bic_weight, 2))} />
          {constructs.map((n) => (
            <Line
              key={n}
              head={`R² ${n}`}
              cells={found.models.map((m) => coefficient(m.r_squared[n] ?? null))}
            />
          ))}
          {found.paths.map((p) => (
            <Line
              key={`${p.from} ${p.to}`}
              head={`${p.from} → ${p.to}`}
              cells={p.standardized.map((b, at) =>
                b === null ? "" : `${coefficient(b)}${(p.p_value[at] ?? 0) >= 0.05 ? " n.s." : ""}`,
              )}
            />
          ))}
        </tbody>
      </table>
      {found.pairs.length > 0 && (
        <>
          <h2 className="mb-1 mt-5 text-sm text-quiet">tests of their differences</h2>
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

function Line({ head, cells }: { head: string; cells: string[] }) {
  return (
    <tr className="border-b border-line/40">
      <td className="py-[3px] text-quiet">{head}</td>
      {cells.map((cell, at) => (
        <td key={at} className="pl-4 text-right">
          {cell}
        </td>
      ))}
    </tr>
  );
}

function PathsAtZero({ model }: { model: ModelState }) {
  const found = useQuery({
    queryKey: ["paths-at-zero", model.id, model.revision.id],
    enabled: model.results.converged,
    queryFn: () =>
      take<PathTests>(
        api.GET("/api/models/{model_id}/paths-at-zero", { params: { path: { model_id: model.id } } }),
      ),
  });
  if (!model.results.converged) return <p className="text-quiet">The model has to be estimated first.</p>;
  if (found.isError) return <p role="alert">{found.error.message}</p>;
  if (!found.data) return <p className="text-quiet">Fitting the model without each path…</p>;
  if (found.data.tests.length === 0) return <p className="text-quiet">The model has no free path.</p>;
  const scaled = found.data.tests.some((t) => t.difference?.scaled !== null && t.difference !== null);
  return (
    <>
      <table className="w-full border-collapse" aria-label="Every path at zero">
        <thead className="text-left text-sm text-quiet">
          <tr>
            <th className="pb-1 font-normal">path</th>
            <th className="pb-1 pl-4 text-right font-normal">z</th>
            <th className="pb-1 pl-4 text-right font-normal">p</th>
            <th className="pb-1 pl-4 text-right font-normal">{scaled ? "scaled Δχ²" : "Δχ²"}</th>
            <th className="pb-1 pl-4 text-right font-normal">Δdf</th>
            <th className="pb-1 pl-4 text-right font-normal">p</th>
          </tr>
        </thead>
        <tbody>
          {found.data.tests.map((test) => (
            <tr key={`${test.from} ${test.to}`} className="border-b border-line/40">
              <td className="py-[3px] font-semibold">
                {test.from} → {test.to}
              </td>
              <td className="pl-4 text-right">{plain(test.z)}</td>
              <td className="pl-4 text-right">{pValue(test.z_p)}</td>
              <td className="pl-4 text-right">
                {test.difference
                  ? plain(scaled ? test.difference.scaled : test.difference.chi_square)
                  : "not identified"}
              </td>
              <td className="pl-4 text-right">{test.difference?.df ?? ""}</td>
              <td className="pl-4 text-right">
                {test.difference ? pValue(scaled ? test.difference.scaled_p : test.difference.p_value) : ""}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="mt-2 text-sm text-quiet">
        Each row refits the model with that path fixed at zero. z and Δχ² test the same thing by two routes;
        where they part, trust Δχ². A model that is not identified without the path has no test.
      </p>
    </>
  );
}
