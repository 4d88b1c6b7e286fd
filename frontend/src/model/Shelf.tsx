import { ChevronDown, ChevronRight, Plus } from "lucide-react";
import { useMemo, useRef, useState, type KeyboardEvent, type MouseEvent } from "react";
import type { Block, Column, ModelState, Project } from "../client/client";
import { Action } from "../shared/controls";
import { useTake, type InHand } from "../shared/Dragging";
import { freeOf, nameConstruct, owners, type ColumnsInHand } from "../desk/columns";
import { select, useDesk } from "../desk/desk";

interface Props {
  project: Project;
  model: ModelState;
}

/** A row of the shelf: a heading over rows, a block, or a column (of a block, where it is nested). */
type Row =
  | { kind: "heading"; key: string; words: string }
  | { kind: "block"; key: string; block: Block; free: string[]; open: boolean }
  | { kind: "column"; key: string; column: Column; nested: boolean };

const columnsInHand = (what: ColumnsInHand): InHand<ColumnsInHand> => ({
  kind: "columns",
  words: what.stem ?? what.columns.join(", "),
  what,
});

/** Columns by stem, ready to be taken: one stop for Tab, arrows inside; Shift and Ctrl select several. */
export function Shelf({ project, model }: Props) {
  const [search, setSearch] = useState("");
  const [unfolded, setUnfolded] = useState<Set<string>>(new Set());
  const [chosen, setChosen] = useState<string[]>([]);
  const [at, setAt] = useState<string | null>(null);
  const anchor = useRef<string | null>(null);
  const list = useRef<HTMLDivElement>(null);
  const owner = useMemo(() => owners(model), [model]);
  const byName = useMemo(() => new Map(project.columns.map((c) => [c.name, c])), [project.columns]);
  const wanted = search.trim().toLowerCase();
  const rows = useMemo(
    () => rowsOf(project, owner, byName, wanted, unfolded),
    [project, owner, byName, wanted, unfolded],
  );
  const reachable = rows.filter((row) => row.kind !== "heading");
  const here = reachable.some((row) => row.key === at) ? at : (reachable[0]?.key ?? null);
  const takeable = (name: string) => !owner.has(name) && byName.get(name)?.numeric === true;
  const selected = chosen.filter((name) => takeable(name) && byName.has(name));

  const fold = (stem: string) => {
    const next = new Set(unfolded);
    if (!next.delete(stem)) next.add(stem);
    setUnfolded(next);
  };
  const go = (key: string) => {
    setAt(key);
    list.current?.querySelector<HTMLElement>(`[data-row="${CSS.escape(key)}"]`)?.focus();
  };
  /** One column, a run of them (Shift), or one more (Ctrl). */
  const choose = (column: Column, event: { shiftKey: boolean; ctrlKey: boolean; metaKey: boolean }) => {
    const columns = rows.filter((row) => row.kind === "column").map((row) => row.column.name);
    const from = anchor.current === null ? -1 : columns.indexOf(anchor.current);
    if (event.shiftKey && from >= 0) {
      const to = columns.indexOf(column.name);
      setChosen(columns.slice(Math.min(from, to), Math.max(from, to) + 1));
      return;
    }
    anchor.current = column.name;
    if (event.ctrlKey || event.metaKey) {
      setChosen(
        chosen.includes(column.name) ? chosen.filter((n) => n !== column.name) : [...chosen, column.name],
      );
      return;
    }
    setChosen([column.name]);
    const construct = owner.get(column.name);
    if (construct) select({ kind: "indicator", construct, name: column.name });
    else if (model.observed.includes(column.name)) select({ kind: "observed", name: column.name });
    else select({ kind: "column", name: column.name });
  };
  const make = (columns: string[], stem: string | null) => {
    if (columns.length > 0) nameConstruct(columns, stem, model, project);
  };
  const onKey = (event: KeyboardEvent) => {
    const index = reachable.findIndex((row) => row.key === here);
    const row = reachable[index];
    if (!row) return;
    const step = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    if (step !== undefined) {
      const next = reachable[index + step];
      if (next) {
        go(next.key);
        if (event.shiftKey && next.kind === "column") choose(next.column, event);
      }
    } else if (event.key === "Home" || event.key === "End") {
      const end = reachable[event.key === "Home" ? 0 : reachable.length - 1];
      if (end) go(end.key);
    } else if (row.kind === "block" && event.key === (row.open ? "ArrowLeft" : "ArrowRight") && !wanted) {
      fold(row.block.stem ?? "");
    } else if (event.key === "Enter" && row.kind === "block") {
      make(row.free, row.block.stem);
    } else if (event.key === "Enter" && row.kind === "column" && selected.length > 1) {
      make(selected, null);
    } else if (event.key === " " && row.kind === "column") {
      choose(row.column, { shiftKey: false, ctrlKey: true, metaKey: false });
    } else return;
    event.preventDefault();
    event.stopPropagation();
  };

  return (
    <aside aria-label="Shelf" className="flex w-[196px] shrink-0 flex-col">
      <input
        className="input input-sm mb-2 w-full border-none bg-base-200 text-base"
        type="search"
        placeholder="Find a column"
        aria-label="Find a column"
        value={search}
        onChange={(event) => setSearch(event.target.value)}
        onKeyDown={(event) => {
          if (event.key === "ArrowDown" && reachable[0]) {
            event.preventDefault();
            go(reachable[0].key);
          }
        }}
      />
      <div
        ref={list}
        role="group"
        aria-label="Columns"
        className="min-h-0 flex-1 overflow-y-auto px-0.5 pr-1"
        onKeyDown={onKey}
      >
        {rows.map((row) => {
          const shared = { tabIndex: row.key === here ? 0 : -1, onFocus: () => setAt(row.key) };
          if (row.kind === "heading") {
            return (
              <h2 key={row.key} className="pb-1 pt-2 text-sm text-quiet">
                {row.words}
              </h2>
            );
          }
          if (row.kind === "block") {
            return (
              <BlockRow
                key={row.key}
                row={row}
                owner={owner}
                fold={() => fold(row.block.stem ?? "")}
                make={() => make(row.free, row.block.stem)}
                {...shared}
              />
            );
          }
          return (
            <ColumnRow
              key={row.key}
              column={row.column}
              nested={row.nested}
              owner={owner.get(row.column.name)}
              observed={model.observed.includes(row.column.name)}
              chosen={chosen.length > 1 && chosen.includes(row.column.name)}
              takeable={takeable(row.column.name)}
              inHand={() => (selected.includes(row.column.name) ? selected : [row.column.name])}
              choose={(event) => choose(row.column, event)}
              {...shared}
            />
          );
        })}
        {rows.length === 0 && <p className="pt-2 text-quiet">Nothing is called so.</p>}
      </div>
      {selected.length > 1 && (
        <div className="flex items-center gap-2 border-t border-line pt-2">
          <span className="flex-1 text-sm text-quiet">{selected.length} selected</span>
          <Action size="xs" onClick={() => make(selected, null)}>
            Make a construct
          </Action>
        </div>
      )}
    </aside>
  );
}

