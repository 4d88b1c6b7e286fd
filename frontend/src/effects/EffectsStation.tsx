import { CopyAsReported } from "../shared/CopyAsReported";
import { useState } from "react";
import type { ModelState } from "../client/client";
import { useEstimates } from "../api/hooks";
import { useKeys } from "../shared/keys";
import type { StationProps } from "../shared/station";
import { NothingYet, TextButton } from "../shared/controls";
import { AllPairs } from "./AllPairs";
import { BootstrapControl } from "./BootstrapControl";
import { Hypotheses } from "./Hypotheses";
import { OnePair } from "./OnePair";
import { telling } from "./routes";
import { resampleWords } from "../shared/numbers";
import type { Scale } from "./scale";

const NONE: never[] = [];

/** What one variable does to another: every route with its effect, what they come to, and what was expected. */
export default function EffectsStation({ project, model, gestures, run }: StationProps) {
  const [from_, to_] = model.view.effect ?? [];
  const [chosen, setChosen] = useState(from_ && to_ ? { source: from_, target: to_ } : null);
  const choose = (pair: { source: string; target: string }) => {
    setChosen(pair);
    void gestures.look({ effect: [pair.source, pair.target] });
  };
  const [all, showAll] = useState(false);
  const [scale, setScale] = useState<Scale>("standardized");
  const found = useEstimates(model).data;
  const { shown } = model;
  const effects = found?.effects ?? NONE;
  const mediation = found?.mediation ?? NONE;
  const focus = (label: string) => () =>
    document.querySelector<HTMLElement>(`select[aria-label="${label}"]`)?.focus();
  useKeys({ source: focus("Source"), outcome: focus("Outcome"), difference: focus("The other route") });
  if (!model.estimated || !shown || model.paths.length === 0) return <NoEffects model={model} />;
  const has = (source: string, target: string) => effects.some((e) => e.from === source && e.to === target);
  const expected = (found?.hypotheses ?? []).map((one) => one.route);
  const pair = chosen && has(chosen.source, chosen.target) ? chosen : telling(effects, expected);
  const sources = lastOf(model.controls, [...new Set(effects.map((e) => e.from))]);
  const targets = [...new Set(effects.map((e) => e.to))];
  const own = effects.filter((e) => e.from === pair?.source && e.to === pair.target);
  const pairs = new Set(effects.map((e) => `${e.from}\u0000${e.to}`)).size;
  const from = (source: string) => {
    const target = pair && has(source, pair.target) ? pair.target : targets.find((t) => has(source, t));
    if (target) choose({ source, target });
  };
  return (
    <div className="flex h-full flex-col px-4 pt-2">
      <h1 className="sr-only">Effects</h1>
      <div className="flex flex-wrap items-center gap-x-2.5 gap-y-1 pb-2">
        {all || !pair ? (
          <h2 className="font-serif text-[19px] font-semibold">What everything does to everything</h2>
        ) : (
          <div className="flex items-baseline gap-2.5" role="group" aria-label="What does what">
            <span className="text-quiet">what</span>
            <select
              className="cursor-pointer border-b border-quiet bg-transparent font-serif text-[20px] font-semibold"
              aria-label="Source"
              value={pair.source}
              onChange={(event) => from(event.target.value)}
            >
              {sources.map((name) => (
                <option key={name} value={name}>
                  {name}
                </option>
              ))}
            </select>
            <span className="text-quiet">does to</span>
            <select
              className="cursor-pointer border-b border-quiet bg-transparent font-serif text-[20px] font-semibold"
              aria-label="Outcome"
              value={pair.target}
              onChange={(event) => choose({ source: pair.source, target: event.target.value })}
            >
              {targets
                .filter((name) => name !== pair.source)
                .map((name) => (
                  <option
                    key={name}
                    value={name}
                    disabled={!has(pair.source, name)}
                    title={has(pair.source, name) ? "" : "no route leads there"}
                  >
                    {name}
                  </option>
                ))}
            </select>
          </div>
        )}
        <span className="text-sm">
          <span className="font-semibold">{pairs}</span>{" "}
          <span className="text-quiet" title="pairs of variables with a route between them">
            {pairs === 1 ? "pair" : "pairs"}
          </span>{" "}
          <CopyAsReported
            model={model}
            table={effects.some((one) => one.kind === "total indirect") ? "effects" : "paths"}
          />{" "}
          {pairs > 1 && (
            <TextButton onClick={() => showAll(!all)}>{all ? "one pair" : "all pairs"}</TextButton>
          )}
        </span>
        <span className="flex-1" />
        <BootstrapControl {...{ model, run, scale, setScale }} cases={project.data_kind !== "matrix"} />
      </div>
      <Hypotheses
        stated={found?.hypotheses ?? []}
        look={(one) => {
          showAll(false);
          choose({ source: one.route[0] ?? "", target: one.route[one.route.length - 1] ?? "" });
        }}
      />
      {all || !pair ? (
        <AllPairs {...{ effects, mediation, scale, shown }} />
      ) : (
        <OnePair
          key={`${pair.source}\u0000${pair.target}`}
          {...{ project, model, gestures, shown, scale }}
          effects={own}
          mediation={mediation.find((m) => m.from === pair.source && m.to === pair.target)}
        />
      )}
      <p className="max-w-5xl pb-2 pt-1 text-sm text-quiet">
        {shown.bootstrap
          ? `From ${resampleWords(shown)} of ${shown.n_used} cases (seed ${shown.bootstrap.seed}); ${shown.bootstrap.not_converged} did not converge, ${shown.bootstrap.inadmissible} gave impossible values and are kept.${shown.bootstrap.used < 1000 ? " Below 1,000 resamples the bounds are rough." : ""}${shown.transient ? " They follow the last change by themselves and are not stored: press Bootstrap for those of the paper." : ""} A bootstrap cures neither outliers nor a wrong model, nor a small or unrepresentative sample.`
          : found?.monte_carlo
            ? `A matrix has no cases to resample. Intervals are those of ${found.monte_carlo.draws.toLocaleString("en")} draws of the estimates from their joint distribution (Monte-Carlo; MacKinnon, Lockwood & Williams 2004), by the seed of the settings.`
            : "Delta-method errors are approximate for products of paths, so no verdict rests on them. Bootstrap the model to get intervals that can be reported."}
      </p>
    </div>
  );
}

/** Names with some of them put last. */
function lastOf(some: string[], names: string[]): string[] {
  return [...names.filter((name) => !some.includes(name)), ...names.filter((name) => some.includes(name))];
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
