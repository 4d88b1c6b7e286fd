import { X } from "lucide-react";
import { useEffect, useState } from "react";
import type { Change, ModelState } from "../api/client";
import type { components } from "../api/schema";
import { useCriteria, type Gestures } from "../api/hooks";
import { HeatMap } from "../data/HeatMap";
import { WhatIf } from "../lens/WhatIf";
import { Glyph } from "../shared/Glyph";
import { coefficient, interval, plain, pValue, pWords } from "../shared/numbers";
import { judge } from "../shared/verdict";
import { ParameterTable } from "./ParameterTable";

type Modification = components["schemas"]["ModificationPart"];
type Fit = components["schemas"]["FitPart"];
const TABS = {
  parameters: "Parameters",
  fit: "Fit",
  residuals: "Residuals",
  omitted: "What is left out",
} as const;
type Tab = keyof typeof TABS;

/** Everything about the estimates that does not fit on the board, a key away. */
export function Details({
  model,
  gestures,
  close,
}: {
  model: ModelState;
  gestures: Gestures;
  close: () => void;
}) {
  const [tab, setTab] = useState<Tab>("parameters");
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => event.key === "Escape" && close();
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [close]);
  return (
    <div
      className="absolute inset-0 z-30 flex flex-col bg-base-100 px-4 pt-2"
      role="dialog"
      aria-label="All parameters"
    >
      <div className="mb-2 flex items-center gap-4">
        <div role="tablist" aria-label="Details of the estimates" className="flex gap-1">
          {(Object.keys(TABS) as Tab[]).map((name) => (
            <button
              key={name}
              role="tab"
              aria-selected={tab === name}
              className={`btn btn-sm border-none ${tab === name ? "bg-base-300" : "btn-ghost font-normal"}`}
              onClick={() => setTab(name)}
            >
              {TABS[name]}
            </button>
          ))}
        </div>
        <span className="flex-1" />
        <a
          className="text-sm font-semibold text-ember hover:underline"
          href={`/api/models/${model.id}/estimates.csv`}
        >
          Covariances of the estimates (.csv)
        </a>
        <a
          className="text-sm font-semibold text-ember hover:underline"
          href={`/api/models/${model.id}/scores.csv`}
        >
          Scores of the cases (.csv)
        </a>
        <a
          className="text-sm font-semibold text-ember hover:underline"
          href={tab === "parameters" ? "/methods/estimation" : "/methods/fit"}
          target="_blank"
        >
          How it is computed
        </a>
        <button className="btn btn-ghost btn-sm btn-square" aria-label="Close" onClick={close}>
          <X size={16} />
        </button>
      </div>
      {tab === "parameters" && <ParameterTable model={model} />}
      {tab === "fit" && <FitTable model={model} />}
      {tab === "residuals" && <Residuals model={model} />}
      {tab === "omitted" && <Omitted model={model} gestures={gestures} />}
    </div>
  );
}

type Line = { words: string; value: string; key?: string; number?: number | null; empty?: string };

function fitLines(fit: Fit): Line[] {
  const saturated = "saturated: nothing to test";
  const noLikelihood = "this estimator has no likelihood";
  const unit = (words: string, key: keyof Fit, empty = saturated): Line => ({
    words,
    key,
    number: fit[key] as number | null,
    value: coefficient(fit[key] as number | null, 3),
    empty,
  });
  const large = (words: string, value: number | null, empty = noLikelihood): Line => ({
    words,
    value: plain(value, 2),
    number: value,
    empty,
  });
  return [
    { words: "χ²", value: `${plain(fit.chi_square, 3)}, df = ${fit.df}, ${pWords(fit.p_value)}` },
    {
      words: "χ²/df",
      key: "chi_square_per_df",
      number: fit.chi_square_per_df,
      value: plain(fit.chi_square_per_df),
      empty: saturated,
    },
    unit("CFI", "cfi"),
    unit("TLI", "tli"),
    unit("NFI", "nfi"),
    unit("RFI", "rfi"),
    unit("IFI", "ifi"),
    unit("GFI", "gfi"),
    unit("AGFI", "agfi"),
    {
      words: "RMSEA",
      key: "rmsea",
      number: fit.rmsea,
      value: `${coefficient(fit.rmsea, 3)} ${interval(fit.rmsea_interval, 3)}`,
      empty: saturated,
    },
    {
      words: "close fit (RMSEA ≤ .05), p",
      number: fit.close_fit_p,
      value: pValue(fit.close_fit_p),
      empty: saturated,
    },
    unit("SRMR", "srmr"),
    large("log-likelihood", fit.log_likelihood),
    large("log-likelihood, saturated", fit.log_likelihood_saturated),
    large("AIC", fit.aic),
    large("BIC", fit.bic),
    large("BIC, adjusted for sample size", fit.sabic),
    { words: "ECVI", value: plain(fit.ecvi, 3) },
    {
      words: "critical n (.05 and .01)",
      number: fit.critical_n_05,
      value: `${plain(fit.critical_n_05, 0)} and ${plain(fit.critical_n_01, 0)}`,
      empty: saturated,
    },
    { words: "free parameters", value: String(fit.n_parameters) },
    { words: "baseline χ²", value: `${plain(fit.baseline.chi_square, 2)}, df = ${fit.baseline.df}` },
  ];
}