function rowsOf(
  project: Project,
  owner: Map<string, string>,
  byName: Map<string, Column>,
  wanted: string,
  unfolded: Set<string>,
): Row[] {
  const fits = (name: string) =>
    !wanted ||
    name.toLowerCase().includes(wanted) ||
    (byName.get(name)?.label ?? "").toLowerCase().includes(wanted);
  const blocks = (used: boolean): Row[] =>
    project.blocks
      .filter((block) => block.stem !== null)
      .flatMap((block): Row[] => {
        const free = freeOf(block, owner, byName);
        const matching = block.columns.filter(fits);
        if ((free.length === 0) !== used || matching.length === 0) return [];
        const open = wanted.length > 0 || unfolded.has(block.stem ?? "");
        const inside = open ? matching : [];
        return [
          { kind: "block", key: `block ${block.stem}`, block, free, open },
          ...inside.flatMap((name): Row[] => {
            const column = byName.get(name);
            return column ? [{ kind: "column", key: `column ${name}`, column, nested: true }] : [];
          }),
        ];
      });
  const singles = project.blocks
    .filter((block) => block.stem === null)
    .flatMap((block): Row[] => {
      const column = byName.get(block.columns[0] ?? "");
      return column && fits(column.name)
        ? [{ kind: "column", key: `column ${column.name}`, column, nested: false }]
        : [];
    });
  const headed = (words: string, rows: Row[]): Row[] =>
    rows.length > 0 ? [{ kind: "heading", key: words, words }, ...rows] : [];
  return [
    ...headed("blocks", blocks(false)),
    ...headed("single columns", singles),
    ...headed("in the model", blocks(true)),
  ];
}

