import { ChevronDown, ChevronRight, Plus } from "lucide-react";
import { useState, type DragEvent } from "react";
import type { Block, Column, ModelState, Project } from "../api/client";
import type { Gestures } from "../api/hooks";
import { rename, select, useDesk } from "./desk";

export const COLUMNS_IN_HAND = "application/x-dusk-columns";

export interface InHand {
  stem: string | null;
  columns: string[];
}

/** Puts columns on the pointer, to be dropped on the board. */
function takeInHand(event: DragEvent, inHand: InHand) {
  event.dataTransfer.setData(COLUMNS_IN_HAND, JSON.stringify(inHand));
  event.dataTransfer.effectAllowed = "copy";
}

/** A name for a construct made of a block: the stem, unless a construct or column is already called so. */
export function constructName(stem: string, model: ModelState, project: Project): string {
  const taken = new Set([
    ...model.constructs.map((c) => c.name),
    ...model.observed,
    ...project.columns.map((c) => c.name),
  ]);
  const base = stem.charAt(0).toUpperCase() + stem.slice(1);
  let name = base;
  for (let number = 2; taken.has(name); number += 1) name = `${base} ${number}`;
  return name;
}

interface Props {
  project: Project;
  model: ModelState;
  gestures: Gestures;
}

export function Shelf({ project, model, gestures }: Props) {
  const [search, setSearch] = useState("");
  const owner = new Map<string, string>();
  for (const construct of model.constructs) {
    for (const name of construct.indicators) owner.set(name, construct.name);
    for (const { indicator } of construct.aside) owner.set(indicator, construct.name);
  }
  const byName = new Map(project.columns.map((column) => [column.name, column]));
  const wanted = search.trim().toLowerCase();
  const fits = (name: string) =>
    name.toLowerCase().includes(wanted) || (byName.get(name)?.label ?? "").toLowerCase().includes(wanted);
  const blocks = project.blocks.filter(
    (block) => !wanted || block.columns.some(fits) || block.stem?.includes(wanted),
  );
  const free = (block: Block) =>
    block.columns.filter((name) => !owner.has(name) && byName.get(name)?.numeric);
  const open = blocks.filter((block) => block.stem !== null && free(block).length > 0);
  const used = blocks.filter((block) => block.stem !== null && free(block).length === 0);
  const singles = blocks.filter((block) => block.stem === null).map((block) => block.columns[0] ?? "");
  const shared = { byName, owner, model, project, gestures, wanted };
  return (
    <aside aria-label="Shelf" className="flex w-[196px] shrink-0 flex-col">
      <input
        className="input input-sm mb-2 w-full border-none bg-base-200 text-base"
        type="search"
        placeholder="Find a column"
        aria-label="Find a column"
        value={search}
        onChange={(event) => setSearch(event.target.value)}
      />
      <div className="min-h-0 flex-1 overflow-y-auto pr-1">
        {open.length > 0 && <Heading>blocks</Heading>}
        {open.map((block) => (
          <BlockRow key={block.stem} block={block} free={free(block)} {...shared} />
        ))}
        {singles.length > 0 && <Heading>single columns</Heading>}
        {singles.map((name) => {
          const column = byName.get(name);
          return column ? (
            <ColumnRow key={name} column={column} owner={owner.get(name)} model={model} />
          ) : null;
        })}
        {used.length > 0 && <Heading>in the model</Heading>}
        {used.map((block) => (
          <BlockRow key={block.stem} block={block} free={[]} {...shared} />
        ))}
      </div>
    </aside>
  );
}

function Heading({ children }: { children: string }) {
  return <h2 className="pb-1 pt-2 text-sm text-quiet">{children}</h2>;
}

interface BlockProps extends Props {
  block: Block;
  free: string[];
  byName: Map<string, Column>;
  owner: Map<string, string>;
  wanted: string;
}

