import type { Effect, ModelState } from "../client/client";
import type { Gestures } from "../api/gestures";
import { useEstimates } from "../api/hooks";
import { Action } from "../shared/controls";
import { stationsOf } from "./routes";

const SIGNS = [
  { sign: "positive", words: "positive" },
  { sign: "negative", words: "negative" },
  { sign: "nonzero", words: "not zero" },
] as const;

function quoted(name: string): string {
  return /^[\p{L}\p{N}_]+$/u.test(name) ? name : `"${name.replaceAll('"', '""')}"`;
}

/** The first label that no hypothesis has yet. */
export function freeLabel(known: string[]): string {
  for (let i = 1; ; i++) if (!known.includes(`H${i}`)) return `H${i}`;
}

/** The sentence that states an expectation on a route. */
export function expectation(route: string[], sign: string, label: string): string {
  return `expect ${route.map(quoted).join(" > ")} ${sign} as ${label}`;
}

/** What is expected of the selected route, stated by one click; a sentence of the model from then on. */
export function Expecting({
  model,
  gestures,
  effect,
}: {
  model: ModelState;
  gestures: Gestures;
  effect: Effect;
}) {
  const stated = useEstimates(model).data?.hypotheses ?? [];
  if (effect.via === null) return null;
  const route = stationsOf(effect);
  const own = stated.find((h) => h.route.join("\u0000") === route.join("\u0000"));
  if (own) return null;
  const label = freeLabel(stated.map((h) => h.label));
  return (
    <div className="mt-3">
      <p className="text-sm text-quiet">expect this route, as {label}, to be</p>
      <p className="mt-1 flex gap-2">
        {SIGNS.map(({ sign, words }) => (
          <Action
            key={sign}
            size="xs"
            onClick={() =>
              void gestures.change([{ type: "add_sentence", sentence: expectation(route, sign, label) }])
            }
          >
            {words}
          </Action>
        ))}
      </p>
    </div>
  );
}
