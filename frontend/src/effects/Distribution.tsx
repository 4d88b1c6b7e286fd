import type { Effect, Shown } from "../client/client";
import { Picture } from "../shared/Picture";
import { ticksOf } from "./routes";
import { inScale, writing, type Scale } from "./scale";

const WIDTH = 560;
const HEIGHT = 190;
const BASE = 128;

/** The bootstrap distribution of one effect, with the bounds of every kind of interval under it. */
export function Distribution({ effect, scale, shown }: { effect: Effect; scale: Scale; shown: Shown }) {
  const { value, boot, draws, distribution } = inScale(effect, scale);
  const { number, range } = writing(scale);
  const title = [effect.from, ...(effect.via ?? []), effect.to].join(" › ");
  const name =
    effect.via === null ? `${title}: ${effect.kind === "total" ? "total" : "all indirect"}` : title;
  if (!boot || !distribution) {
    return (
      <div>
        <h2 className="font-serif text-[15px] font-semibold">{name}</h2>
        <p className="text-sm text-quiet">
          {shown.bootstrap
            ? "It is the same in every resample, so there is no distribution."
            : draws
              ? "Without cases there are no resamples; the interval is of draws of the estimates."
              : "Its distribution appears with a bootstrap."}
        </p>
      </div>
    );
  }
  const { low, high, counts } = distribution;
  const [left, right] = [Math.min(low, 0), Math.max(high, 0)];
  const x = (v: number) => 8 + ((v - left) / (right - left)) * (WIDTH - 16);
  const top = Math.max(...counts);
  const step = (high - low) / counts.length;
  const [from, to] = boot.headline;
  const inside = (at: number) => at >= (from ?? -Infinity) && at <= (to ?? Infinity);
  const total = counts.reduce((a, b) => a + b, 0);
  const beyond = Math.round(((boot.p_value ?? 1) * (boot.n_used + 1)) / 2) - 1;
  const bounds = [
    { words: "percentile", ends: boot.percentile, className: "stroke-ember" },
    { words: "bias-corrected", ends: boot.bias_corrected, className: "stroke-lake" },
    ...(boot.bca ? [{ words: "BCa", ends: boot.bca, className: "stroke-plum" }] : []),
  ];
  const rows = BASE + 20 + 17 * bounds.length;
  return (
    <div>
      <h2 className="font-serif text-[15px] font-semibold">{name}</h2>
      <p className="text-sm text-quiet">
        {number(value)} in the sample · bootstrap SE {number(boot.se)} · bias {number(boot.bias)} ·{" "}
        {(value ?? 0) >= 0
          ? `${beyond <= 0 ? "none" : beyond.toLocaleString("en")} of ${total.toLocaleString("en")} at or below zero`
          : `${beyond <= 0 ? "none" : beyond.toLocaleString("en")} of ${total.toLocaleString("en")} at or above zero`}
      </p>
      <Picture
        name={name}
        label={`Bootstrap distribution of ${name}`}
        width={WIDTH}
        height={Math.max(HEIGHT, rows)}
      >
        {counts.map((count, i) => {
          const begin = low + i * step;
          const tall = (count / top) * (BASE - 14);
          return (
            <rect
              key={i}
              x={x(begin) + 0.5}
              y={BASE - tall}
              width={Math.max(0.5, x(begin + step) - x(begin) - 1)}
              height={tall}
              className="fill-ember"
              fillOpacity={inside(begin + step / 2) ? 0.85 : 0.35}
            />
          );
        })}
        <path d={`M8 ${BASE}H${WIDTH - 8}`} className="stroke-quiet" strokeWidth={0.8} />
        <path d={`M${x(0)} 6V${BASE}`} className="stroke-gold" strokeWidth={1.4} />
        <path d={`M${x(value ?? 0)} 6V${BASE}`} className="stroke-base-content" strokeWidth={1.2} />
        {ticksOf(left, right).map((tick) => (
          <text key={tick} x={x(tick)} y={BASE + 13} textAnchor="middle" fontSize={11} className="fill-quiet">
            {tick === 0 ? "0" : writing(scale, 2).number(tick)}
          </text>
        ))}
        {bounds.map(({ words, ends, className }, i) => {
          const y = BASE + 27 + 17 * i;
          const [a, b] = [x(ends[0] ?? 0), x(ends[1] ?? 0)];
          const room = b < WIDTH - 84;
          return (
            <g key={words}>
              <path
                d={`M${a} ${y - 4}V${y + 4}M${a} ${y}H${b}M${b} ${y - 4}V${y + 4}`}
                className={`${className} fill-none`}
                strokeWidth={1.6}
              />
              <text
                x={a > 96 ? a - 6 : b + 6}
                y={y + 4}
                textAnchor={a > 96 ? "end" : "start"}
                fontSize={11.5}
                className="fill-base-content"
              >
                {words}
              </text>
              {(a > 96 ? room : b < WIDTH - 200) && (
                <text x={a > 96 ? b + 6 : b + 96} y={y + 4} fontSize={11.5} className="fill-quiet">
                  {range(ends)}
                </text>
              )}
            </g>
          );
        })}
      </Picture>
    </div>
  );
}
