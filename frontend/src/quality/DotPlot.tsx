import { Picture } from "../shared/Picture";
import { coefficient } from "../shared/numbers";
import type { Interval } from "../client/client";

export interface Dot {
  value: number | null;
  range?: Interval | null;
  shape?: "round" | "square" | "triangle";
  open?: boolean;
}

export interface DotRow {
  label: string;
  dots: Dot[];
}

const WIDTH = 560;
const NAMES = 190;
const RIGHT = 52;
const LINE = 24;
const TOP = 24;
const SHAPES = {
  round: (x: number, y: number) => `M${x - 4.2} ${y}a4.2 4.2 0 1 0 8.4 0a4.2 4.2 0 1 0 -8.4 0z`,
  square: (x: number, y: number) => `M${x - 3.7} ${y - 3.7}h7.4v7.4h-7.4z`,
  triangle: (x: number, y: number) => `M${x} ${y - 4.6}L${x + 4.6} ${y + 3.8}H${x - 4.6}z`,
};
const FILLS = { round: "fill-lake", square: "fill-indigo", triangle: "fill-gold" };

/** A figure for every row as a dot on one scale, with intervals where they are known and cut-offs as lines. */
export function DotPlot(props: {
  name: string;
  label: string;
  rows: DotRow[];
  cuts: number[];
  zero?: boolean;
  legend?: { shape: NonNullable<Dot["shape"]>; words: string }[];
}) {
  const { name, label, rows, cuts, zero = false, legend = [] } = props;
  const values = rows.flatMap((row) => row.dots.flatMap((dot) => [dot.value ?? 0, ...(dot.range ?? [])]));
  const ends = [
    zero ? Math.min(0, ...values) : Math.max(-1, Math.min(0, ...values)),
    Math.max(zero ? 0.2 : 1, ...values),
  ] as const;
  const room = zero ? 0.04 * (ends[1] - ends[0]) : 0;
  const [low, high] = [ends[0] - room, ends[1] + room];
  const foot = legend.length > 1 ? 44 : 26;
  const height = TOP + LINE * rows.length + foot;
  const x = (value: number) => NAMES + ((value - low) / (high - low)) * (WIDTH - NAMES - RIGHT);
  const bottom = TOP + LINE * rows.length;
  const step = high - low > 1.2 ? 0.5 : high - low > 0.6 ? 0.25 : 0.1;
  const ticks = Array.from({ length: 40 }, (_, i) => step * (Math.ceil(low / step) + i)).filter(
    (tick) => tick <= high + 1e-9,
  );
  return (
    <Picture name={name} label={label} width={WIDTH} height={height}>
      {cuts.map((cut) => (
        <g key={cut}>
          <path
            d={`M${x(cut)} ${TOP - 6}V${bottom}`}
            className="stroke-ember"
            strokeDasharray="4 3"
            strokeWidth={1}
          />
          <text x={x(cut)} y={TOP - 10} textAnchor="middle" fontSize={11} className="fill-ember-deep">
            {coefficient(cut)}
          </text>
        </g>
      ))}
      {zero && <path d={`M${x(0)} ${TOP - 6}V${bottom}`} className="stroke-quiet" strokeWidth={1} />}
      {rows.map((row, i) => {
        const y = TOP + LINE * (i + 0.5);
        return (
          <g key={row.label}>
            <path d={`M${NAMES} ${y}H${WIDTH - RIGHT}`} className="stroke-line" strokeWidth={0.6} />
            <text x={NAMES - 10} y={y + 4} textAnchor="end" fontSize={12.5} className="fill-base-content">
              {row.label.length > 30 ? `${row.label.slice(0, 29)}…` : row.label}
              <title>{row.label}</title>
            </text>
            {row.dots.map((dot, k) => {
              if (dot.value === null) return null;
              const shape = dot.shape ?? "round";
              const [from, to] = dot.range ?? [];
              return (
                <g key={k}>
                  {from !== undefined && to !== undefined && (
                    <path
                      d={`M${x(from)} ${y}H${x(to)}`}
                      className="stroke-indigo"
                      strokeWidth={1.8}
                      strokeDasharray={dot.open ? "4 3" : undefined}
                    />
                  )}
                  <path
                    d={SHAPES[shape](x(dot.value), y + (k > 0 ? 5 : row.dots.length > 1 ? -3 : 0))}
                    className={dot.open ? "fill-base-100 stroke-lake" : FILLS[shape]}
                    strokeWidth={1.4}
                  />
                </g>
              );
            })}
            <text x={WIDTH} y={y + 4} textAnchor="end" fontSize={12.5} className="fill-base-content">
              {coefficient(row.dots[0]?.value)}
            </text>
          </g>
        );
      })}
      {ticks.map((tick) => (
        <text key={tick} x={x(tick)} y={bottom + 15} textAnchor="middle" fontSize={11} className="fill-quiet">
          {coefficient(tick)}
        </text>
      ))}
      {legend.length > 1 &&
        legend.map(({ shape, words }, i) => (
          <g key={words}>
            <path d={SHAPES[shape](NAMES + 6 + 130 * i, bottom + 32)} className={FILLS[shape]} />
            <text x={NAMES + 16 + 130 * i} y={bottom + 36} fontSize={11.5} className="fill-quiet">
              {words}
            </text>
          </g>
        ))}
    </Picture>
  );
}
