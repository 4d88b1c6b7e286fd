import { Handle, Position, type Node, type NodeProps } from "@xyflow/react";
import { ChevronDown, ChevronUp } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import metrics from "../../../src/dusk_arrow/figure/card_metrics.json";
import type { Card, Construct } from "../client/client";
import type { Gestures } from "../api/gestures";
import type { ColumnsInHand, ItemsInHand } from "../desk/columns";
import { focusOn, isSelected, rename, select, selectMore, useDesk } from "../desk/desk";
import { usePlace } from "../shared/Dragging";
import { coefficient } from "../shared/numbers";
import { CardRows, dropItems, walkRows } from "./CardRows";
import { Sun } from "./Sun";

export type CardNode = Node<
  {
    construct: Construct | null;
    card: Card;
    stale: boolean;
    gestures: Gestures;
    fold: (name: string, folded: boolean) => void;
  },
  "card"
>;

const STRIP = { top: 0, height: "100%", width: 12, transform: "none", borderRadius: 6 };

/** A construct (or an observed variable) on the board. */
export function ConstructCard({ data }: NodeProps<CardNode>) {
  const { construct, stale, card, gestures, fold } = data;
  const { name, share: explained, folded } = card;
  const kind = construct ? "construct" : "observed";
  const selected = useDesk((desk) => isSelected(desk, { kind, name }));
  const looked = useDesk(
    ({ selection }) => selection?.kind === "indicator" && selection.construct === name && folded,
  );
  const renaming = useDesk((desk) => desk.renaming === name);
  const wanted = useDesk((desk) => desk.focus === name);
  const button = useRef<HTMLButtonElement>(null);
  const formative = construct?.mode === "formative";
  useEffect(() => {
    if (!wanted || renaming) return;
    button.current?.focus();
    focusOn(null);
  }, [wanted, renaming]);
  // A folded card that is looked at opens over its neighbours, so that nothing moves.
  const over = folded && (selected || looked);
  const { node, isOver } = usePlace<ColumnsInHand | ItemsInHand>(`card ${name}`, {
    accepts: construct ? ["columns", "items"] : [],
    depth: 1,
    drop: ({ what }, alt) => {
      if (!construct) return;
      if ("items" in what) return dropItems(what, construct, null, gestures, alt);
      void gestures.change([{ type: "add_indicators", construct: name, indicators: what.columns }]);
    },
  });
  return (
    <div
      ref={node}
      data-card={name}
      className={`group relative rounded-box bg-card shadow-sm ring-1 ${over ? "z-20 min-w-[150px] pb-2 shadow-lg" : "h-full"} ${selected || isOver ? "ring-2 ring-ember" : "ring-line/50"} ${formative ? "border-l-4 border-double border-l-plum" : ""}`}
      style={{ padding: `0 ${metrics.padding}px`, paddingBottom: over ? metrics.bottom : 0 }}
      onClick={(event) =>
        (event.shiftKey || event.ctrlKey || event.metaKey ? selectMore : select)({ kind, name })
      }
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
      {!formative && (
        <Handle
          id="covary"
          type="source"
          position={Position.Bottom}
          style={{ bottom: -6, width: 34, height: 11, borderRadius: 6 }}
          className="group-hover:!bg-lake/25 hover:!bg-lake/60"
          title="Drag to another card to let the two covary"
        />
      )}
      <div
        className="flex items-center"
        style={{ height: construct && !folded ? metrics.header : metrics.observedHeight }}
      >
        {renaming && construct ? (
          <NameField name={name} gestures={gestures} />
        ) : (
          <button
            ref={button}
            className={`min-w-0 flex-1 truncate text-left ${construct ? "font-serif text-[15.5px] font-semibold" : card.control ? "text-quiet" : "font-semibold"}`}
            aria-label={`${construct ? "Construct" : card.control ? "Control" : "Observed variable"} ${name}`}
            title={name}
            onFocus={(event) => {
              const { group } = useDesk.getState();
              // a click says itself what it selects
              if (group.length === 0 && event.currentTarget.matches(":focus-visible")) select({ kind, name });
            }}
            onDoubleClick={() => construct && rename(name)}
            onKeyDown={(event) => {
              if (event.altKey || event.ctrlKey || event.metaKey || !construct) return;
              if (walkRows(event)) event.preventDefault();
            }}
          >
            {name}
          </button>
        )}
        {construct && (
          <button
            className="absolute -top-2 right-3 grid h-4 w-6 place-items-center rounded-full bg-base-300 opacity-0 focus-visible:opacity-100 group-hover:opacity-100"
            aria-label={`${folded ? "Unfold" : "Fold"} ${name}`}
            title={folded ? "Unfold (F)" : "Fold to name and sun (F)"}
            tabIndex={-1}
            onClick={(event) => {
              event.stopPropagation();
              fold(name, !folded);
            }}
          >
            {folded ? <ChevronDown size={12} /> : <ChevronUp size={12} />}
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
      {construct && (!folded || over) && <CardRows {...{ construct, card, stale, gestures }} />}
    </div>
  );
}

function NameField({ name, gestures }: { name: string; gestures: Gestures }) {
  const [text, setText] = useState(name);
  const keep = () => {
    rename(null);
    const to = text.trim();
    if (!to || to === name) return focusOn(name);
    void gestures.change([{ type: "rename", name, to }]).then((state) => {
      if (state) select({ kind: "construct", name: to });
      focusOn(state ? to : name);
    });
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
        else if (event.key === "Escape") {
          rename(null);
          focusOn(name);
        }
      }}
    />
  );
}
