import type { Interval, Parameter, Results } from "../api/client";

/** The interval beside a standardized estimate: the bootstrap's headline where there is one, else from its error. */
export function headline(parameter: Parameter, results: Results): Interval | null {
  const drawn = parameter.standardized_bootstrap;
  if (drawn) return results.settings.interval === "percentile" ? drawn.percentile : drawn.bias_corrected;
  return parameter.standardized_interval;
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

/** Where an interval comes from, in words. */
export function basis(parameter: Parameter, results: Results): string {
  const level = `${results.settings.level * 100} %`;
  return parameter.standardized_bootstrap
    ? `${level} ${results.settings.interval} bootstrap, ${results.bootstrap_summary?.used.toLocaleString("en")} resamples`
    : `${level} from the standard error (${errorsWords(results)})`;
}
