import type { Interval, Shown } from "../client/client";

/** A standardized figure without its leading zero, with a true minus sign; an en dash where there is none. */
export function coefficient(value: number | null | undefined, decimals = 2): string {
  if (value === null || value === undefined) return "–";
  const rounded = Math.abs(value).toFixed(decimals);
  const text = Number(rounded) < 1 ? rounded.slice(1) : rounded;
  return value < 0 && Number(rounded) !== 0 ? `−${text}` : text;
}

/** A number in its own units, with a true minus sign. */
export function plain(value: number | null | undefined, decimals = 2): string {
  if (value === null || value === undefined) return "–";
  const rounded = Math.abs(value).toFixed(decimals);
  return value < 0 && Number(rounded) !== 0 ? `−${rounded}` : rounded;
}

/** A p-value: never in scientific notation. So many resamples cannot tell anything smaller than 2/(R + 1), which is said. */
export function pValue(value: number | null | undefined, resamples?: number): string {
  if (value === null || value === undefined) return "–";
  if (resamples !== undefined && value >= 0.001 && value <= (2 / (resamples + 1)) * (1 + 1e-9))
    return `≤ ${coefficient(value, 3)}`;
  return value < (resamples === undefined ? 0.0005 : 0.001) ? "< .001" : coefficient(value, 3);
}

/** The same after the letter p, as in “p = .02” and “p < .001”. */
export function pWords(value: number | null | undefined, resamples?: number): string {
  const text = pValue(value, resamples);
  return /^[<≤–]/.test(text) ? `p ${text}` : `p = ${text}`;
}

/** The ends of a range in words, since a dash between negative numbers reads as one of them. */
export function ends(low: number | null, high: number | null): string {
  const trim = (value: number | null) =>
    value === null ? "" : plain(value, Number.isInteger(value) ? 0 : 2);
  return low === null || high === null ? "" : `${trim(low)} to ${trim(high)}`;
}

const MOST_DECIMALS = 8;

/** With how many decimals bounds tell on which side of zero each lies: none that is not zero may look like it. */
function telling(bounds: Interval, decimals: number): number {
  let places = decimals;
  while (places < MOST_DECIMALS && bounds.some((x) => x !== 0 && Number(x.toFixed(places)) === 0)) places++;
  return places;
}

export function interval(bounds: Interval | null | undefined, decimals = 2): string {
  if (!bounds) return "";
  const places = telling(bounds, decimals);
  return `[${coefficient(bounds[0], places)}, ${coefficient(bounds[1], places)}]`;
}

export function plainInterval(bounds: Interval | null | undefined, decimals = 2): string {
  if (!bounds) return "–";
  const places = telling(bounds, decimals);
  return `[${plain(bounds[0], places)}, ${plain(bounds[1], places)}]`;
}

export function containsZero(bounds: Interval | null | undefined): boolean {
  const [low, high] = bounds ?? [];
  return low !== undefined && high !== undefined && low <= 0 && high >= 0;
}

/** How many resamples figures rest on, and of how many where those are not all. */
export function resampleWords({ bootstrap, so_far, transient }: Shown) {
  if (!bootstrap) return "no resamples";
  const used = bootstrap.used.toLocaleString("en");
  if (transient) return `${used} quick resamples`;
  if (!so_far && !bootstrap.stopped) return `${used} resamples`;
  return `${used} of ${bootstrap.requested.toLocaleString("en")} resamples ${so_far ? "so far" : "(stopped)"}`;
}

/** A statistic as its entry in the registry says: shares without their leading zero. */
export function written(
  criterion: { form: "share" | "plain" | "count" | "p"; decimals: number },
  value: number | null | undefined,
): string {
  if (criterion.form === "p") return pValue(value);
  return criterion.form === "share"
    ? coefficient(value, criterion.decimals)
    : plain(value, criterion.decimals);
}
