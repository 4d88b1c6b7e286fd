import type { Effect, Interval } from "../client/client";
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
        draws: effect.standardized_monte_carlo,
        distribution: effect.standardized_distribution,
      }
    : {
        value: effect.estimate,
        se: effect.se,
        fromError: effect.interval,
        boot: effect.bootstrap,
        draws: effect.monte_carlo,
        distribution: effect.distribution,
      };
}

/** The interval that is drawn for an effect: the bootstrap's headline, of a matrix by draws, else by the delta method. */
export function drawn(effect: Effect, scale: Scale): Interval | null {
  const { boot, draws, fromError } = inScale(effect, scale);
  return boot?.headline ?? draws ?? fromError ?? null;
}

/** Whether that interval decides: what comes by the delta method never does. */
export function decides(effect: Effect, scale: Scale): boolean {
  const { boot, draws } = inScale(effect, scale);
  return Boolean(boot ?? draws);
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
  none: "no mediation",
};
