import type { Interval, Parameter, Results } from "../api/client";
import { errorsWords, intervalWords } from "../shared/basis";

/** The interval beside a standardized estimate: the bootstrap's headline where there is one, else from its error. */
export function headline(parameter: Parameter): Interval | null {
  return parameter.standardized_bootstrap?.headline ?? parameter.standardized_interval;
}

/** Where an interval comes from, in words. */
export function basis(parameter: Parameter, results: Results): string {
  const level = `${results.settings.level * 100} %`;
  return parameter.standardized_bootstrap
    ? `${level} ${intervalWords(results)} bootstrap, ${results.bootstrap_summary?.used.toLocaleString("en")} resamples`
    : `${level} from the standard error (${errorsWords(results)})`;
}
