import { useMemo } from "react";
import type { Effect, Schemas, Shown } from "../client/client";
import { level } from "../shared/basis";
import { coefficient, containsZero, pValue } from "../shared/numbers";
import { Table, type TableColumn, type TableGroup } from "../shared/Table";
import { decides, drawn, inScale, KIND_WORDS, writing, type Scale } from "./scale";
import { Whisker } from "./Whisker";

type Mediation = Schemas["MediationPart"];

function reach(effect: Effect, scale: Scale): number[] {
  const { value } = inScale(effect, scale);
  return drawn(effect, scale) ?? (value === null ? [] : [value]);
}

function pairOf(effect: { from: string; to: string }): string {
  return `${effect.from} → ${effect.to}`;
}

/** The effects of each pair; a path alone is its own total, and saying so twice would only take room. */
function groupsOf(effects: Effect[], mediation: Mediation[]): TableGroup<Effect>[] {
  return [...new Set(effects.map(pairOf))].map((pair) => {
    const found = effects.filter((effect) => pairOf(effect) === pair);
    const kind = mediation.find((one) => pairOf(one) === pair);
    return {
      key: pair,
      heading: (
        <PairHeading pair={pair} mediation={kind} answered={found.some((e) => decides(e, "standardized"))} />
      ),
      rows: found.length === 2 ? found.slice(0, 1) : found,
    };
  });
}

/** A pair with the kind of mediation, or, once intervals are there, with why it has none. */
function PairHeading(props: { pair: string; mediation: Mediation | undefined; answered: boolean }) {
  const { pair, mediation, answered } = props;
  return (
    <div className="pb-0.5 pt-3.5">
      <span className="font-serif text-[15px] font-semibold">{pair}</span>
      {mediation && (mediation.kind ?? answered) && (
        <span className="ml-3" data-testid={`mediation-${mediation.from}-${mediation.to}`}>
          {mediation.kind && KIND_WORDS[mediation.kind]}
          <span className="text-quiet">
            {mediation.kind && ": "}
            {mediation.reason}
            {mediation.share_mediated !== null && `; share mediated ${coefficient(mediation.share_mediated)}`}
          </span>
        </span>
      )}
    </div>
  );
}

function columnsOf(effects: Effect[], scale: Scale, shown: Shown): TableColumn<Effect>[] {
  const { number, range } = writing(scale);
  const boot = (effect: Effect) => inScale(effect, scale).boot;
  const bounds = effects.flatMap((effect) => reach(effect, scale));
  const [low, high] = [Math.min(0, ...bounds), Math.max(0, ...bounds)];
  const of = shown.bootstrap ? shown.interval_words : "";
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
      text: (e) => (boot(e) ? pValue(boot(e)?.p_value, boot(e)?.n_used) : "–"),
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

/** Every effect of every pair in one table. */
export function AllPairs(props: { effects: Effect[]; mediation: Mediation[]; scale: Scale; shown: Shown }) {
  const { effects, mediation, scale, shown } = props;
  const groups = useMemo(() => groupsOf(effects, mediation), [effects, mediation]);
  const columns = useMemo(() => columnsOf(effects, scale, shown), [effects, scale, shown]);
  return (
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
  );
}
