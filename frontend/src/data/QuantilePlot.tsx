import type { Schemas } from "../client/client";
import { plain } from "../shared/numbers";

type Case = Schemas["DistancePart"];
const WIDTH = 600;
const HEIGHT = 190;
const LEFT = 34;
const FOOT = 30;

/** The χ² quantile by Wilson and Hilferty (1931), near enough for a plot. */
function quantile(share: number, df: number): number {
  const z = normal(share);
  const spread = 2 / (9 * df);
  return df * (1 - spread + z * Math.sqrt(spread)) ** 3;
}

/** The normal quantile (Abramowitz & Stegun 26.2.23, error below 4.5e-4). */
function normal(share: number): number {
  const tail = Math.min(share, 1 - share);
  const t = Math.sqrt(-2 * Math.log(tail));
  const z =
    t -
    (2.515517 + 0.802853 * t + 0.010328 * t * t) / (1 + 1.432788 * t + 0.189269 * t * t + 0.001308 * t ** 3);
  return share < 0.5 ? -z : z;
}

/** Distances against what they would be in multivariate normal data: on the line, all is well. */
export function QuantilePlot({ cases, total, df }: { cases: Case[]; total: number; df: number }) {
  const step = Math.max(1, Math.ceil(cases.length / 700));
  const points = cases
    .map((one, index) => ({
      case: one.case,
      d2: one.d2,
      expected: quantile((total - index - 0.5) / total, df),
    }))
    .filter((_, index) => index < 60 || index % step === 0);
  const right = Math.max(...points.map((p) => p.expected), 1) * 1.04;
  const top = Math.max(points[0]?.d2 ?? 1, right) * 1.04;
  const x = (value: number) => LEFT + (value / right) * (WIDTH - LEFT - 12);
  const y = (value: number) => HEIGHT - FOOT - (value / top) * (HEIGHT - FOOT - 8);
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      className="mb-3 w-full"
      role="img"
      aria-label={`Distances of ${cases.length} cases against the quantiles of χ² with ${df} degrees of freedom`}
    >
      <path
        d={`M${x(0)} ${y(0)}L${x(right)} ${y(right)}`}
        className="stroke-ember"
        strokeWidth="1"
        strokeDasharray="5 4"
      />
      {[0, 0.5, 1].map((share) => (
        <g key={share}>
          <text x={LEFT - 5} y={y(share * top) + 4} textAnchor="end" fontSize="10.5" className="fill-quiet">
            {plain(share * top, 0)}
          </text>
          <text
            x={x(share * right)}
            y={HEIGHT - FOOT + 13}
            textAnchor={share === 1 ? "end" : "middle"}
            fontSize="10.5"
            className="fill-quiet"
          >
            {plain(share * right, 0)}
          </text>
        </g>
      ))}
      {points.map((one) => (
        <circle key={one.case} cx={x(one.expected)} cy={y(one.d2)} r={2.2} className="fill-arrow">
          <title>{`case ${one.case}: d² = ${plain(one.d2)}, expected ${plain(one.expected)}`}</title>
        </circle>
      ))}
      <text x={WIDTH - 8} y={HEIGHT - 3} textAnchor="end" fontSize="10.5" className="fill-quiet">
        expected of normal data; on the line, all is well
      </text>
    </svg>
  );
}
