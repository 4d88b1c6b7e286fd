import type { Criterion, Verdict } from "../client/client";

/** The verdict of the criteria sheet on an unrounded figure, with the composite reliability beside it where that matters. */
export function judge(
  criterion: Criterion | undefined,
  value: number | null | undefined,
  reliability?: number | null,
): Verdict {
  if (
    !criterion ||
    value === null ||
    value === undefined ||
    criterion.good === null ||
    criterion.better === "none"
  ) {
    return "none";
  }
  const sign = criterion.better === "higher" ? 1 : -1;
  const within = (bound: number) => sign * value > sign * bound || (value === bound && !criterion.strict);
  if (within(criterion.good)) return "meets";
  const allowed = criterion.if_reliable === null || (reliability ?? 0) > criterion.if_reliable;
  if (allowed && criterion.tolerable !== null && within(criterion.tolerable)) return "borderline";
  return "misses";
}

export const VERDICT_WORDS: Record<Verdict, string> = {
  meets: "meets the criterion",
  borderline: "borderline",
  misses: "misses the criterion",
  none: "no verdict",
};
