import { useMemo, useState } from "react";
import { api, ProblemAnswer, take, type ModelState, type Parameter } from "../api/client";
import type { components } from "../api/schema";
import { errorsWords, intervalWords } from "../shared/basis";
import { interval, plain, plainInterval, pValue, pWords, coefficient } from "../shared/numbers";

type Joint = components["schemas"]["JointTest"];
type Key = "kind" | "name" | "estimate" | "se" | "z" | "p_value" | "standardized";
function nameOf(p: Parameter): string {
  if (p.kind === "variance" || p.kind === "intercept" || p.kind === "mean") return p.from;
  return `${p.from} ${p.kind === "covariance" ? "&" : "→"} ${p.to}`;
}

/** One table of every loading, path, covariance, variance, intercept and mean, free or fixed. */
export function ParameterTable({ model }: { model: ModelState }) {
  const { results } = model;
  const [sort, setSort] = useState<{ key: Key; down: boolean } | null>(null);
  const [kind, setKind] = useState("all");
  const [chosen, setChosen] = useState<Set<number>>(new Set());
  const booted = results.bootstrap_summary !== null;
  const rows = useMemo(() => {
    const found = results.parameters
      .map((p, at) => ({ p, at }))
      .filter(({ p }) => kind === "all" || p.kind === kind);
    if (sort) {
      const value = (p: Parameter) => (sort.key === "name" ? nameOf(p) : p[sort.key]);
      found.sort((a, b) => {
        const [x, y] = [value(a.p), value(b.p)];
        if (x === null || y === null) return Number(x === null) - Number(y === null);
        const order = typeof x === "string" ? x.localeCompare(String(y)) : x - Number(y);
        return sort.down ? -order : order;
      });
    }
    return found;
  }, [results.parameters, kind, sort]);
  const by = (key: Key) =>
    setSort(sort?.key === key ? (sort.down ? null : { key, down: true }) : { key, down: false });
  const head = (key: Key, words: string, right = true) => (
    <th
      className={`pb-1 font-normal ${right ? "pl-4 text-right" : ""}`}
      aria-sort={sort?.key === key ? (sort.down ? "descending" : "ascending") : undefined}
    >
      <button onClick={() => by(key)}>
        {words}
        {sort?.key === key ? (sort.down ? " ▾" : " ▴") : ""}
      </button>
    </th>
  );
  const kinds = [...new Set(results.parameters.map((p) => p.kind))];
  const level = Math.round(100 * results.settings.level);
  return (
    <>
      <div className="mb-2 flex items-center gap-4">
        <select
          className="select select-xs w-36"
          aria-label="Kind of parameter"
          value={kind}
          onChange={(e) => setKind(e.target.value)}
        >
          <option value="all">every kind</option>
          {kinds.map((k) => (
            <option key={k}>{k}</option>
          ))}
        </select>
        <p className="min-w-0 flex-1 truncate text-sm text-quiet">
          SE, z, p and interval from {errorsWords(results)}
          {booted
            ? `; the last column from ${results.bootstrap_summary?.used} resamples, ${intervalWords(results)} intervals`
            : ""}
          ; standardized errors by the delta method.
        </p>
      </div>
      <div className="min-h-0 flex-1 overflow-y-auto pb-4">
        <table className="w-full border-collapse" aria-label="Parameters">
          <thead className="sticky top-0 bg-base-100 text-left text-sm text-quiet">
            <tr>
              <th className="w-6" />
              {head("name", "parameter", false)}
              {head("kind", "kind", false)}
              {head("estimate", "estimate")}
              {head("se", "SE")}
              {head("z", "z")}
              {head("p_value", "p")}
              <th className="pb-1 pl-4 text-right font-normal">{level} % interval</th>
              {head("standardized", "standardized")}
              <th className="pb-1 pl-4 text-right font-normal">SE</th>
              <th className="pb-1 pl-4 text-right font-normal">
                {booted ? "bootstrap interval" : "its interval"}
              </th>
            </tr>
          </thead>
          <tbody>
            {rows.map(({ p, at }) => (
              <Row
                key={at}
                p={p}
                booted={booted}
                on={chosen.has(at)}
                toggle={() => {
                  const next = new Set(chosen);
                  if (!next.delete(at)) next.add(at);
                  setChosen(next);
                }}
              />
            ))}
          </tbody>
        </table>
        {rows.length === 0 && (
          <p className="text-quiet">The model is not estimated, so there is nothing to list.</p>
        )}
      </div>
      {chosen.size > 0 && (
        <JointTests
          key={[...chosen].join()}
          model={model}
          chosen={[...chosen].flatMap((at) => results.parameters[at] ?? [])}
          clear={() => setChosen(new Set())}
        />
      )}
    </>
  );
}

