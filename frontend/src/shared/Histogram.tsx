import type { Column } from "../client/client";

/** A small histogram of a column's answers; nothing for texts with many values. */
export function Histogram({ column }: { column: Pick<Column, "name" | "histogram" | "categories"> }) {
  const counts = column.histogram;
  if (counts.length === 0) return null;
  const top = Math.max(...counts, 1);
  const width = Math.min(9, 84 / counts.length);
  return (
    <svg
      width={84}
      height={16}
      role="img"
      aria-label={`Distribution of ${column.name}: ${counts.join(", ")}`}
      className="block"
    >
      {counts.map((count, at) => (
        <rect
          key={at}
          x={at * width}
          y={15 - (14 * count) / top}
          width={width - 1}
          height={(14 * count) / top + 0.6}
          className="fill-arrow"
        />
      ))}
    </svg>
  );
}
