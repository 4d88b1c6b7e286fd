import type { Interval } from "../client/client";

const WIDTH = 220;

interface Props {
  value: number | null;
  range: Interval | null;
  low: number;
  high: number;
  open: boolean;
  label: string;
}

/** An effect with its interval on the zero line that all rows share. */
export function Whisker({ value, range, low, high, open, label }: Props) {
  const span = high - low || 1;
  const at = (x: number) => 6 + ((x - low) / span) * (WIDTH - 12);
  const [from, to] = range ?? [];
  if (value === null) return null;
  return (
    <svg width={WIDTH} height="16" role="img" aria-label={label}>
      <title>{label}</title>
      <path d={`M${at(0)} 0V16`} className="stroke-line" strokeWidth="1.2" />
      {from !== undefined && to !== undefined && (
        <path
          d={`M${at(from)} 8H${at(to)}`}
          className={open ? "stroke-arrow" : "stroke-indigo"}
          strokeWidth={open ? 1.4 : 2.2}
          strokeDasharray={open ? "4 3" : undefined}
        />
      )}
      <circle
        cx={at(value)}
        cy="8"
        r="3.6"
        className={open ? "fill-base-100 stroke-arrow" : "fill-ember stroke-ember"}
        strokeWidth="1.4"
      />
    </svg>
  );
}
