import { useMemo, useState, type KeyboardEvent } from "react";
import type { Schemas } from "../client/client";
import { Action } from "./controls";
import { coefficient, plain } from "./numbers";

type Matrix = Schemas["Matrix"];

const SIZE = 440;
const NAMES = 58;

/** The matrix with columns in an order in which each stands next to the ones it correlates with most: groups are joined
 * by their average |r|, the closest first. */
function inClusters(matrix: Matrix): Matrix {
  const strength = (i: number, j: number) => Math.abs(matrix.values[i]?.[j] ?? 0);
  let groups = matrix.rows.map((_, at) => [at]);
  while (groups.length > 1) {
    let best = { a: 0, b: 1, value: -1 };
    for (let a = 0; a < groups.length; a++) {
      for (let b = a + 1; b < groups.length; b++) {
        const [left, right] = [groups[a] ?? [], groups[b] ?? []];
        let sum = 0;
        for (const i of left) for (const j of right) sum += strength(i, j);
        const value = sum / (left.length * right.length);
        if (value > best.value) best = { a, b, value };
      }
    }
    const joined = [...(groups[best.a] ?? []), ...(groups[best.b] ?? [])];
    groups = [...groups.filter((_, at) => at !== best.a && at !== best.b), joined];
  }
  const order = groups[0] ?? [];
  const names = order.map((at) => matrix.rows[at] ?? "");
  const values = order.map((i) => order.map((j) => matrix.values[i]?.[j] ?? null));
  return { rows: names, columns: names, values };
}

/** Correlations as a triangle of squares: the stronger the fuller, lake for positive, plum for negative. */
export function HeatMap({ matrix: given, full = 1 }: { matrix: Matrix; full?: number }) {
  const [clustered, setClustered] = useState(false);
  const matrix = useMemo(() => (clustered ? inClusters(given) : given), [given, clustered]);
  const [at, setAt] = useState<{ i: number; j: number } | null>(null);
  const count = matrix.rows.length;
  const cell = Math.min(20, (SIZE - NAMES) / count);
  const size = NAMES + cell * count;
  const names = cell >= 8;
  const over = at && {
    row: matrix.rows[at.i] ?? "",
    column: matrix.columns[at.j] ?? "",
    value: matrix.values[at.i]?.[at.j] ?? null,
  };
  const walk = (event: KeyboardEvent) => {
    const step = { ArrowDown: [1, 0], ArrowUp: [-1, 0], ArrowRight: [0, 1], ArrowLeft: [0, -1] }[event.key];
    if (!step) return;
    event.preventDefault();
    const i = Math.max(1, Math.min(count - 1, (at?.i ?? 1) + (at ? (step[0] ?? 0) : 0)));
    const j = Math.max(0, Math.min(i - 1, (at?.j ?? 0) + (at ? (step[1] ?? 0) : 0)));
    setAt({ i, j });
  };
  return (
    <div className="relative">
      <svg
        viewBox={`0 0 ${size} ${cell * count + 6}`}
        style={{ width: size }}
        className="max-w-full"
        role="img"
        tabIndex={0}
        aria-label={
          over
            ? `${over.column} with ${over.row}: ${full > 1 ? plain(over.value) : coefficient(over.value)}`
            : `Correlations of ${count} columns; arrow keys walk through them`
        }
        onKeyDown={walk}
        onMouseLeave={() => setAt(null)}
      >
        {matrix.rows.map((row, i) => (
          <g key={row}>
            {names && (
              <text
                x={NAMES - 5}
                y={cell * (i + 0.5) + 3.5}
                textAnchor="end"
                fontSize={Math.min(11, cell - 1)}
                className="fill-quiet"
              >
                {row.length > 9 ? `${row.slice(0, 8)}…` : row}
              </text>
            )}
            {matrix.columns.slice(0, i).map((column, j) => {
              const value = matrix.values[i]?.[j] ?? null;
              return (
                <rect
                  key={column}
                  x={NAMES + cell * j}
                  y={cell * i}
                  width={cell - 0.7}
                  height={cell - 0.7}
                  fillOpacity={value === null ? 0 : Math.max(0.05, Math.min(1, Math.abs(value) / full))}
                  onMouseEnter={() => setAt({ i, j })}
                  className={`${value !== null && value < 0 ? "fill-plum" : "fill-lake"} ${at?.i === i && at.j === j ? "stroke-ember stroke-2" : ""}`}
                />
              );
            })}
          </g>
        ))}
      </svg>
      <Action size="xs" className="mt-1" aria-pressed={clustered} onClick={() => setClustered(!clustered)}>
        {clustered ? "In file order" : "Alike next to alike"}
      </Action>
      <div className="pointer-events-none absolute right-0 top-0 w-44 text-right text-sm">
        {over ? (
          <p>
            {over.column} with {over.row}
            <span className="block text-[19px] font-semibold">
              {full > 1 ? plain(over.value) : coefficient(over.value)}
            </span>
          </p>
        ) : (
          <p className="text-quiet">
            Point at a square, or walk with the arrow keys, for its value. Fuller is stronger;{" "}
            <span className="text-lake">positive</span>, <span className="text-plum">negative</span>.
          </p>
        )}
      </div>
    </div>
  );
}
