import type { Schemas } from "../client/client";
import { coefficient } from "../shared/numbers";

type Path = Schemas["Compared"]["paths"][number];

/** One scale for all paths, with zero on it and round ticks. */
export function scaleOf(paths: Path[]): { low: number; high: number; ticks: number[] } {
  const values = paths.flatMap((path) => [
    ...path.standardized.filter((value) => value !== null),
    ...path.interval.flatMap((bounds) => bounds ?? []),
  ]);
  const low = Math.floor(Math.min(0, ...values) * 5) / 5;
  const high = Math.ceil(Math.max(0.2, ...values) * 5) / 5;
  const step = high - low > 1.2 ? 0.4 : 0.2;
  const ticks = [];
  for (let i = Math.ceil(low / step - 1e-9); i * step <= high + 1e-9; i++)
    ticks.push(Number((i * step).toFixed(1)));
  return { low, high, ticks };
}

/** How far a value is from the first model's: with its sign, or the same where two decimals do not show it. */
export function gapWords(value: number, first: number | null): string {
  if (first === null) return "";
  const gap = value - first;
  return Math.abs(gap) < 0.005 ? "same" : `${gap < 0 ? "−" : "+"}${coefficient(Math.abs(gap))}`;
}