function FitTable({ model }: { model: ModelState }) {
  const criteria = useCriteria();
  const { fit, r_squared } = model.results;
  if (!fit) return <p className="text-quiet">The model is not estimated.</p>;
  const scaled = fit.scaled;
  const test = fit.bollen_stine;
  return (
    <div className="grid min-h-0 flex-1 grid-cols-2 gap-12 overflow-y-auto pb-4">
      <table className="h-fit w-full border-collapse" aria-label="All fit figures">
        <tbody>
          {fitLines(fit).map((line) => (
            <tr key={line.words} className="border-b border-line/40">
              <td className="py-[3px] text-quiet">{line.words}</td>
              <td className="text-right">
                {line.key && (
                  <Glyph
                    verdict={judge(
                      criteria.data?.criteria.find((c) => c.key === line.key),
                      fit.df === 0 ? null : line.number,
                    )}
                    size={8}
                  />
                )}{" "}
                {line.number === null ? <span className="text-sm text-quiet">{line.empty}</span> : line.value}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <div>
        <h2 className="mb-1 text-sm text-quiet">robust test</h2>
        {scaled ? (
          <p className="mb-4">
            Scaled χ² = {plain(scaled.chi_square, 3)}, {pWords(scaled.p_value)}, scaling factor{" "}
            {plain(scaled.scaling_factor, 3)}. Robust CFI {coefficient(scaled.robust_cfi, 3)}, TLI{" "}
            {coefficient(scaled.robust_tli, 3)}, RMSEA {coefficient(scaled.robust_rmsea, 3)}.
          </p>
        ) : (
          <p className="mb-4 text-quiet">With robust standard errors the scaled test stands here.</p>
        )}
        <h2 className="mb-1 text-sm text-quiet">Bollen–Stine test</h2>
        {test ? (
          <p className="mb-4">
            {pWords(test.p_value)}: {test.exceeded} of {test.used} resamples of data transformed to the model
            have a larger χ².
          </p>
        ) : (
          <p className="mb-4 text-quiet">It runs with the bootstrap, on complete cases.</p>
        )}
        <h2 className="mb-1 text-sm text-quiet">R² of what is explained</h2>
        <table className="w-full border-collapse" aria-label="R²">
          <tbody>
            {Object.entries(r_squared).map(([name, value]) => (
              <tr key={name} className="border-b border-line/40">
                <td className="py-[2px]">{name}</td>
                <td className="text-right">{coefficient(value, 3)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </div>
  );
}

const KINDS = { correlation: "as correlations", standardized: "standardized", raw: "raw" } as const;

function Residuals({ model }: { model: ModelState }) {
  const [kind, setKind] = useState<keyof typeof KINDS>("correlation");
  const residuals = model.results.residuals;
  const matrix = residuals?.[kind];
  if (!residuals) return <p className="text-quiet">The model is not estimated.</p>;
  const cells = (matrix?.rows ?? []).flatMap((row, i) =>
    (matrix?.columns ?? [])
      .slice(0, i + 1)
      .map((column, j) => ({ row, column, value: matrix?.values[i]?.[j] ?? null })),
  );
  const largest = cells
    .filter((cell) => cell.value !== null)
    .sort((a, b) => Math.abs(b.value ?? 0) - Math.abs(a.value ?? 0))
    .slice(0, 14);
  const full = kind === "correlation" ? 0.2 : kind === "standardized" ? 4 : Math.abs(largest[0]?.value ?? 1);
  return (
    <div className="grid min-h-0 flex-1 grid-cols-[minmax(0,1.2fr)_minmax(0,1fr)] gap-12 overflow-y-auto pb-4">
      <div>
        <select
          className="select select-xs mb-3 w-44"
          aria-label="Kind of residual"
          value={kind}
          onChange={(event) => setKind(event.target.value as keyof typeof KINDS)}
        >
          {Object.entries(KINDS).map(([value, words]) => (
            <option key={value} value={value}>
              {words}
            </option>
          ))}
        </select>
        {matrix ? (
          <HeatMap matrix={matrix} full={full} />
        ) : (
          <p className="text-quiet">Standardized residuals need complete cases.</p>
        )}
      </div>
      <div>
        <h2 className="mb-1 text-sm text-quiet">the largest: sample less model</h2>
        <table className="w-full border-collapse" aria-label="Largest residuals">
          <tbody>
            {largest.map((cell) => (
              <tr key={`${cell.row} ${cell.column}`} className="border-b border-line/40">
                <td className="py-[2px]">
                  {cell.column} {cell.column === cell.row ? "itself" : `with ${cell.row}`}
                </td>
                <td className="text-right">
                  {kind === "correlation" ? coefficient(cell.value, 3) : plain(cell.value)}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
        <p className="mt-2 text-sm text-quiet">
          {kind === "standardized"
            ? "Divided by their own errors: beyond 2 is more than chance, one in twenty aside."
            : "Where the model leaves much, two items share what it does not explain."}
        </p>
      </div>
    </div>
  );
}

function changeOf(m: Modification): Change | null {
  if (m.release) return null;
  if (m.kind === "covariance") return { type: "set_covariance", first: m.from, second: m.to, free: true };
  if (m.kind === "path") return { type: "add_path", source: m.from, target: m.to };
  if (m.kind === "loading") return { type: "add_indicators", construct: m.from, indicators: [m.to] };
  return null;
}

function Omitted({ model, gestures }: { model: ModelState; gestures: Gestures }) {
  const [at, setAt] = useState<number | null>(null);
  const [least, setLeast] = useState(3.84);
  const rows = model.results.modification.filter((m) => m.index >= least);
  const chosen = at === null ? undefined : rows[at];
  const change = chosen ? changeOf(chosen) : null;
  return (
    <div className="grid min-h-0 flex-1 grid-cols-[minmax(0,1.6fr)_minmax(0,1fr)] gap-12 pb-4">
      <div className="min-h-0 overflow-y-auto">
        {rows.length === 0 && (
          <p className="text-quiet">No parameter that is left out would lower χ² by more than chance.</p>
        )}
        <table className="w-full border-collapse" aria-label="Modification indices">
          <thead className="sticky top-0 bg-base-100 text-left text-sm text-quiet">
            <tr>
              <th className="pb-1 font-normal">parameter</th>
              <th className="pb-1 font-normal">kind</th>
              <th className="pb-1 text-right font-normal">χ² would fall by</th>
              <th className="pb-1 pl-4 text-right font-normal">expected change</th>
              <th className="pb-1 pl-4 text-right font-normal">standardized</th>
            </tr>
          </thead>
          <tbody>
            {rows.slice(0, 100).map((m, index) => (
              <tr
                key={`${m.kind} ${m.from} ${m.to} ${m.release}`}
                className={`cursor-pointer border-b border-line/40 ${index === at ? "bg-base-300/70" : "hover:bg-base-200"}`}
                onClick={() => setAt(index)}
              >
                <td className="py-[3px]">
                  <button className="font-semibold" onClick={() => setAt(index)}>
                    {m.from} {m.kind === "covariance" ? "&" : "→"} {m.to}
                  </button>
                </td>
                <td className="text-sm text-quiet">
                  {m.release ? `${m.kind}, released from its equality` : m.kind}
                </td>
                <td className="text-right">{plain(m.index)}</td>
                <td className="pl-4 text-right">{plain(m.expected_change, 3)}</td>
                <td className="pl-4 text-right">{coefficient(m.standardized_change, 3)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      <div>
        <label className="mb-3 flex items-center gap-2">
          <span className="text-quiet">listed from</span>
          <select
            className="select select-xs w-44"
            value={least}
            onChange={(event) => {
              setLeast(Number(event.target.value));
              setAt(null);
            }}
          >
            <option value={3.84}>3.84 (p .05)</option>
            <option value={6.63}>6.63 (p .01)</option>
            <option value={10.83}>10.83 (p .001)</option>
          </select>
        </label>
        <p>
          Score tests of what the model leaves out, one at a time. An index is no reason: with many candidates
          some are large by chance. Let in only what could be explained in a paper.
        </p>
        {chosen && change && (
          <>
            <WhatIf
              model={model}
              question={`With ${chosen.from} ${chosen.kind === "covariance" ? "&" : "→"} ${chosen.to}`}
              changes={[change]}
            />
            <button
              className="btn btn-sm border-none bg-base-300"
              onClick={() => {
                void gestures.change([change]);
                setAt(null);
              }}
            >
              Let it in
            </button>
          </>
        )}
        {chosen && !change && <p className="mt-3 text-quiet">Change its sentence to free it.</p>}
      </div>
    </div>
  );
}
