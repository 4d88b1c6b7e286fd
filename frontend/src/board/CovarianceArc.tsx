import { EdgeLabelRenderer, useStore, type Edge, type EdgeProps } from "@xyflow/react";
import type { BoardArc } from "../client/client";
import { select, useDesk, type Labels } from "../desk/desk";
import { coefficient, containsZero, plain } from "../shared/numbers";

export type ArcEdge = Edge<{ arc: BoardArc; stale: boolean; labelled: boolean }, "arc">;

/** What stands at a line: standardized or in the columns' own units. */
export function lineText(
  line: { standardized: number | null; estimate: number | null },
  labels: Labels,
): string {
  return labels.standardized
    ? coefficient(line.standardized, labels.decimals)
    : plain(line.estimate, labels.decimals);
}

/** A covariance: thin, with two heads, dashed where its interval contains zero or it is held. */
export function CovarianceArc({ data }: EdgeProps<ArcEdge>) {
  const labels = useDesk((desk) => desk.labels);
  const selected = useDesk(
    ({ selection }) =>
      selection?.kind === "covariance" &&
      data !== undefined &&
      selection.first === data.arc.from &&
      selection.second === data.arc.to,
  );
  const moving = useStore((s) => Boolean(data?.arc.cards.some((name) => s.nodeLookup.get(name)?.dragging)));
  if (!data || moving) return null;
  const { arc, stale, labelled } = data;
  const choose = () => select({ kind: "covariance", first: arc.from, second: arc.to });
  const tone = selected ? "ember" : "arrow";
  const faded = stale ? "opacity-40" : "";
  return (
    <>
      <path
        d={arc.path}
        fill="none"
        stroke="transparent"
        strokeWidth={12}
        className="cursor-pointer"
        onClick={choose}
      />
      <path
        d={arc.path}
        fill="none"
        strokeWidth={1.3}
        strokeDasharray={!arc.free || containsZero(arc.interval) ? "4 3" : undefined}
        className={`pointer-events-none ${tone === "ember" ? "stroke-ember" : "stroke-arrow"} ${faded}`}
      />
      {arc.heads.map((head) => (
        <path
          key={`${head.x} ${head.y}`}
          d="M0 0L-7 3.2L-7 -3.2Z"
          transform={`translate(${head.x} ${head.y}) rotate(${head.angle})`}
          className={`pointer-events-none ${tone === "ember" ? "fill-ember" : "fill-arrow"} ${faded}`}
        />
      ))}
      {labelled && (
        <EdgeLabelRenderer>
          <button
            className={`nodrag nopan pointer-events-auto absolute rounded-md text-[11.5px] leading-none ${selected ? "bg-card ring-1 ring-ember" : "bg-(--board-top) text-quiet hover:bg-card"}`}
            style={{
              transform: `translate(${arc.label.x}px, ${arc.label.y}px)`,
              width: arc.label.width,
              height: arc.label.height,
            }}
            data-testid={`covariance-${arc.from}-${arc.to}`}
            aria-label={`${arc.kind === "residual" ? "Residuals of " : ""}${arc.from} and ${arc.to} covary: ${lineText(arc, labels)}`}
            onClick={choose}
            onFocus={(event) => event.currentTarget.matches(":focus-visible") && choose()}
          >
            <span className={stale ? "opacity-45" : ""}>{lineText(arc, labels)}</span>
          </button>
        </EdgeLabelRenderer>
      )}
    </>
  );
}
