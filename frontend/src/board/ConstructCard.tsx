import { Handle, Position, type Node, type NodeProps } from "@xyflow/react";
import { useState } from "react";
import metrics from "../../../src/dusk_arrow/figure/card_metrics.json";
import type { Card, Construct } from "../api/client";
import type { Gestures } from "../api/hooks";
import { rename, select, useDesk } from "../model/desk";
import { Glyph } from "../shared/Glyph";
import { coefficient } from "../shared/numbers";
import { Sun } from "./Sun";

export type CardNode = Node<
  {
    construct: Construct | null;
    card: Card;
    stale: boolean;
    gestures: Gestures;
  },
  "card"
>;

const STRIP = { top: 0, height: "100%", width: 12, transform: "none", borderRadius: 6 };

/** A construct (or an observed variable) on the board. */
export function ConstructCard({ data }: NodeProps<CardNode>) {
  const { construct, stale } = data;
  const { name, share: explained } = data.card;
  const kind = construct ? "construct" : "observed";
  const selected = useDesk(({ selection }) => selection?.kind === kind && selection.name === name);
  const renaming = useDesk((desk) => desk.renaming === name);
  const formative = construct?.mode === "formative";
  return (
    <div
      data-card={name}
      className={`group relative h-full rounded-box bg-card shadow-sm ring-1 ${selected ? "ring-2 ring-ember" : "ring-line/50"} ${formative ? "border-l-4 border-double border-l-plum" : ""}`}
      style={{ padding: `0 ${metrics.padding}px` }}
      onClick={() => select({ kind, name })}
    >
      <Handle
        id="left"
        type="source"
        position={Position.Left}
        style={{ ...STRIP, left: -6 }}
        className="hover:!bg-ember/30"
        title="Drag to another card to draw a path"
      />
      <Handle
        id="right"
        type="source"
        position={Position.Right}
        style={{ ...STRIP, right: -6 }}
        className="group-hover:!bg-ember/15 hover:!bg-ember/40"
        title="Drag to another card to draw a path"
      />
      <div
        className="flex items-center"
        style={{ height: construct ? metrics.header : metrics.observedHeight }}
      >
        {renaming && construct ? (
          <NameField name={name} gestures={data.gestures} />
        ) : (
          <button
            className={`min-w-0 flex-1 truncate text-left ${construct ? "font-serif text-[15.5px] font-semibold" : "font-semibold"}`}
            aria-label={`${construct ? "Construct" : "Observed variable"} ${name}`}
            title={name}
            onFocus={() => select({ kind, name })}
            onDoubleClick={() => construct && rename(name)}
          >
            {name}
          </button>
        )}
        <span className={`flex items-end gap-0.5 ${stale ? "opacity-45" : ""}`}>
          <span className="text-right text-xs text-quiet" style={{ width: metrics.sunText }}>
            {explained === null ? "" : coefficient(explained)}
          </span>
          <Sun
            share={explained}
            title={explained === null ? "R² does not apply" : `R² = ${coefficient(explained, 3)}`}
          />
        </span>
      </div>
      {construct && <Rows {...data} construct={construct} />}
    </div>
  );
}

function Rows({ construct, card, stale }: CardNode["data"] & { construct: Construct }) {
  const chosen = useDesk(({ selection }) => (selection?.kind === "indicator" ? selection.name : null));
  const formative = construct.mode === "formative";
  return (
    <>
      {card.rows.map(({ indicator: name, value, verdict, impossible }) => (
        <button
          key={name}
          data-testid={`row-${name}`}
          className={`flex w-full items-center gap-2 rounded-md text-left text-sm hover:bg-base-200 ${chosen === name ? "bg-base-200 font-semibold" : ""}`}
          style={{ height: metrics.row }}
          onClick={(event) => {
            event.stopPropagation();
            select({ kind: "indicator", construct: construct.name, name });
          }}
        >
          <span className="min-w-[26px] max-w-[55%] truncate">{name}</span>
          <Bar value={value} weak={verdict === "misses" || impossible} stale={stale} />
          <span
            className={`flex items-center justify-end gap-1 ${stale ? "opacity-45" : ""}`}
            style={{ width: metrics.value }}
          >
            {impossible ? (
              <span
                className="font-bold text-plum"
                role="img"
                aria-label="impossible: beyond 1"
                title="A loading beyond 1 would explain more than all of the indicator"
              >
                !
              </span>
            ) : (
              (verdict === "misses" || verdict === "borderline") && <Glyph verdict={verdict} size={7} />
            )}
            {coefficient(value)}
          </span>
        </button>
      ))}
      {formative && (
        <div className="text-xs text-quiet" style={{ height: metrics.foot }}>
          made of · weights
        </div>
      )}
      {construct.aside.map(({ indicator }) => (
        <button
          key={indicator}
          className="block w-full rounded-md text-left text-xs text-quiet hover:bg-base-200"
          style={{ height: metrics.foot }}
          onClick={(event) => {
            event.stopPropagation();
            select({ kind: "indicator", construct: construct.name, name: indicator });
          }}
        >
          <s>{indicator}</s> aside
        </button>
      ))}
    </>
  );
}

function Bar({ value, weak, stale }: { value: number | null; weak: boolean; stale: boolean }) {
  const length = Math.min(1, Math.abs(value ?? 0)) * 100;
  const colour = weak ? "bg-plum" : "bg-lake";
  return (
    <span
      aria-hidden="true"
      className={`h-[5px] flex-1 overflow-hidden rounded-full bg-base-300 ${stale ? "opacity-45" : ""}`}
    >
      <span className={`block h-full rounded-full ${colour}`} style={{ width: `${length}%` }} />
    </span>
  );
}

function NameField({ name, gestures }: { name: string; gestures: Gestures }) {
  const [text, setText] = useState(name);
  const keep = () => {
    rename(null);
    const to = text.trim();
    if (to && to !== name) {
      void gestures
        .change([{ type: "rename", name, to }])
        .then((state) => state && select({ kind: "construct", name: to }));
    }
  };
  return (
    <input
      autoFocus
      aria-label={`New name of ${name}`}
      className="nodrag min-w-0 flex-1 rounded bg-base-200 px-1 font-serif text-[15.5px] font-semibold outline-ember"
      value={text}
      onFocus={(event) => event.target.select()}
      onChange={(event) => setText(event.target.value)}
      onBlur={keep}
      onKeyDown={(event) => {
        event.stopPropagation();
        if (event.key === "Enter") keep();
        else if (event.key === "Escape") rename(null);
      }}
    />
  );
}
