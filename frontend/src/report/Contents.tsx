import { Menu, MenuButton, MenuItem, MenuItems } from "@headlessui/react";
import { ChartNetwork, GripVertical, Table2, TextQuote, X } from "lucide-react";
import type { KeyboardEvent, ReactNode } from "react";
import type { ModelState, Schemas } from "../client/client";
import { useEstimates } from "../api/hooks";
import { LINK, Symbol } from "../shared/controls";
import { Dragging, usePlace, useTake } from "../shared/Dragging";
import { addable, type Choosing, type ReportOptions } from "../desk/figures";

type Offered = Schemas["OfferedPart"];
const MARK = { figure: ChartNetwork, table: Table2, words: TextQuote };
const NAMED = { figure: "Figure", table: "Table", words: "" };

interface Props {
  model: ModelState;
  offered: Offered[];
  options: ReportOptions;
  set: (change: Choosing) => void;
  setPart: (key: string, change: { shown?: boolean }) => void;
  move: (key: string, to: number) => void;
  chosen: string;
  choose: (key: string) => void;
}

/** Every part of the report in its order: left out by its box, moved by its grip or by Alt and an arrow. */
export function Contents({ model, offered, options, set, setPart, move, chosen, choose }: Props) {
  const there = offered.filter((one) => one.there);
  const missing = offered.filter((one) => !one.there && one.kind !== "figure");
  const onKey = (event: KeyboardEvent, key: string, at: number) => {
    if (event.key === " " && event.target instanceof HTMLElement && "name" in event.target.dataset) {
      event.preventDefault();
      const one = there[at];
      if (one) setPart(key, { shown: !one.shown });
      return;
    }
    if (!event.altKey || (event.key !== "ArrowUp" && event.key !== "ArrowDown")) return;
    event.preventDefault();
    move(key, event.key === "ArrowUp" ? at - 1 : at + 1);
  };
  const takeOut = (key: string) =>
    set((now) => ({
      ...now,
      figures: now.figures.filter((one) => one.key !== key),
      parts: now.parts.filter((one) => one.key !== key),
    }));
  return (
    <section className="flex w-64 shrink-0 flex-col overflow-y-auto pb-3" aria-label="What goes in">
      <h1 className="mb-2 font-serif text-lg font-semibold">What goes in</h1>
      <Dragging>
        <ul>
          {there.map((one, at) => {
            const Mark = MARK[one.kind];
            return (
              <Movable
                key={one.key}
                part={one}
                drop={(key) => move(key, at)}
                onKeyDown={(event) => onKey(event, one.key, at)}
                className={one.key === chosen ? "bg-base-300/70" : ""}
              >
                <input
                  type="checkbox"
                  className="checkbox checkbox-xs"
                  checked={one.shown}
                  aria-label={`${one.title ?? one.words}: in the report`}
                  onChange={(event) => setPart(one.key, { shown: event.target.checked })}
                />
                <Mark size={13} className="shrink-0 text-quiet" aria-hidden />
                <button
                  type="button"
                  data-name
                  className={`min-w-0 flex-1 truncate text-left ${one.key === chosen ? "font-semibold" : ""} ${one.shown ? "" : "text-quiet"}`}
                  title={one.title ?? one.words}
                  onClick={() => choose(one.key)}
                >
                  {one.title ?? one.words}
                </button>
                {one.number !== null && (
                  <span className="whitespace-nowrap text-xs text-quiet">
                    {NAMED[one.kind]} {one.number}
                  </span>
                )}
                {one.kind === "figure" && one.key !== "figure" && (
                  <Symbol label={`Take out ${one.words}`} size="xs" onClick={() => takeOut(one.key)}>
                    <X size={12} />
                  </Symbol>
                )}
                <GripVertical
                  size={13}
                  className="shrink-0 cursor-grab text-quiet opacity-40 group-hover:opacity-100"
                  aria-hidden
                />
              </Movable>
            );
          })}
        </ul>
      </Dragging>
      <AddFigure {...{ model, options, set, choose }} />
      <p className="mt-3 text-sm text-quiet">
        Drag to reorder, or <kbd className="kbd kbd-xs">Alt</kbd> <kbd className="kbd kbd-xs">↑</kbd>{" "}
        <kbd className="kbd kbd-xs">↓</kbd>. <kbd className="kbd kbd-xs">Space</kbd> leaves out. Numbers
        follow.
      </p>
      {missing.length > 0 && (
        <p className="mt-2 text-sm text-quiet">
          Nothing to show for {missing.map((one) => one.words.toLowerCase()).join("; ")}.
        </p>
      )}
    </section>
  );
}

function AddFigure({ model, options, set, choose }: Pick<Props, "model" | "options" | "set" | "choose">) {
  const effects = useEstimates(model).data?.effects ?? [];
  const composite = !model.traits.factors;
  const outcomes = composite ? [...new Set(model.paths.map((one) => one.target))] : [];
  return (
    <Menu as="div" className="relative mt-1 pl-1.5">
      <MenuButton className={`text-sm ${LINK}`} data-testid="add-figure">
        Add a figure…
      </MenuButton>
      <MenuItems
        anchor="bottom start"
        className="z-30 max-h-80 w-64 rounded-box border border-line bg-base-100 p-1 text-sm shadow-lg"
      >
        {addable(options.figures, effects, outcomes).map(({ words, figure }) => (
          <MenuItem key={figure.key}>
            <button
              type="button"
              className="block w-full rounded-md px-2 py-1 text-left data-focus:bg-base-200"
              onClick={() => {
                set((now) => ({ ...now, figures: [...now.figures, figure] }));
                choose(figure.key);
              }}
            >
              {words}
            </button>
          </MenuItem>
        ))}
      </MenuItems>
    </Menu>
  );
}

/** A part that can be taken by its line and put in the place of another. */
function Movable(props: {
  part: Offered;
  drop: (key: string) => void;
  onKeyDown: (event: KeyboardEvent) => void;
  className: string;
  children: ReactNode;
}) {
  const { part, drop, onKeyDown, className, children } = props;
  const words = part.title ?? part.words;
  const hand = useTake(part.key, () => ({ kind: "part", words, what: part.key }));
  const place = usePlace<string>(part.key, { accepts: ["part"], drop: ({ what }) => drop(what) });
  return (
    <li
      ref={(element) => {
        hand.node(element);
        place.node(element);
      }}
      {...hand.listeners}
      onKeyDown={onKeyDown}
      data-testid={`part-${part.key}`}
      className={`group flex items-center gap-2 rounded-md px-1.5 py-1 ${className} ${place.isOver ? "ring-1 ring-ember" : ""} ${hand.isDragging ? "opacity-50" : ""}`}
    >
      {children}
    </li>
  );
}