interface Stop {
  tabIndex: number;
  onFocus: () => void;
}

function BlockRow(
  props: Stop & {
    row: Extract<Row, { kind: "block" }>;
    owner: Map<string, string>;
    fold: () => void;
    make: () => void;
  },
) {
  const { row, owner, fold, make, tabIndex, onFocus } = props;
  const { block, free, open } = row;
  const stem = block.stem ?? "";
  const owned = [...new Set(block.columns.map((name) => owner.get(name)).filter(Boolean))];
  const Chevron = open ? ChevronDown : ChevronRight;
  const { node, listeners } = useTake(
    row.key,
    () => columnsInHand({ stem, columns: free }),
    free.length === 0,
  );
  return (
    <div className="group flex h-6 items-center rounded-md hover:bg-base-200">
      <button
        className="grid h-6 w-5 place-items-center text-quiet"
        aria-label={`${open ? "Fold" : "Unfold"} ${stem}`}
        aria-expanded={open}
        tabIndex={-1}
        onClick={fold}
      >
        <Chevron size={13} />
      </button>
      <button
        data-row={row.key}
        className="flex min-w-0 flex-1 items-baseline gap-2 text-left"
        ref={node}
        {...listeners}
        data-testid={`block-${stem}`}
        title={free.length > 0 ? "Drag onto the board, or press Enter, to make a construct" : undefined}
        tabIndex={tabIndex}
        onFocus={onFocus}
        onDoubleClick={make}
      >
        <span className="font-semibold">{stem}</span>
        <span className="text-sm text-quiet">{block.columns.length}</span>
        <span className="flex-1" />
        <span className={`truncate text-sm ${free.length > 0 ? "text-ember" : "text-quiet"}`}>
          {free.length === 0
            ? owned.join(", ")
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
          tabIndex={-1}
          onClick={make}
        >
          <Plus size={14} />
        </button>
      )}
    </div>
  );
}

function levelWords(column: Column): string {
  if (column.level === "category") return `${column.distinct} groups`;
  return column.level;
}

function ColumnRow(
  props: Stop & {
    column: Column;
    nested: boolean;
    owner: string | undefined;
    observed: boolean;
    chosen: boolean;
    takeable: boolean;
    inHand: () => string[];
    choose: (event: MouseEvent) => void;
  },
) {
  const { column, nested, owner, observed, chosen, takeable, inHand, choose, tabIndex, onFocus } = props;
  const selected = useDesk(
    ({ selection }) =>
      (selection?.kind === "column" || selection?.kind === "observed" || selection?.kind === "indicator") &&
      selection.name === column.name,
  );
  const { node, listeners } = useTake(
    `column ${column.name}`,
    () => columnsInHand({ stem: null, columns: inHand() }),
    !takeable,
  );
  return (
    <button
      data-row={`column ${column.name}`}
      className={`flex h-6 w-full items-baseline gap-2 rounded-md pl-5 pr-1 text-left hover:bg-base-200 ${chosen ? "bg-base-300" : selected ? "bg-base-200" : ""}`}
      ref={node}
      {...listeners}
      data-testid={`column-${column.name}`}
      title={column.label ?? undefined}
      aria-pressed={chosen}
      tabIndex={tabIndex}
      onFocus={onFocus}
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
