import { PX } from "./paper";

const HIGH = 16;

/** Millimetres over the page, from its left margin on. */
export function Ruler({ zoom, margin, width }: { zoom: number; margin: number; width: number }) {
  const at = (mm: number) => (margin + mm) * PX * zoom;
  const ticks = Array.from({ length: Math.floor(width / 10) + 1 }, (_, i) => 10 * i);
  return (
    <svg height={HIGH} width={at(width + margin)} className="block text-quiet" aria-hidden>
      {ticks.map((mm) => (
        <g key={mm}>
          <line x1={at(mm)} x2={at(mm)} y1={mm % 50 ? HIGH - 4 : HIGH - 8} y2={HIGH} stroke="currentColor" />
          {mm % 50 === 0 && (
            <text x={at(mm) + 3} y={HIGH - 5} fontSize={10} fill="currentColor">
              {mm}
            </text>
          )}
        </g>
      ))}
    </svg>
  );
}
