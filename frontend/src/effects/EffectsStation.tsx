import { useState } from "react";
import {
  api,
  ProblemAnswer,
  take,
  type Effect,
  type Interval,
  type ModelState,
  type Results,
  type Run,
} from "../api/client";
import { useDesk } from "../model/desk";
import { intervalWords } from "../shared/basis";
import { coefficient, containsZero, interval, plain, plainInterval, pValue } from "../shared/numbers";
import { Whisker } from "./Whisker";

/** Direct, specific indirect, total indirect and total effects, with bootstrap intervals. */
export function EffectsStation({ model, run }: { model: ModelState; run: Run | undefined }) {
  const [pair, setPair] = useState("");
  const [scale, setScale] = useState<Scale>("standardized");
  const results = model.results;
  if (!results.converged || results.effects.length === 0) {
    return (
      <div className="grid h-full place-content-center gap-2 text-center">
        <h1 className="font-serif text-xl font-semibold">No effects yet</h1>
        <p className="max-w-md text-quiet">
          {results.converged
            ? "Effects run along paths. Draw paths between cards on the Model station; an indirect effect needs at least two in a row."
            : "Effects appear once the model can be estimated; the Model station says what is in the way."}
        </p>
      </div>
    );
  }
  const withBca = results.settings.interval === "bca";
  const pairs = [...new Set(results.effects.map((e) => `${e.from} → ${e.to}`))];
  const shown = pairs.filter((p) => !pairs.includes(pair) || p === pair);
  const bounds = results.effects.flatMap((e) => reach(e, scale));
  const low = Math.min(0, ...bounds);
  const high = Math.max(0, ...bounds);
  return (
    <div className="flex h-full flex-col px-4 pt-3">
      <div className="flex items-center gap-4 pb-3">
        <label className="flex items-center gap-2">
          <span className="text-quiet">effects of</span>
          <select
            className="select select-sm w-56"
            value={pair}
            onChange={(event) => setPair(event.target.value)}
          >
            <option value="">all pairs</option>
            {pairs.map((p) => (
              <option key={p}>{p}</option>
            ))}
          </select>
        </label>
        <label className="flex items-center gap-2">
          <span className="text-quiet">in</span>
          <select
            className="select select-sm w-44"
            aria-label="Scale of the effects"
            value={scale}
            onChange={(event) => setScale(event.target.value as Scale)}
          >
            <option value="standardized">standard deviations (β)</option>
            <option value="units">their own units</option>
          </select>
        </label>
        <span className="flex-1" />
        <BootstrapControl model={model} run={run} />
      </div>
      <div className="min-h-0 flex-1 overflow-y-auto pb-4">
        <table className="w-full border-collapse" aria-label="Effects">
          <thead className="sticky top-0 z-10 bg-base-100 text-sm text-quiet">
            <tr>
              <th className="pb-1 text-left font-normal">effect</th>
              <th className="pb-1 text-right font-normal">{scale === "standardized" ? "β" : "estimate"}</th>
              <th
                className="pb-1 text-right font-normal"
                title={results.bootstrap_summary ? "bootstrap" : "delta method, approximate"}
              >
                SE
              </th>
              <th className="pb-1 pl-4 text-right font-normal">percentile</th>
              <th className="pb-1 pl-4 text-right font-normal">bias-corrected</th>
              {withBca && <th className="pb-1 pl-4 text-right font-normal">BCa</th>}
              <th className="pb-1 pl-4 text-right font-normal" title="of the percentile interval">
                p
              </th>
              <th
                className="pb-1 pl-4 text-right font-normal"
                title="share of the total effect; only where all parts point one way and the total excludes zero"
              >
                share
              </th>
              <th className="w-[230px] pb-1 pl-6 text-left font-normal">
                {results.bootstrap_summary
                  ? `${results.settings.level * 100} % ${intervalWords(results)} interval`
                  : `${results.settings.level * 100} % interval (delta method)`}
              </th>
            </tr>
          </thead>
          {shown.map((p) => (
            <PairRows key={p} {...{ pair: p, results, scale, low, high }} />
          ))}
        </table>
        <p className="mt-4 max-w-3xl text-sm text-quiet">
          {results.bootstrap_summary
            ? `From ${results.bootstrap_summary.used.toLocaleString("en")} resamples of ${results.data?.n_used} cases (seed ${results.settings.seed}); ${results.bootstrap_summary.not_converged} did not converge, ${results.bootstrap_summary.inadmissible} gave impossible values and are kept. A bootstrap cures neither outliers nor a wrong model, nor a small or unrepresentative sample.`
            : "Delta-method errors are approximate for products of paths, so no verdict rests on them. Bootstrap the model to get intervals that can be reported."}
        </p>
      </div>
    </div>
  );
}

type Scale = "standardized" | "units";

/** An effect in the scale that is looked at; one row never mixes two. */
function inScale(effect: Effect, scale: Scale) {
  return scale === "standardized"
    ? {
        value: effect.standardized,
        se: effect.standardized_se,
        fromError: effect.standardized_interval,
        boot: effect.standardized_bootstrap,
      }
    : { value: effect.estimate, se: effect.se, fromError: effect.interval, boot: effect.bootstrap };
}

/** The interval that is drawn for an effect: the bootstrap's headline, else by the delta method. */
function drawn(effect: Effect, scale: Scale): Interval | null {
  const { boot, fromError } = inScale(effect, scale);
  return boot?.headline ?? fromError;
}

function reach(effect: Effect, scale: Scale): number[] {
  const { value } = inScale(effect, scale);
  return drawn(effect, scale) ?? (value === null ? [] : [value]);
}

