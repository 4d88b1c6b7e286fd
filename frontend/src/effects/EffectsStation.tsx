import { useMemo, useState } from "react";
import type { Effect, Interval, ModelState, Schemas, Shown } from "../api/client";
import { useEstimates } from "../api/hooks";
import type { StationProps } from "../frame/stations";
import { intervalWords, level } from "../shared/basis";
import { Choose, NothingYet } from "../shared/controls";
import { coefficient, containsZero, interval, plain, plainInterval, pValue } from "../shared/numbers";
import { Table, type TableColumn, type TableGroup } from "../shared/Table";
import { BootstrapControl } from "./BootstrapControl";
import { Whisker } from "./Whisker";

type Mediation = Schemas["MediationPart"];
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

function pairOf(effect: { from: string; to: string }): string {
  return `${effect.from} → ${effect.to}`;
}

/** The effects of each pair; a path alone is its own total, and saying so twice would only take room. */
function groupsOf(effects: Effect[], mediation: Mediation[], wanted: string): TableGroup<Effect>[] {
  const pairs = [...new Set(effects.map(pairOf))];
  const shown = pairs.includes(wanted) ? [wanted] : pairs;
  return shown.map((pair) => {
    const found = effects.filter((effect) => pairOf(effect) === pair);
    const kind = mediation.find((one) => pairOf(one) === pair);
    return {
      key: pair,
      heading: <PairHeading pair={pair} mediation={kind} />,
      rows: found.length === 2 ? found.slice(0, 1) : found,
    };
  });
}

function PairHeading({ pair, mediation }: { pair: string; mediation: Mediation | undefined }) {
  return (
    <div className="pb-0.5 pt-3.5">
      <span className="font-serif text-[15px] font-semibold">{pair}</span>
      {mediation?.kind && (
        <span className="ml-3" data-testid={`mediation-${mediation.from}-${mediation.to}`}>
          {KIND_WORDS[mediation.kind]}
          <span className="text-quiet">
            : {mediation.reason}
            {mediation.share_mediated !== null && `; share mediated ${coefficient(mediation.share_mediated)}`}
          </span>
        </span>
      )}
    </div>
  );
}

function columnsOf(effects: Effect[], scale: Scale, shown: Shown): TableColumn<Effect>[] {
  const number = (x: number | null | undefined) =>
    scale === "standardized" ? coefficient(x, 3) : plain(x, 3);
  const range = (bounds: Interval | null | undefined) =>
    bounds ? (scale === "standardized" ? interval(bounds, 3) : plainInterval(bounds, 3)) : "–";
  const boot = (effect: Effect) => inScale(effect, scale).boot;
  const bounds = effects.flatMap((effect) => reach(effect, scale));
  const [low, high] = [Math.min(0, ...bounds), Math.max(0, ...bounds)];
  const of = shown.bootstrap ? intervalWords(shown) : "";
  return [
    {
      key: "effect",
      head: "effect",
      left: true,
      className: "pl-4",
      value: (e) => (e.kind === "specific indirect" ? `through ${e.via?.join(" › ")}` : e.kind),
    },
    {
      key: "value",
      head: scale === "standardized" ? "β" : "estimate",
      value: (e) => inScale(e, scale).value,
      text: (e) => number(inScale(e, scale).value),
    },
    {
      key: "se",
      head: "SE",
      title: shown.bootstrap ? "bootstrap" : "delta method, approximate",
      className: "text-quiet",
      value: (e) => boot(e)?.se ?? inScale(e, scale).se,
      text: (e) => number(boot(e)?.se ?? inScale(e, scale).se),
    },
    { key: "percentile", head: "percentile", value: (e) => range(boot(e)?.percentile) },
    { key: "corrected", head: "bias-corrected", value: (e) => range(boot(e)?.bias_corrected) },
    ...(shown.settings.interval === "bca"
      ? [{ key: "bca", head: "BCa", value: (e: Effect) => range(boot(e)?.bca) }]
      : []),
    {
      key: "p",
      head: "p",
      title: "of the percentile interval",
      value: (e) => boot(e)?.p_value,
      text: (e) => (boot(e) ? pValue(boot(e)?.p_value) : "–"),
    },
    {
      key: "share",
      head: "share",
      title: "share of the total effect; only where all parts point one way and the total excludes zero",
      value: (e) => (e.kind === "total" ? null : e.share_of_total),
      text: (e) => (e.kind === "total" ? "–" : coefficient(e.share_of_total)),
    },
    {
      key: "drawn",
      head: `${level(shown)} % ${of ? `${of} interval` : "interval (delta method)"}`,
      left: true,
      width: "244px",
      value: (e) => range(drawn(e, scale)),
      show: (e) => {
        const { value } = inScale(e, scale);
        const found = drawn(e, scale);
        return (
          <Whisker
            {...{ value, range: found, low, high }}
            label={`${number(value)} ${range(found)}`}
            open={containsZero(found)}
          />
        );
      },
    },
  ];
}