interface RowProps {
  p: Parameter;
  booted: boolean;
  on: boolean;
  toggle: () => void;
}

function Row({ p, booted, on, toggle }: RowProps) {
  const cell = "pl-4 text-right whitespace-nowrap";
  const boot = p.standardized_bootstrap;
  const bounds = boot ? boot.headline : null;
  return (
    <tr className={`border-b border-line/40 ${on ? "bg-base-300/70" : "hover:bg-base-200"}`}>
      <td>
        {p.free && (
          <input
            type="checkbox"
            className="checkbox checkbox-xs"
            aria-label={`Select ${nameOf(p)}`}
            checked={on}
            onChange={toggle}
          />
        )}
      </td>
      <td className="py-[3px] pr-3">
        <span className="font-semibold">{nameOf(p)}</span>
        {p.label && <span className="text-sm text-quiet"> called {p.label}</span>}
      </td>
      <td className="whitespace-nowrap text-sm text-quiet">{p.role ? `${p.role} ${p.kind}` : p.kind}</td>
      <td className={cell}>{plain(p.estimate, 3)}</td>
      {p.free ? (
        <>
          <td className={cell}>{plain(p.se, 3)}</td>
          <td className={cell}>{plain(p.z)}</td>
          <td className={cell}>{pValue(p.p_value)}</td>
          <td className={cell}>{plainInterval(p.interval, 3)}</td>
        </>
      ) : (
        <td colSpan={4} className="pl-4 text-right text-sm text-quiet">
          fixed: {p.why_fixed}
        </td>
      )}
      <td className={`${cell} font-semibold`}>{coefficient(p.standardized, 3)}</td>
      <td className={cell}>
        {p.standardized_se === null ? (
          <span className="text-sm text-quiet">constant</span>
        ) : (
          coefficient(p.standardized_se, 3)
        )}
      </td>
      <td className={cell}>{interval(booted ? bounds : p.standardized_interval, 3)}</td>
    </tr>
  );
}

function JointTests({ model, chosen, clear }: { model: ModelState; chosen: Parameter[]; clear: () => void }) {
  const [found, setFound] = useState<Joint | null>(null);
  const [fault, setFault] = useState<string | null>(null);
  const ask = async (hypothesis: "zero" | "equal") => {
    setFault(null);
    setFound(null);
    try {
      setFound(
        await take<Joint>(
          api.POST("/api/models/{model_id}/joint-tests", {
            params: { path: { model_id: model.id } },
            body: { hypothesis, parameters: chosen.map((p) => ({ kind: p.kind, from: p.from, to: p.to })) },
          }),
        ),
      );
    } catch (error) {
      setFault(error instanceof ProblemAnswer ? error.message : String(error));
    }
  };
  const line = (
    words: string,
    value: number | null | undefined,
    p: number | null | undefined,
    df: number,
  ) => (
    <span className="whitespace-nowrap">
      <span className="text-quiet">{words}</span>{" "}
      {value === null || value === undefined ? "–" : `${plain(value)} (${df}), ${pWords(p)}`}
    </span>
  );
  return (
    <div
      className="flex flex-wrap items-center gap-x-5 gap-y-1 border-t border-line py-2.5"
      aria-label="Test of the selected parameters"
    >
      <span className="font-semibold">{chosen.length} selected</span>
      <button className="btn btn-xs border-none bg-base-300" onClick={() => void ask("zero")}>
        {chosen.length === 1 ? "Is it zero?" : "Are all of them zero?"}
      </button>
      <button
        className="btn btn-xs border-none bg-base-300"
        disabled={chosen.length < 2}
        onClick={() => void ask("equal")}
      >
        Are they equal?
      </button>
      {found && (
        <>
          {line("Δχ²", found.difference?.chi_square, found.difference?.p_value, found.df)}
          {found.difference?.scaled !== null && found.difference?.scaled !== undefined
            ? line("scaled Δχ²", found.difference.scaled, found.difference.scaled_p, found.df)
            : null}
          {line("Wald", found.wald, found.wald_p, found.df)}
          {line("score", found.score, found.score_p, found.df)}
        </>
      )}
      {fault && <span role="alert">{fault}</span>}
      <span className="flex-1" />
      <button className="btn btn-ghost btn-xs" onClick={clear}>
        Let go
      </button>
    </div>
  );
}