const KIND_WORDS: Record<string, string> = {
  complementary: "complementary mediation (“partial”)",
  competitive: "competitive mediation",
  "indirect-only": "indirect-only mediation (“full”)",
  "direct-only": "direct effect only, no mediation",
  none: "no effect",
};

interface Shown {
  results: Results;
  scale: Scale;
  low: number;
  high: number;
}

function PairRows({ pair, results, scale, low, high }: Shown & { pair: string }) {
  const found = results.effects.filter((e) => `${e.from} → ${e.to}` === pair);
  // A path alone is its own total; saying so twice would only take room.
  const effects = found.length === 2 ? found.slice(0, 1) : found;
  const mediation = results.mediation.find((m) => `${m.from} → ${m.to}` === pair);
  return (
    <tbody>
      <tr>
        <td colSpan={9} className="pb-0.5 pt-3.5">
          <span className="font-serif text-[15px] font-semibold">{pair}</span>
          {mediation?.kind && (
            <span className="ml-3" data-testid={`mediation-${mediation.from}-${mediation.to}`}>
              {KIND_WORDS[mediation.kind]}
              <span className="text-quiet">
                : {mediation.reason}
                {mediation.share_mediated !== null &&
                  `; share mediated ${coefficient(mediation.share_mediated)}`}
              </span>
            </span>
          )}
        </td>
      </tr>
      {effects.map((effect) => (
        <EffectRow
          key={effect.kind + (effect.via?.join() ?? "")}
          {...{ effect, results, scale, low, high }}
        />
      ))}
    </tbody>
  );
}

function EffectRow({ effect, results, scale, low, high }: Shown & { effect: Effect }) {
  const { value, se, boot } = inScale(effect, scale);
  const number = (x: number | null) => (scale === "standardized" ? coefficient(x, 3) : plain(x, 3));
  const bounds = scale === "standardized" ? interval : plainInterval;
  const name = effect.kind === "specific indirect" ? `through ${effect.via?.join(" › ")}` : effect.kind;
  const total = effect.kind === "total" || effect.kind === "total indirect";
  const range = drawn(effect, scale);
  const empty = <span className="text-quiet">–</span>;
  return (
    <tr
      className={`border-b border-line/40 hover:bg-base-200 ${total ? "font-semibold" : ""}`}
      data-testid={`effect-${effect.from}-${effect.to}-${effect.kind}`}
    >
      <td className="py-[3px] pl-4">{name}</td>
      <td className="text-right">{number(value)}</td>
      <td className="text-right text-quiet">{number(boot?.se ?? se)}</td>
      <td className="pl-4 text-right">{boot ? bounds(boot.percentile, 3) : empty}</td>
      <td className="pl-4 text-right">{boot ? bounds(boot.bias_corrected, 3) : empty}</td>
      {results.settings.interval === "bca" && (
        <td className="pl-4 text-right">{boot?.bca ? bounds(boot.bca, 3) : empty}</td>
      )}
      <td className="pl-4 text-right">{boot ? pValue(boot.p_value) : empty}</td>
      <td className="pl-4 text-right">
        {effect.share_of_total === null || effect.kind === "total"
          ? empty
          : coefficient(effect.share_of_total)}
      </td>
      <td className="pl-6">
        <Whisker
          {...{ value, range, low, high }}
          label={`${number(value)} ${bounds(range, 3)}`}
          open={containsZero(range)}
        />
      </td>
    </tr>
  );
}

function BootstrapControl({ model, run }: { model: ModelState; run: Run | undefined }) {
  const { setRun, setComplaint } = useDesk();
  const [resamples, setResamples] = useState(5000);
  const [seed, setSeed] = useState(model.results.settings.seed);
  const [interval, setInterval] = useState<"percentile" | "bca">("percentile");
  const running = run?.state === "running";
  const begin = async () => {
    try {
      const how = model.settings;
      const testFit =
        how.missing === "listwise" &&
        (how.estimator === "ml" || how.estimator === "gls") &&
        (model.results.fit?.df ?? 0) > 0;
      const body = { resamples, seed, level: 0.95, interval, bollen_stine: testFit };
      const started = await take<Run>(
        api.POST("/api/models/{model_id}/runs", { params: { path: { model_id: model.id } }, body }),
      );
      setRun({ id: started.id, modelId: model.id });
    } catch (error) {
      if (error instanceof ProblemAnswer) setComplaint(error.message);
      else throw error;
    }
  };
  return (
    <form
      className="flex items-center gap-3"
      onSubmit={(event) => {
        event.preventDefault();
        void begin();
      }}
    >
      <label className="flex items-center gap-2">
        <span className="text-quiet">resamples</span>
        <select
          className="select select-sm w-24"
          value={resamples}
          onChange={(event) => setResamples(Number(event.target.value))}
        >
          {[1000, 5000, 10000, 50000].map((count) => (
            <option key={count} value={count}>
              {count.toLocaleString("en")}
            </option>
          ))}
        </select>
      </label>
      <label className="flex items-center gap-2" title="The same seed gives the same numbers again">
        <span className="text-quiet">seed</span>
        <input
          className="input input-sm w-24 text-right"
          type="number"
          min={0}
          required
          value={Number.isNaN(seed) ? "" : seed}
          onChange={(event) => setSeed(event.target.valueAsNumber)}
        />
      </label>
      <label className="flex items-center gap-2">
        <span className="text-quiet">intervals</span>
        <select
          className="select select-sm w-28"
          value={interval}
          onChange={(event) => setInterval(event.target.value as "percentile" | "bca")}
        >
          <option value="percentile">percentile</option>
          <option value="bca">BCa</option>
        </select>
      </label>
      <button className="btn btn-primary btn-sm" disabled={running} data-testid="bootstrap">
        {running ? "Bootstrapping…" : "Bootstrap"}
      </button>
    </form>
  );
}
