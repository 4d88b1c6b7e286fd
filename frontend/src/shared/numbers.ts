import type { Interval, Shown } from "../api/client";

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

/** A p-value: never in scientific notation. */
export function pValue(value: number | null | undefined): string {
  if (value === null || value === undefined) return "–";
  return value < 0.0005 ? "< .001" : coefficient(value, 3);
}

/** The same after the letter p, as in “p = .02” and “p < .001”. */
export function pWords(value: number | null | undefined): string {
  const text = pValue(value);
  return text.startsWith("<") || text === "–" ? `p ${text}` : `p = ${text}`;
}

/** The ends of a range in words, since a dash between negative numbers reads as one of them. */
export function ends(low: number | null, high: number | null): string {
  const trim = (value: number | null) =>
    value === null ? "" : plain(value, Number.isInteger(value) ? 0 : 2);
  return low === null || high === null ? "" : `${trim(low)} to ${trim(high)}`;
}

export function interval(bounds: Interval | null | undefined, decimals = 2): string {
  return bounds ? `[${coefficient(bounds[0], decimals)}, ${coefficient(bounds[1], decimals)}]` : "";
}

export function plainInterval(bounds: Interval | null | undefined, decimals = 2): string {
  return bounds ? `[${plain(bounds[0], decimals)}, ${plain(bounds[1], decimals)}]` : "–";
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
