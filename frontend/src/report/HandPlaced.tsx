import { useState, type PointerEvent } from "react";
import type { Schemas } from "../client/client";
import type { FigureOptions } from "../desk/figures";
import { PX } from "./paper";

type Place = [number, number];

interface Held {
  key: string;
  x: number;
  y: number;
  dx: number;
  dy: number;
}

/** Handles over the shapes and labels of a figure: a shape that is dragged stays where it is put, and so do all others; a label
 * stays at that distance from the middle of its line. */
export function HandPlaced(props: {
  block: Schemas["FigureBlock"];
  options: FigureOptions;
  set: (options: FigureOptions) => void;
  zoom: number;
  shrunk: number;
}) {
  const { block, options, set, zoom, shrunk } = props;
  const [held, hold] = useState<Held | null>(null);
  const unit = block.unit * PX * zoom * shrunk || 1;
  const moved = (place: number[], by: Held): Place => [
    (place[0] ?? 0) + by.dx / unit,
    (place[1] ?? 0) + by.dy / unit,
  ];
  const dropShape = (by: Held) => {
    const places = Object.fromEntries(
      block.shapes.map(({ name, place }) => [name, name === by.key ? moved(place, by) : (place as Place)]),
    );
    set({ ...options, places });
  };
  const dropLabel = (by: Held) => {
    const label = block.labels.find((one) => one.key === by.key);
    if (label) {
      set({ ...options, label_places: { ...options.label_places, [by.key]: moved(label.place, by) } });
    }
  };
  const handle = (
    key: string,
    box: { x: number; y: number; width: number; height: number },
    drop: (by: Held) => void,
    words: string,
    round: string,
  ) => {
    const own = held?.key === key ? held : null;
    return (
      <div
        key={key}
        title={words}
        data-handle={key}
        className={`absolute cursor-move ${round} hover:outline-2 hover:outline-(--color-primary)/50 ${own ? "bg-(--color-primary)/15" : ""}`}
        style={{
          left: `${(100 * box.x) / block.width}%`,
          top: `${(100 * box.y) / block.height}%`,
          width: `${(100 * box.width) / block.width}%`,
          height: `${(100 * box.height) / block.height}%`,
          transform: own ? `translate(${own.dx / zoom}px, ${own.dy / zoom}px)` : undefined,
        }}
        onPointerDown={(event) => {
          event.currentTarget.setPointerCapture(event.pointerId);
          hold({ key, x: event.clientX, y: event.clientY, dx: 0, dy: 0 });
        }}
        onPointerMove={(event: PointerEvent) =>
          own && hold({ ...own, dx: event.clientX - own.x, dy: event.clientY - own.y })
        }
        onPointerUp={() => {
          if (own && Math.hypot(own.dx, own.dy) > 2) drop(own);
          hold(null);
        }}
      />
    );
  };
  return (
    <div className="absolute inset-0" aria-hidden>
      {block.shapes.map((shape) =>
        handle(shape.name, shape, dropShape, `Drag ${shape.name} to where it should stand`, "rounded-[50%]"),
      )}
      {block.labels.map((label) =>
        handle(label.key, label, dropLabel, "Drag it to where it should stand", "rounded-sm"),
      )}
    </div>
  );
}
