import type { Column } from "../client/client";

/** What the values of a column stand for, as “1 = never, 2 = seldom”; null where nothing is known. */
export function valueLabels(column: Column): string | null {
  const known = Object.entries(column.value_labels);
  if (known.length === 0) return null;
  return known
    .sort(([a], [b]) => Number(a) - Number(b))
    .map(([value, label]) => `${value} = ${label}`)
    .join(", ");
}
