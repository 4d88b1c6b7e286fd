import type { Change, ModelState, Schemas, Step } from "../client/client";
import { useWhatIf } from "../api/hooks";
import { telling } from "./basis";
import { coefficient, plain, pWords } from "./numbers";

const NONE: Schemas["Choose"][] = [];
const NO_STEPS: Step[] = [];
const OF_INDICATORS = ["set_aside", "take_back", "replace_indicators"];

/** What a change would do, computed by refitting before it is made. */
export function WhatIf({
  model,
  question,
  changes,
  settings = NONE,
  steps = NO_STEPS,
}: {
  model: ModelState;
  question: string;
  changes: Change[];
  settings?: Schemas["Choose"][] | undefined;
  steps?: Step[] | undefined;
}) {
  const found = useWhatIf(model, changes, settings, steps);
  if (!model.estimated) return null;
  const result = found.data;
  const now = new Map(model.readout.map((figure) => [figure.key, figure.text]));
  // A path touches the measures of a construct only by rounding; an indicator is one of them.
  const aboutIndicators = changes.some((change) => OF_INDICATORS.includes(change.type));
  const lost = result?.n_used !== undefined && result.n_used !== model.shown?.n_used;
  return (
    <section className="my-3 rounded-box bg-base-200 px-3 py-2.5" aria-label="What if" data-testid="what-if">
      <h3 className="font-semibold">{question}</h3>
      {!result && <p className="text-quiet">{found.isLoadingError ? found.error.message : "Refitting…"}</p>}
      {result && !result.estimated && <p>{result.message}</p>}
      {result?.estimated && (
        <div className="text-sm leading-5">
          {result.df_difference !== null && result.df_difference !== 0 && (
            <p>
              Δχ² = {plain(result.chi_square_difference, 1)}, Δdf = {plain(result.df_difference, 0)}
              {result.p_value === null ? ": not to be tested" : `, ${pWords(result.p_value)}`}
            </p>
          )}
          {telling(result.readout).map((figure) => (
            <p key={figure.key}>
              {figure.label} {now.get(figure.key)} → {figure.text}
            </p>
          ))}
          {aboutIndicators &&
            result.quality.map((change) => (
              <p key={change.construct}>
                {change.construct}: AVE {coefficient(change.ave_now)} → {coefficient(change.ave_then)},
                composite reliability {coefficient(change.composite_reliability_now)} →{" "}
                {coefficient(change.composite_reliability_then)}
              </p>
            ))}
          {steps.length > 0 ? (
            <p>The data would be others, so χ² cannot be compared.</p>
          ) : (
            lost && <p>n would be {result.n_used}, so χ² cannot be compared.</p>
          )}
        </div>
      )}
    </section>
  );
}
