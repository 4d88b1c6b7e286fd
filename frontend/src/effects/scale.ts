import type { Effect, Interval } from "../api/client";
import { coefficient, interval, plain, plainInterval } from "../shared/numbers";

export type Scale = "standardized" | "units";

/** An effect in the scale that is looked at; one row never mixes two. */
export function inScale(effect: Effect, scale: Scale) {
  return scale === "standardized"
    ? {
        value: effect.standardized,
        se: effect.standardized_se,
        fromError: effect.standardized_interval,
        boot: effect.standardized_bootstrap,
        distribution: effect.standardized_distribution,
      }
    : {
        value: effect.estimate,
        se: effect.se,
        fromError: effect.interval,
        boot: effect.bootstrap,
        distribution: effect.distribution,
      };
}

/** The interval that is drawn for an effect: the bootstrap's headline, else by the delta method. */
export function drawn(effect: Effect, scale: Scale): Interval | null {
  const { boot, fromError } = inScale(effect, scale);
  return boot?.headline ?? fromError ?? null;
}

/** Numbers and intervals as the scale has them. */
export function writing(scale: Scale, decimals = 3) {
  return {
    number: (x: number | null | undefined) =>
      scale === "standardized" ? coefficient(x, decimals) : plain(x, decimals),
    range: (bounds: Interval | null | undefined) =>
      bounds
        ? scale === "standardized"
          ? interval(bounds, decimals)
          : plainInterval(bounds, decimals)
        : "–",
  };
}

export const KIND_WORDS: Record<string, string> = {
  complementary: "complementary mediation (“partial”)",
  competitive: "competitive mediation",
  "indirect-only": "indirect-only mediation (“full”)",
  "direct-only": "direct effect only, no mediation",
  none: "no effect",
};