const NONE: never[] = [];

/** Direct, specific indirect, total indirect and total effects, with bootstrap intervals. */
export default function EffectsStation({ model, run }: StationProps) {
  const [pair, setPair] = useState("");
  const [scale, setScale] = useState<Scale>("standardized");
  const found = useEstimates(model).data;
  const { shown } = model;
  const effects = found?.effects ?? NONE;
  const mediation = found?.mediation ?? NONE;
  const groups = useMemo(() => groupsOf(effects, mediation, pair), [effects, mediation, pair]);
  const columns = useMemo(() => (shown ? columnsOf(effects, scale, shown) : []), [effects, scale, shown]);
  if (!model.estimated || !shown || model.paths.length === 0) return <NoEffects model={model} />;
  const pairs = [...new Set(effects.map(pairOf))];
  return (
    <div className="flex h-full flex-col px-4 pt-3">
      <div className="flex items-center gap-4 pb-3">
        <label className="flex items-center gap-2">
          <span className="text-quiet">effects of</span>
          <Choose
            label="Pair of variables"
            className="w-56"
            value={pair}
            set={setPair}
            choices={[{ value: "", words: "all pairs" }, ...pairs.map((value) => ({ value, words: value }))]}
          />
        </label>
        <label className="flex items-center gap-2">
          <span className="text-quiet">in</span>
          <Choose
            label="Scale of the effects"
            className="w-44"
            value={scale}
            set={setScale}
            choices={[
              { value: "standardized", words: "standard deviations (β)" },
              { value: "units", words: "their own units" },
            ]}
          />
        </label>
        <span className="flex-1" />
        <BootstrapControl model={model} run={run} />
      </div>
      <Table
        label="Effects"
        className="flex-1"
        columns={columns}
        groups={groups}
        keyOf={(e) => [e.from, e.to, e.kind, e.via?.join()].join("\u0000")}
        rowTestid={(e) => `effect-${e.from}-${e.to}-${e.kind}`}
        rowClass={(e) => (e.kind === "total" || e.kind === "total indirect" ? "font-semibold" : "")}
        empty={<p className="text-quiet">Fetching…</p>}
      />
      <p className="max-w-3xl pb-4 pt-3 text-sm text-quiet">
        {shown.bootstrap
          ? `From ${shown.bootstrap.used.toLocaleString("en")} resamples of ${shown.n_used} cases (seed ${shown.bootstrap.seed}); ${shown.bootstrap.not_converged} did not converge, ${shown.bootstrap.inadmissible} gave impossible values and are kept. A bootstrap cures neither outliers nor a wrong model, nor a small or unrepresentative sample.`
          : "Delta-method errors are approximate for products of paths, so no verdict rests on them. Bootstrap the model to get intervals that can be reported."}
      </p>
    </div>
  );
}

function NoEffects({ model }: { model: ModelState }) {
  return (
    <NothingYet title="No effects yet">
      {model.estimated
        ? "Effects run along paths. Draw paths between cards on the Model station; an indirect effect needs at least two in a row."
        : "Effects appear once the model can be estimated; the Model station says what is in the way."}
    </NothingYet>
  );
}
