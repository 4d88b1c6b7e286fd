import type { Effect, Parameter } from "../client/client";
import { headline } from "../shared/headline";
import { coefficient, containsZero, plain } from "../shared/numbers";
import { stationsOf } from "./routes";
import type { Scale } from "./scale";

export const CHAIN = 500;
const LEFT = 58;

/** How far stations are apart. */
export function stride(order: string[]): number {
  return order.length > 1 ? (CHAIN - 2 * LEFT) / (order.length - 1) : CHAIN;
}

/** Where the stations stand, from left to right. */
export function places(order: string[]): Map<string, number> {
  return new Map(order.map((name, at) => [name, LEFT + at * stride(order)]));
}

/** A route as a chain that stops at its mediators: thick where a path is strong, dashed where its interval holds zero. */
export function Chain(props: {
  effect: Effect;
  order: string[];
  parameters: Parameter[];
  scale: Scale;
  selected: boolean;
}) {
  const { effect, order, parameters, scale, selected } = props;
  const at = places(order);
  const stations = stationsOf(effect);
  const y = 17;
  const colour = selected ? "stroke-ember" : "stroke-indigo";
  const fill = selected ? "fill-ember" : "fill-indigo";
  return (
    <svg width={CHAIN} height={34} aria-hidden="true" className="block">
      {stations.slice(0, -1).map((from, i) => {
        const to = stations[i + 1] ?? "";
        const path = parameters.find((p) => p.kind === "path" && p.from === from && p.to === to);
        const [a, b] = [(at.get(from) ?? 0) + 7, (at.get(to) ?? 0) - 7];
        const value = scale === "standardized" ? path?.standardized : path?.estimate;
        const text = scale === "standardized" ? coefficient(value) : plain(value);
        const room = 7 * text.length + 8;
        const narrow = b - a < room + 14;
        const middle = (a + b) / 2;
        const wide = 1 + 3 * Math.min(1, Math.abs(path?.standardized ?? 0));
        const bounds = path ? headline(path) : null;
        const dash = containsZero(bounds) ? "5 4" : undefined;
        return (
          <g key={from + to}>
            <path
              d={
                narrow
                  ? `M${a} ${y}H${b - 6}`
                  : `M${a} ${y}H${middle - room / 2}M${middle + room / 2} ${y}H${b - 6}`
              }
              className={colour}
              strokeWidth={wide}
              strokeDasharray={dash}
            />
            <path d={`M${b} ${y}l-8 -4.5v9z`} className={fill} />
            {!narrow && (
              <text
                x={middle}
                y={y + 4}
                textAnchor="middle"
                className="fill-base-content text-[12.5px] font-semibold"
              >
                {text}
              </text>
            )}
          </g>
        );
      })}
      {stations.map((name, i) => (
        <circle
          key={name}
          cx={at.get(name)}
          cy={y}
          r={i === 0 || i === stations.length - 1 ? 4.6 : 3.8}
          className={i === 0 || i === stations.length - 1 ? "fill-gold" : "fill-base-100 stroke-base-content"}
          strokeWidth={1.4}
        />
      ))}
    </svg>
  );
}
