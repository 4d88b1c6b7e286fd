import { Lock, Pin } from "lucide-react";
import { useEffect, useRef, type KeyboardEvent } from "react";
import metrics from "../../../src/dusk_arrow/figure/card_metrics.json";
import type { Card, Construct } from "../client/client";
import type { Gestures } from "../api/gestures";
import type { ItemsInHand } from "../desk/columns";
import { usePlace, useTake } from "../shared/Dragging";
import { focusOn, isSelected, keyOf, select, selectMore, useDesk } from "../desk/desk";
import { proposeCovariance } from "./PathPrompt";
import { Glyph } from "../shared/Glyph";
import { coefficient, plain } from "../shared/numbers";

interface Props {
  construct: Construct;
  card: Card;
  stale: boolean;
  gestures: Gestures;
}

/** The items that are dragged: all that are selected, if this is one of them. */
function taken(construct: string, name: string): string[] {
  const group = useDesk
    .getState()
    .group.flatMap((one) => (one.kind === "indicator" && one.construct === construct ? [one.name] : []));
  return group.includes(name) ? group : [name];
}

/** What the drop of items on a card, or on a row of it, means: another construct, another place, or (Alt) covarying. */
export function dropItems(
  { construct, items }: ItemsInHand,
  onto: Construct,
  before: string | null,
  gestures: Gestures,
  alt: boolean,
) {
  const first = items[0];
  if (alt && before && first) {
    if (before !== first) proposeCovariance(first, before);
  } else if (construct !== onto.name) {
    void gestures.change(
      items.map((indicator) => ({ type: "move_indicator", indicator, construct, to: onto.name })),
    );
  } else if (before && !items.includes(before)) {
    const rest = onto.indicators.filter((name) => !items.includes(name));
    const place = rest.indexOf(before);
    const order = [...rest.slice(0, place), ...items, ...rest.slice(place)];
    void gestures.change([{ type: "order_indicators", construct, indicators: order }]);
  }
}

/** From a card's name into its items, and up and down among them; whether the key was meant for that. */
export function walkRows(event: KeyboardEvent<HTMLElement>): boolean {
  const step = { ArrowDown: 1, ArrowUp: -1 }[event.key];
  if (step === undefined) return false;
  const rows = [
    ...(event.currentTarget.closest("[data-card]")?.querySelectorAll<HTMLElement>("[data-item]") ?? []),
  ];
  const at = rows.indexOf(event.currentTarget);
  rows[at < 0 && step < 0 ? rows.length - 1 : at + step]?.focus();
  return rows.length > 0;
}

/** The indicators of a construct, each with its loading; to be selected, put in order, or carried to another card. */
export function CardRows({ construct, card, stale, gestures }: Props) {
  const formative = construct.mode === "formative";
  return (
    <>
      {card.rows.map((row) => (
        <ItemRow key={row.indicator} row={row} {...{ construct, stale, gestures }} />
      ))}
      {formative && (
        <div className="text-xs text-quiet" style={{ height: metrics.foot }}>
          made of · weights
        </div>
      )}
      {card.mean !== null && (
        <div
          className={`flex justify-between text-xs text-quiet ${stale ? "opacity-45" : ""}`}
          style={{ height: metrics.foot }}
        >
          <span>{card.share === null ? "mean" : "intercept"}</span>
          <span className="tabular-nums" data-testid={`mean-${construct.name}`}>
            {plain(card.mean, 2)}
          </span>
        </div>
      )}
      {card.rows.length === 0 && construct.aside.length === 0 && (
        <p className="pb-1 text-xs text-quiet">drop columns here</p>
      )}
      {construct.aside.map(({ indicator }) => (
        <button
          key={indicator}
          data-item={indicator}
          tabIndex={-1}
          onKeyDown={(event) => {
            if (walkRows(event)) event.preventDefault();
          }}
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

function ItemRow(props: {
  row: Card["rows"][number];
  construct: Construct;
  stale: boolean;
  gestures: Gestures;
}) {
  const { row, construct, stale, gestures } = props;
  const { indicator: name, value, verdict, impossible, kept, held, equal } = row;
  const chosen = useDesk((desk) => isSelected(desk, { kind: "indicator", construct: construct.name, name }));
  const wanted = useDesk((desk) => desk.focus === `${construct.name}\u0000${name}`);
  const button = useRef<HTMLButtonElement>(null);
  useEffect(() => {
    if (!wanted) return;
    button.current?.focus();
    focusOn(null);
  }, [wanted]);
  const id = `item ${construct.name} ${name}`;
  const hand = useTake<ItemsInHand>(id, () => {
    const items = taken(construct.name, name);
    return { kind: "items", words: items.join(", "), what: { construct: construct.name, items } };
  });
  const place = usePlace<ItemsInHand>(id, {
    accepts: ["items"],
    depth: 2,
    drop: ({ what }, alt) => dropItems(what, construct, name, gestures, alt),
  });
  return (
    <button
      ref={(element) => {
        button.current = element;
        hand.node(element);
        place.node(element);
      }}
      data-testid={`row-${name}`}
      data-item={name}
      className={`nodrag flex w-full items-center gap-2 rounded-md text-left hover:bg-base-200 ${chosen ? "bg-base-200 font-semibold" : ""} ${place.isOver ? "ring-1 ring-ember" : ""}`}
      style={{ height: metrics.row, fontSize: metrics.textSize }}
      tabIndex={-1}
      onFocus={(event) => {
        if (!event.currentTarget.matches(":focus-visible")) return; // a click says itself what it selects
        const { group, selection } = useDesk.getState();
        const one = { kind: "indicator" as const, construct: construct.name, name };
        if (group.length === 0 && (selection === null || keyOf(selection) !== keyOf(one))) select(one);
      }}
      onKeyDown={(event) => {
        if (event.key === "Escape") focusOn(construct.name);
        else if (event.ctrlKey || event.metaKey || event.altKey || !walkRows(event)) return;
        event.preventDefault();
        event.stopPropagation();
      }}
      {...hand.listeners}
      onClick={(event) => {
        event.stopPropagation();
        const one = { kind: "indicator" as const, construct: construct.name, name };
        (event.shiftKey || event.ctrlKey || event.metaKey ? selectMore : select)(one);
      }}
    >
      <span className="flex min-w-[26px] max-w-[55%] items-center gap-0.5">
        <span className="truncate">{name}</span>
        {kept && (
          <Lock size={9} className="shrink-0 text-quiet" aria-label="essential">
            <title>Kept as essential</title>
          </Lock>
        )}
      </span>
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
        {equal && <sup title={`equal to the others marked ${equal}`}>={equal}</sup>}
        {held !== null && (
          <span title={`its unstandardized loading is held at ${held}`}>
            <Pin size={9} className="text-quiet" aria-hidden="true" />
          </span>
        )}
        {coefficient(value)}
      </span>
    </button>
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
