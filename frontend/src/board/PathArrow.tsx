import { EdgeLabelRenderer, getBezierPath, useStore, type Edge, type EdgeProps } from "@xyflow/react";
import type { BoardArrow } from "../client/client";
import { isSelected, select, selectMore, useDesk } from "../desk/desk";
import { containsZero, interval } from "../shared/numbers";
import { lineText } from "./CovarianceArc";

export type PathEdge = Edge<{ arrow: BoardArrow; stale: boolean; brief: boolean }, "path">;

/** A path: thick as |β|, dashed where the interval contains zero, with its label where the layout put it. */
export function PathArrow(props: EdgeProps<PathEdge>) {
  const { source, target, data } = props;
  const labels = useDesk((desk) => desk.labels);
  const selected = useDesk((desk) => isSelected(desk, { kind: "path", source, target }));
  const moving = useStore((s) =>
    Boolean(s.nodeLookup.get(source)?.dragging || s.nodeLookup.get(target)?.dragging),
  );
  if (!data) return null;
  const { arrow, stale, brief } = data;
  const { standardized: beta, interval: bounds } = arrow;
  const [loose] = getBezierPath(props);
  const d = moving ? loose : arrow.path;
  const faded = stale ? "opacity-40" : "";
  if (arrow.kind === "loading") {
    // What a construct of constructs shows in: its loading stands on its card.
    return (
      <>
        <path d={d} fill="none" strokeWidth={1.2} className={`pointer-events-none stroke-arrow ${faded}`} />
        {!moving && <Head arrow={arrow} size={6} selected={false} faded={faded} />}
      </>
    );
  }
  const width = 1.3 + 6 * Math.min(1, Math.abs(beta ?? 0.1));
  const dashed = !arrow.free || containsZero(bounds);
  const colour = selected ? "stroke-ember" : arrow.control ? "stroke-quiet/55" : "stroke-arrow";
  const choose = (event: { shiftKey?: boolean; ctrlKey?: boolean }) =>
    (event.shiftKey || event.ctrlKey ? selectMore : select)({ kind: "path", source, target });
  const text = lineText(arrow, labels);
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
        className={`pointer-events-none ${colour} ${faded}`}
      />
      {!moving && <Head arrow={arrow} size={6 + width * 0.7} selected={selected} faded={faded} />}
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
            aria-label={`Path from ${source} to ${target}: ${text} ${interval(bounds)}`}
            onClick={choose}
            onFocus={(event) =>
              event.currentTarget.matches(":focus-visible") &&
              !useDesk.getState().group.length &&
              select({ kind: "path", source, target })
            }
          >
            <span
              className={`${arrow.control && !selected ? "text-[12.5px] text-quiet" : "text-[14.5px] font-semibold"} ${stale ? "opacity-45" : ""}`}
            >
              {text}
              {arrow.equal && <sup className="ml-0.5 font-normal text-quiet">={arrow.equal}</sup>}
            </span>
            {labels.intervals && labels.standardized && !brief && bounds && (
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

function Head(props: { arrow: BoardArrow; size: number; selected: boolean; faded: string }) {
  const { arrow, size, selected, faded } = props;
  return (
    <path
      d={`M0 0L${-size - 3} ${size * 0.62}L${-size - 3} ${-size * 0.62}Z`}
      transform={`translate(${arrow.head_x} ${arrow.head_y}) rotate(${arrow.head_angle})`}
      className={`pointer-events-none ${selected ? "fill-ember" : arrow.control ? "fill-quiet/55" : "fill-arrow"} ${faded}`}
    />
  );
}
