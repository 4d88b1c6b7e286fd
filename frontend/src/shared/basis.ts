import type { Parameter, ReadoutFigure, Shown } from "../client/client";

/** The level of intervals, in percent. */
export function level(shown: Shown): number {
  return Math.round(100 * (shown.settings.level ?? 0.95));
}

/** Where an interval comes from, in words. */
export function basis(parameter: Parameter, shown: Shown): string {
  const percent = `${level(shown)} %`;
  if (!shown.traits.errors && !parameter.standardized_bootstrap) {
    return "no interval without a bootstrap (Effects)";
  }
  return parameter.standardized_bootstrap
    ? `${percent} ${shown.interval_words} bootstrap, ${shown.bootstrap?.used.toLocaleString("en")} resamples`
    : `${percent} from the standard error (${shown.errors_words})`;
}

const TELLING = ["cfi", "rmsea", "srmr", "lowest_ave", "highest_htmt"];

/** The two or three figures that tell revisions apart, whichever family they are of. */
export function telling(readout: ReadoutFigure[]): ReadoutFigure[] {
  const found = readout.filter((figure) => TELLING.includes(figure.key) && figure.value !== null);
  return found.some((figure) => figure.key === "cfi") ? found.slice(0, 2) : found;
}
