import type { Interval, Parameter } from "../client/client";

/** The interval beside a standardized estimate: the bootstrap's headline where there is one, else from its error. */
export function headline(parameter: Parameter): Interval | null {
  return parameter.standardized_bootstrap?.headline ?? parameter.standardized_interval;
}
