import type { Schemas } from "../client/client";
import { plain, pWords } from "../shared/numbers";

type Case = Schemas["DistancePart"];

const WIDTH = 600;
const HEIGHT = 170;
const LEFT = 34;
const FOOT = 18;
const MOST = 1500;

/** Cases sorted by their distance: what matters is a jump at the right end, more than any cut-off. */
export function DistancePlot(props: {
  cases: Case[];
  cutOff: number | null;
  chosen: Set<number>;
  choose: (one: number) => void;
}) {
  const { cases, cutOff, chosen, choose } = props;
  // Beyond some hundred points the inner ones fall on each other; the far end is always drawn whole.
  const step = Math.max(1, Math.ceil(cases.length / MOST));
  const points = cases
    .map((one, index) => ({ ...one, rank: cases.length - index }))
    .filter((_, index) => index < 50 || index % step === 0);
  const top = Math.max(cases[0]?.d2 ?? 1, cutOff ?? 0) * 1.08;
  const x = (rank: number) => LEFT + (rank / cases.length) * (WIDTH - LEFT - 12);
  const y = (d2: number) => HEIGHT - FOOT - (d2 / top) * (HEIGHT - FOOT - 8);
  const ticks = [0, 0.5, 1].map((share) => share * top);
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      className="w-full"
      role="group"
      aria-label={`Distances of ${cases.length} complete cases; the farthest is case ${cases[0]?.case} with ${plain(cases[0]?.d2)}`}
    >
      {ticks.map((tick) => (
        <g key={tick}>
          <path d={`M${LEFT} ${y(tick)}H${WIDTH - 8}`} className="stroke-line/60" strokeWidth="0.8" />
          <text x={LEFT - 5} y={y(tick) + 4} textAnchor="end" fontSize="10.5" className="fill-quiet">
            {plain(tick, 0)}
          </text>
        </g>
      ))}
      {cutOff !== null && (
        <>
          <path
            d={`M${LEFT} ${y(cutOff)}H${WIDTH - 8}`}
            className="stroke-ember"
            strokeWidth="1"
            strokeDasharray="5 4"
          />
          <text x={LEFT + 4} y={y(cutOff) - 4} fontSize="10.5" className="fill-ember">
            expected of one case in a thousand: {plain(cutOff, 1)}
          </text>
        </>
      )}
      {points.map((one) => (
        <circle
          key={one.case}
          cx={x(one.rank)}
          cy={y(one.d2)}
          r={chosen.has(one.case) ? 5 : cutOff !== null && one.d2 > cutOff ? 3.4 : 2.2}
          className={`cursor-pointer outline-none focus-visible:stroke-base-content ${chosen.has(one.case) ? "fill-plum stroke-base-content" : cutOff !== null && one.d2 > cutOff ? "fill-ember" : "fill-arrow"}`}
          tabIndex={cutOff !== null && one.d2 > cutOff ? 0 : -1}
          role="checkbox"
          aria-checked={chosen.has(one.case)}
          aria-label={`Case ${one.case}, d² ${plain(one.d2)}`}
          onClick={() => choose(one.case)}
          onKeyDown={(event) => (event.key === " " || event.key === "Enter") && choose(one.case)}
        >
          <title>{`case ${one.case}: d² = ${plain(one.d2)}, ${pWords(one.p_value)}`}</title>
        </circle>
      ))}
      {cases[0] && (
        <text
          x={x(cases.length) - 7}
          y={y(cases[0].d2) + 3}
          textAnchor="end"
          fontSize="10.5"
          className="fill-base-content"
        >
          case {cases[0].case}
        </text>
      )}
      <text x={LEFT} y={HEIGHT - 4} fontSize="10.5" className="fill-quiet">
        nearest
      </text>
      <text x={WIDTH - 8} y={HEIGHT - 4} textAnchor="end" fontSize="10.5" className="fill-quiet">
        farthest
      </text>
    </svg>
  );
}
