import { useState, type PointerEvent } from "react";
import type { Schemas } from "../api/client";
import type { FigureOptions } from "./figures";
import { PX, TEXT_WIDTH } from "./paper";

/** Handles over the shapes of a figure: a shape that is dragged stays where it is put, and so do all others. */
export function HandPlaced(props: {
  block: Schemas["FigureBlock"];
  options: FigureOptions;
  set: (options: FigureOptions) => void;
  zoom: number;
}) {
  const { block, options, set, zoom } = props;
  const [held, hold] = useState<{ name: string; x: number; y: number; dx: number; dy: number } | null>(null);
  const drop = () => {
    if (held && Math.hypot(held.dx, held.dy) > 2) {
      const unit = block.unit * PX * zoom * shrunk(block.width) || 1;
      const places = Object.fromEntries(
        block.shapes.map(({ name, place }) => {
          const [x = 0, y = 0] = place;
          const by: [number, number] = name === held.name ? [held.dx / unit, held.dy / unit] : [0, 0];
          return [name, [x + by[0], y + by[1]] as [number, number]];
        }),
      );
      set({ ...options, places });
    }
    hold(null);
  };
  const follow = (event: PointerEvent) =>
    held && hold({ ...held, dx: event.clientX - held.x, dy: event.clientY - held.y });
  return (
    <div className="absolute inset-0" aria-hidden>
      {block.shapes.map((shape) => {
        const own = held?.name === shape.name ? held : null;
        return (
          <div
            key={shape.name}
            title={`Drag ${shape.name} to where it should stand`}
            className={`absolute cursor-move rounded-[50%] hover:outline-2 hover:outline-(--color-primary)/50 ${own ? "bg-(--color-primary)/15" : ""}`}
            style={{
              left: `${(100 * shape.x) / block.width}%`,
              top: `${(100 * shape.y) / block.height}%`,
              width: `${(100 * shape.width) / block.width}%`,
              height: `${(100 * shape.height) / block.height}%`,
              transform: own ? `translate(${own.dx / zoom}px, ${own.dy / zoom}px)` : undefined,
            }}
            onPointerDown={(event) => {
              event.currentTarget.setPointerCapture(event.pointerId);
              hold({ name: shape.name, x: event.clientX, y: event.clientY, dx: 0, dy: 0 });
            }}
            onPointerMove={follow}
            onPointerUp={drop}
          />
        );
      })}
    </div>
  );
}

/** How much smaller a figure is shown than it is printed, where it is wider than the page. */
const shrunk = (width: number) => Math.min(1, TEXT_WIDTH / width);
