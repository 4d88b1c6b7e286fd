import type { Results } from "../api/client";

/** The kind of bootstrap interval that decides, in words. */
export function intervalWords(results: Results): string {
  return results.settings.interval === "bca" ? "BCa" : results.settings.interval;
}

const ERRORS: Record<Results["settings"]["errors"], string> = {
  expected: "expected information",
  observed: "observed information",
  sandwich: "sandwich",
  "satorra-bentler": "Satorra–Bentler",
  bootstrap: "bootstrap",
};

/** Where standard errors come from, in words. */
export function errorsWords(results: Results): string {
  return ERRORS[results.settings.errors];
}
