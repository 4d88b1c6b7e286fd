import { EdgeLabelRenderer, getBezierPath, useStore, type Edge, type EdgeProps } from "@xyflow/react";
import type { BoardArrow } from "../api/client";
import { select, useDesk } from "../model/desk";
import { coefficient, containsZero, interval } from "../shared/numbers";

export type PathEdge = Edge<{ arrow: BoardArrow; stale: boolean }, "path">;

/** A path: thick as |β|, dashed where the interval contains zero, with its label where the layout put it. */
export function PathArrow(props: EdgeProps<PathEdge>) {
  const { source, target, data } = props;
  const selected = useDesk(
    ({ selection }) =>
      selection?.kind === "path" && selection.source === source && selection.target === target,
  );
  const moving = useStore((s) =>
    Boolean(s.nodeLookup.get(source)?.dragging || s.nodeLookup.get(target)?.dragging),
  );
  if (!data) return null;
  const { arrow, stale } = data;
  const { standardized: beta, interval: bounds } = arrow;
  const width = 1.3 + 6 * Math.min(1, Math.abs(beta ?? 0.1));
  const dashed = !arrow.free || containsZero(bounds);
  const [loose] = getBezierPath(props);
  const d = moving ? loose : arrow.path;
  const colour = selected ? "stroke-ember" : "stroke-arrow";
  const choose = () => select({ kind: "path", source, target });
  const head = 6 + width * 0.7;
  return (
    <>
      <path
        d={d}
        fill="none"
        stroke="transparent"
        strokeWidth={16}
        className="cursor-pointer"
        onClick={choose}
      />
      <path
        d={d}
        fill="none"
        strokeWidth={dashed ? Math.min(width, 2) : width}
        strokeDasharray={dashed ? "5 4" : undefined}
        className={`pointer-events-none ${colour} ${stale ? "opacity-40" : ""}`}
      />
      {!moving && (
        <path
          d={`M0 0L${-head - 3} ${head * 0.62}L${-head - 3} ${-head * 0.62}Z`}
          transform={`translate(${arrow.head_x} ${arrow.head_y}) rotate(${arrow.head_angle})`}
          className={`pointer-events-none ${selected ? "fill-ember" : "fill-arrow"} ${stale ? "opacity-40" : ""}`}
        />
      )}
      {!moving && (
        <EdgeLabelRenderer>
          <button
            className={`nodrag nopan pointer-events-auto absolute flex flex-col items-center justify-center rounded-lg leading-none ${selected ? "bg-card ring-1 ring-ember" : "bg-(--board-top) hover:bg-card"}`}
            style={{
              transform: `translate(${arrow.label.x}px, ${arrow.label.y}px)`,
              width: arrow.label.width,
              height: arrow.label.height,
            }}
            data-testid={`path-${source}-${target}`}
            aria-label={`Path from ${source} to ${target}: ${coefficient(beta)} ${interval(bounds)}`}
            onClick={choose}
            onFocus={choose}
          >
            <span className={`text-[14.5px] font-semibold ${stale ? "opacity-45" : ""}`}>
              {coefficient(beta)}
            </span>
            {bounds && (
              <span className={`mt-0.5 text-[10.5px] text-quiet ${stale ? "opacity-45" : ""}`}>
                {interval(bounds)}
              </span>
            )}
          </button>
        </EdgeLabelRenderer>
      )}
    </>
  );
}