function BlockRow({ block, free, byName, owner, model, project, gestures, wanted }: BlockProps) {
  const [unfolded, setUnfolded] = useState(false);
  const stem = block.stem ?? "";
  const open = unfolded || wanted.length > 0;
  const owners = [...new Set(block.columns.map((name) => owner.get(name)).filter(Boolean))];
  const make = () => {
    if (free.length === 0) return;
    const name = constructName(stem, model, project);
    void gestures
      .change([{ type: "add_construct", name, indicators: free, mode: "reflective" }])
      .then((state) => state && rename(name));
  };
  const Chevron = open ? ChevronDown : ChevronRight;
  return (
    <div>
      <div className="group flex h-6 items-center rounded-md hover:bg-base-200">
        <button
          className="grid h-6 w-5 place-items-center text-quiet"
          aria-label={`${open ? "Fold" : "Unfold"} ${stem}`}
          aria-expanded={open}
          onClick={() => setUnfolded(!unfolded)}
        >
          <Chevron size={13} />
        </button>
        <button
          className="flex min-w-0 flex-1 items-baseline gap-2 text-left"
          draggable={free.length > 0}
          data-testid={`block-${stem}`}
          title={free.length > 0 ? "Drag onto the board, or press Enter, to make a construct" : undefined}
          onDragStart={(event) => takeInHand(event, { stem, columns: free })}
          onDoubleClick={make}
          onKeyDown={(event) => {
            if (event.key === "Enter") make();
          }}
        >
          <span className="font-semibold">{stem}</span>
          <span className="text-sm text-quiet">{block.columns.length}</span>
          <span className="flex-1" />
          <span className={`truncate text-sm ${free.length > 0 ? "text-ember" : "text-quiet"}`}>
            {free.length === 0
              ? owners.join(", ")
              : free.length === block.columns.length
                ? "free"
                : `${free.length} free`}
          </span>
        </button>
        {free.length > 0 && (
          <button
            className="ml-1 grid h-5 w-5 place-items-center rounded-md text-ember hover:bg-base-300"
            aria-label={`Make a construct of ${stem}`}
            title={`Make a construct of ${free.join(", ")}`}
            onClick={make}
          >
            <Plus size={14} />
          </button>
        )}
      </div>
      {open &&
        block.columns
          .map((name) => byName.get(name))
          .map(
            (column) =>
              column && (
                <ColumnRow
                  key={column.name}
                  column={column}
                  owner={owner.get(column.name)}
                  model={model}
                  nested
                />
              ),
          )}
    </div>
  );
}

function levelWords(column: Column): string {
  if (column.level === "category") return `${column.distinct} groups`;
  return column.level;
}

function ColumnRow(props: {
  column: Column;
  owner: string | undefined;
  model: ModelState;
  nested?: boolean;
}) {
  const { column, owner, model, nested } = props;
  const selection = useDesk((desk) => desk.selection);
  const observed = model.observed.includes(column.name);
  const selected =
    (selection?.kind === "column" || selection?.kind === "observed" || selection?.kind === "indicator") &&
    selection.name === column.name;
  const choose = () => {
    if (owner) select({ kind: "indicator", construct: owner, name: column.name });
    else if (observed) select({ kind: "observed", name: column.name });
    else select({ kind: "column", name: column.name });
  };
  return (
    <button
      className={`flex h-6 w-full items-baseline gap-2 rounded-md pr-1 text-left hover:bg-base-200 ${nested ? "pl-5" : "pl-5"} ${selected ? "bg-base-200" : ""}`}
      draggable={!owner && column.numeric}
      data-testid={`column-${column.name}`}
      title={column.label ?? undefined}
      onDragStart={(event) => takeInHand(event, { stem: null, columns: [column.name] })}
      onClick={choose}
    >
      <span className={nested ? "shrink-0" : "shrink-0 font-semibold"}>{column.name}</span>
      {nested && <span className="truncate text-sm text-quiet">{column.label}</span>}
      <span className="flex-1" />
      {!nested && (
        <span className="text-sm text-quiet">
          {observed ? "in the model" : (owner ?? levelWords(column))}
        </span>
      )}
    </button>
  );
}
