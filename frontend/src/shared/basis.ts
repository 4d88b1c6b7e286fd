import type { Interval, Results } from "../api/client";
import type { components } from "../api/schema";

type Boot = components["schemas"]["Bootstrap"];

/** The interval of a bootstrap that decides: percentile unless another was asked for. */
export function deciding(boot: Boot, results: Results): Interval {
  const { interval } = results.settings;
  if (interval === "bca" && boot.bca) return boot.bca;
  return interval === "bias-corrected" ? boot.bias_corrected : boot.percentile;
}

/** The kind of bootstrap interval that decides, in words. */
export function intervalWords(results: Results): string {
  return results.settings.interval === "bca" ? "BCa" : results.settings.interval;
}

const ERRORS: Record<Results["settings"]["errors"], string> = {
  expected: "expected information",
  observed: "observed information",
  sandwich: "sandwich",
  "satorra-bentler": "Satorra–Bentler",
};

/** Where standard errors come from, in words. */
export function errorsWords(results: Results): string {
  return ERRORS[results.settings.errors];
}
