import type { Parameter, ReadoutFigure, Shown } from "../client/client";

/** The kind of bootstrap interval that decides, in words. */
export function intervalWords(shown: Shown): string {
  return shown.settings.interval === "bca" ? "BCa" : (shown.settings.interval ?? "percentile");
}

const ERRORS: Record<NonNullable<Shown["settings"]["errors"]>, string> = {
  expected: "expected information",
  observed: "observed information",
  sandwich: "sandwich",
  "satorra-bentler": "Satorra–Bentler",
  bootstrap: "bootstrap",
};

/** Where standard errors come from, in words; composites have none but the bootstrap's. */
export function errorsWords(shown: Shown): string {
  if (!shown.traits.errors) return "bootstrap";
  return ERRORS[shown.settings.errors ?? "expected"];
}

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
    ? `${percent} ${intervalWords(shown)} bootstrap, ${shown.bootstrap?.used.toLocaleString("en")} resamples`
    : `${percent} from the standard error (${errorsWords(shown)})`;
}

const TELLING = ["cfi", "rmsea", "srmr", "lowest_ave", "highest_htmt"];

/** The two or three figures that tell revisions apart, whichever family they are of. */
export function telling(readout: ReadoutFigure[]): ReadoutFigure[] {
  const found = readout.filter((figure) => TELLING.includes(figure.key) && figure.value !== null);
  return found.some((figure) => figure.key === "cfi") ? found.slice(0, 2) : found;
}
