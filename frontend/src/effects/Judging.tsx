import type { Effect, Schemas } from "../client/client";
import { Choose } from "../shared/controls";
import { coefficient, containsZero, interval, pWords } from "../shared/numbers";
import { Table } from "../shared/Table";
import { stationsOf } from "./routes";
import { drawn, inScale, KIND_WORDS, writing, type Scale } from "./scale";
import { Whisker } from "./Whisker";

/** What kind of mediation the pair shows, by which rule, and the share that is mediated where that means something. */
export function Kind(props: {
  mediation: Schemas["MediationPart"] | undefined;
  effects: Effect[];
  scale: Scale;
}) {
  const { mediation, effects, scale } = props;
  const { number } = writing(scale, 2);
  const of = (kind: Effect["kind"]) => effects.find((e) => e.kind === kind);
  const [direct, indirect, total] = [of("direct"), of("total indirect"), of("total")];
  if (!mediation || !indirect) {
    return (
      <>
        <p className="text-sm text-quiet">kind of mediation</p>
        <p>No mediator between them: the direct effect is the whole of it.</p>
      </>
    );
  }
  const value = (effect: Effect | undefined) => (effect ? inScale(effect, scale).value : null);
  const opposed = direct && (value(direct) ?? 0) * (value(indirect) ?? 0) < 0;
  const why = opposed
    ? `direct ${number(value(direct))} and indirect ${number(value(indirect))} point different ways, so a share would say nothing.`
    : !direct
      ? "without a tested direct effect there is nothing to be a share of."
      : !mediation.kind
        ? "a share waits for an interval."
        : mediation.kind === "none" || mediation.kind === "direct-only"
          ? "there is no mediation, so nothing is shared."
          : total && containsZero(drawn(total, scale))
            ? "the total effect could be zero, so a share of it would say nothing."
            : "a share would say nothing here.";
  return (
    <>
      <p className="text-sm text-quiet">kind of mediation</p>
      {mediation.kind ? (
        <>
          <h2
            className="font-serif text-[18px] font-semibold first-letter:uppercase"
            data-testid={`mediation-${mediation.from}-${mediation.to}`}
          >
            {KIND_WORDS[mediation.kind]}
          </h2>
          <p className="text-sm first-letter:uppercase">{mediation.reason}.</p>
          <p className="text-sm text-quiet">
            Rule: Zhao, Lynch & Chen 2010, by the direct and the total indirect effect.
          </p>
        </>
      ) : (
        <p
          className="text-sm first-letter:uppercase"
          data-testid={`unnamed-${mediation.from}-${mediation.to}`}
        >
          {mediation.reason}.
        </p>
      )}
      <p className="mt-2 text-sm text-quiet">share mediated</p>
      <p className="text-sm">
        {mediation.share_mediated === null ? (
          `– ${why}`
        ) : (
          <>
            <span className="font-semibold">{coefficient(mediation.share_mediated)}</span>{" "}
            {mediation.share_bootstrap && (
              <span className="tabular-nums" data-testid="share-interval">
                {interval(mediation.share_bootstrap.headline, 2)}{" "}
              </span>
            )}
            <span className="text-quiet">of the total effect; shares vary much from sample to sample.</span>
          </>
        )}
      </p>
    </>
  );
}

/** The stepwise tradition (Baron & Kenny 1986) as a table of the one model; it decides nothing. */
export function Steps({ effects, pair, scale }: { effects: Effect[]; pair: Effect[]; scale: Scale }) {
  const first = pair[0];
  if (!first) return null;
  const { number, range } = writing(scale, 2);
  const mediators = [...new Set(pair.flatMap((e) => e.via ?? []))];
  const find = (from: string, to: string, kind: Effect["kind"]) =>
    effects.find((e) => e.from === from && e.to === to && e.kind === kind);
  const lines = [
    { words: `${first.from} → ${first.to}, in total`, effect: find(first.from, first.to, "total") },
    ...mediators.flatMap((name) => [
      { words: `${first.from} → ${name}`, effect: find(first.from, name, "total") },
      { words: `${name} → ${first.to}`, effect: find(name, first.to, "total") },
    ]),
    { words: `${first.from} → ${first.to}, direct`, effect: find(first.from, first.to, "direct") },
  ];
  return (
    <Table
      className="mt-1 text-sm tabular-nums"
      label="The steps one by one"
      fixed
      rows={lines}
      keyOf={(line) => line.words}
      columns={[
        { key: "step", head: "", heads: true, left: true, value: (line) => line.words },
        {
          key: "effect",
          head: "",
          value: ({ effect }) => (effect ? number(inScale(effect, scale).value) : "not in it"),
        },
        {
          key: "interval",
          head: "",
          className: "text-quiet",
          value: ({ effect }) => (effect ? range(drawn(effect, scale)) : ""),
        },
      ]}
    />
  );
}

/** Do two routes differ? Their difference with its interval. */
export function Contrast(props: {
  differences: Schemas["RouteDifferencePart"][];
  first: Effect;
  second: Effect;
  others: Effect[];
  choose: (effect: Effect) => void;
  scale: Scale;
}) {
  const { differences, first, second, others, choose, scale } = props;
  const names = (effect: Effect) => stationsOf(effect).join(" › ");
  const same = (route: string[], effect: Effect) => route.join(" › ") === names(effect);
  const found = differences.find((d) => same(d.a, first) && same(d.b, second));
  const turned = differences.find((d) => same(d.b, first) && same(d.a, second));
  const known = found ?? turned;
  const sign = found ? 1 : -1;
  const { number, range } = writing(scale);
  const value = known && sign * (scale === "standardized" ? known.standardized : known.estimate);
  const boot = known && (scale === "standardized" ? known.standardized_bootstrap : known.bootstrap);
  const [a, b] = boot?.headline ?? [];
  const bounds = a === undefined || b === undefined ? null : sign === 1 ? [a, b] : [-b, -a];
  const away = bounds !== null && !containsZero(bounds);
  const reach = [0, value ?? 0, ...(bounds ?? [])];
  return (
    <div data-testid="contrast">
      <p className="text-sm text-quiet">do two routes differ?</p>
      {known && value !== undefined && bounds ? (
        <>
          <h2 className="font-serif text-[18px] font-semibold">
            {away ? "They differ" : "Not to be told apart"}
          </h2>
          <Whisker
            value={value}
            range={bounds}
            low={Math.min(...reach)}
            high={Math.max(...reach)}
            open={!away}
            label={`${number(value)} ${range(bounds)}`}
          />
          <p className="text-sm tabular-nums">
            <span className="font-semibold">{number(value)}</span> {range(bounds)},{" "}
            {pWords(boot?.p_value, boot?.n_used)}
          </p>
        </>
      ) : (
        <p className="text-sm">
          {first.monte_carlo ? "Without cases there is no answer." : "A bootstrap tells whether they do."}
        </p>
      )}
      <p className="mt-1 text-sm text-quiet">The selected route less</p>
      <Choose
        label="The other route"
        size="xs"
        className="w-full max-w-72"
        value={names(second)}
        set={(wanted) => {
          const other = others.find((e) => names(e) === wanted);
          if (other) choose(other);
        }}
        choices={others.map((e) => ({
          value: names(e),
          words: e.via?.length ? `through ${e.via.join(" › ")}` : "the direct path",
        }))}
      />
    </div>
  );
}
