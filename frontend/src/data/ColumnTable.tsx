import { useVirtualizer } from "@tanstack/react-virtual";
import { ChevronDown, ChevronRight } from "lucide-react";
import { useMemo, useRef, useState } from "react";
import type { Column, Project } from "../api/client";
import { ends, plain } from "../shared/numbers";
import { valueLabels } from "./valueLabels";
import { Histogram } from "./Histogram";

const FIGURES = [
  { key: "n", head: "n" },
  { key: "missing", head: "missing %" },
  { key: "mean", head: "mean" },
  { key: "sd", head: "SD" },
  { key: "min", head: "from – to" },
  { key: "skewness", head: "skew" },
  { key: "kurtosis", head: "kurtosis" },
] as const;
type Key = (typeof FIGURES)[number]["key"] | "name";
type Row =
  { kind: "block"; stem: string; columns: Column[] } | { kind: "column"; column: Column; nested: boolean };

interface Props {
  project: Project;
  owner: Map<string, string>;
  chosen: Set<string>;
  choose: (names: Set<string>) => void;
}

/** A row per column, in blocks by stem until it is sorted or searched. */
export function ColumnTable({ project, owner, chosen, choose }: Props) {
  const [search, setSearch] = useState("");
  const [sort, setSort] = useState<{ key: Key; down: boolean } | null>(null);
  const [closed, setClosed] = useState<Set<string>>(new Set());
  const scroll = useRef<HTMLDivElement>(null);
  const rows = useMemo(() => rowsOf(project, search, sort, closed), [project, search, sort, closed]);
  // eslint-disable-next-line react-hooks/incompatible-library -- its functions are used in this component alone
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroll.current,
    estimateSize: () => 27,
    overscan: 12,
  });
  const shown = virtual.getVirtualItems();
  const toggle = (names: string[], on: boolean) => {
    const next = new Set(chosen);
    for (const name of names) {
      if (on) next.add(name);
      else next.delete(name);
    }
    choose(next);
  };
  const by = (key: Key) =>
    setSort(sort?.key === key ? (sort.down ? null : { key, down: true }) : { key, down: false });
  const mark = (key: Key) => (sort?.key === key ? (sort.down ? " ▾" : " ▴") : "");
  return (
    <div className="flex min-h-0 flex-1 flex-col">
      <input
        type="search"
        className="input input-sm mb-2 w-56"
        placeholder="Find a column"
        aria-label="Find a column"
        value={search}
        onChange={(event) => setSearch(event.target.value)}
      />
      <div ref={scroll} className="min-h-0 flex-1 overflow-y-auto pb-4">
        <table className="w-full border-collapse" aria-label="Columns of the data set">
          <thead className="sticky top-0 z-10 bg-base-100 text-left text-sm text-quiet">
            <tr>
              <th className="pb-1 font-normal">
                <button className="pl-[23px]" onClick={() => by("name")}>
                  column{mark("name")}
                </button>
              </th>
              <th className="pb-1 font-normal">type</th>
              {FIGURES.map(({ key, head }) => (
                <th key={key} className="pb-1 pl-3 text-right font-normal" aria-sort={ariaSort(sort, key)}>
                  <button onClick={() => by(key)}>
                    {head}
                    {mark(key)}
                  </button>
                </th>
              ))}
              <th className="pb-1 pl-4 font-normal">answers</th>
              <th className="pb-1 pl-3 font-normal">used for</th>
            </tr>
          </thead>
          <tbody>
            <tr style={{ height: shown[0]?.start ?? 0 }} />
            {shown.map((item) => {
              const row = rows[item.index];
              if (!row) return null;
              return row.kind === "block" ? (
                <BlockRow
                  key={`block ${row.stem}`}
                  row={row}
                  open={!closed.has(row.stem)}
                  all={row.columns.every((c) => chosen.has(c.name))}
                  fold={() => setClosed(flipped(closed, row.stem))}
                  toggle={(on) =>
                    toggle(
                      row.columns.map((c) => c.name),
                      on,
                    )
                  }
                />
              ) : (
                <ColumnLine
                  key={row.column.name}
                  column={row.column}
                  nested={row.nested}
                  used={owner.get(row.column.name)}
                  on={chosen.has(row.column.name)}
                  toggle={(on) => toggle([row.column.name], on)}
                />
              );
            })}
            <tr style={{ height: virtual.getTotalSize() - (shown.at(-1)?.end ?? 0) }} />
          </tbody>
        </table>
        {rows.length === 0 && <p className="mt-3 text-quiet">No column is called that.</p>}
      </div>
    </div>
  );
}

function ariaSort(sort: { key: Key; down: boolean } | null, key: Key) {
  return sort?.key === key ? (sort.down ? "descending" : "ascending") : undefined;
}

function flipped(set: Set<string>, name: string): Set<string> {
  const next = new Set(set);
  if (!next.delete(name)) next.add(name);
  return next;
}

function rowsOf(
  project: Project,
  search: string,
  sort: { key: Key; down: boolean } | null,
  closed: Set<string>,
): Row[] {
  const wanted = search.trim().toLowerCase();
  const fits = (c: Column) => !wanted || `${c.name} ${c.label ?? ""}`.toLowerCase().includes(wanted);
  if (sort || wanted) {
    const columns = project.columns.filter(fits);
    if (sort) {
      columns.sort((a, b) => {
        if (sort.key === "name") return a.name.localeCompare(b.name) * (sort.down ? -1 : 1);
        const [x, y] = [a[sort.key], b[sort.key]];
        if (x === null || y === null) return Number(x === null) - Number(y === null);
        return (x - y) * (sort.down ? -1 : 1);
      });
    }
    return columns.map((column) => ({ kind: "column", column, nested: false }));
  }
  const byName = new Map(project.columns.map((column) => [column.name, column]));
  return project.blocks.flatMap((block): Row[] => {
    const columns = block.columns.flatMap((name) => byName.get(name) ?? []);
    const lines = columns.map((column): Row => ({ kind: "column", column, nested: block.stem !== null }));
    if (!block.stem) return lines;
    const head: Row = { kind: "block", stem: block.stem, columns };
    return closed.has(block.stem) ? [head] : [head, ...lines];
  });
}

interface BlockProps {
  row: Extract<Row, { kind: "block" }>;
  open: boolean;
  all: boolean;
  fold: () => void;
  toggle: (on: boolean) => void;
}

function BlockRow({ row, open, all, fold, toggle }: BlockProps) {
  const Chevron = open ? ChevronDown : ChevronRight;
  return (
    <tr className="h-[27px]">
      <td colSpan={11} className="pt-1">
        <span className="flex items-center gap-1.5">
          <input
            type="checkbox"
            className="checkbox checkbox-xs"
            aria-label={`Select the block ${row.stem}`}
            checked={all}
            onChange={(event) => toggle(event.target.checked)}
          />
          <button className="flex items-center gap-1 font-semibold" aria-expanded={open} onClick={fold}>
            <Chevron size={13} className="text-quiet" />
            {row.stem} <span className="font-normal text-quiet">{row.columns.length} columns</span>
          </button>
        </span>
      </td>
    </tr>
  );
}

interface LineProps {
  column: Column;
  nested: boolean;
  used: string | undefined;
  on: boolean;
  toggle: (on: boolean) => void;
}

function ColumnLine({ column, nested, used, on, toggle }: LineProps) {
  const skewed = Math.abs(column.skewness ?? 0) > 2;
  const peaked = Math.abs(column.kurtosis ?? 0) > 7;
  const share = (100 * column.missing) / Math.max(1, column.n + column.missing);
  const cell = "whitespace-nowrap pl-3 text-right";
  const text = !column.numeric;
  const scale = labelledScale(column);
  const outside =
    scale !== null &&
    column.min !== null &&
    column.max !== null &&
    (column.min < scale[0] || column.max > scale[1]);
  const answers = valueLabels(column);
  return (
    <tr className={`h-[27px] border-b border-line/40 ${on ? "bg-base-300/70" : "hover:bg-base-200"}`}>
      <td className="max-w-[250px] pr-3">
        <label className={`flex min-w-0 items-center gap-1.5 ${nested ? "pl-5" : ""}`}>
          <input
            type="checkbox"
            className="checkbox checkbox-xs shrink-0"
            aria-label={`Select ${column.name}`}
            checked={on}
            onChange={(event) => toggle(event.target.checked)}
          />
          <span className={nested ? "" : "font-semibold"}>{column.name}</span>
          <span className="truncate text-sm text-quiet" title={column.label ?? undefined}>
            {column.label}
          </span>
        </label>
      </td>
      <td className="whitespace-nowrap text-sm text-quiet">
        {column.level === "category" ? `${column.distinct} groups` : column.level}
        {answers && (
          <span
            className="ml-1 cursor-help underline decoration-dotted"
            title={answers}
            aria-label={`Answers of ${column.name}: ${answers}`}
            tabIndex={0}
          >
            labelled
          </span>
        )}
      </td>
      <td className={cell}>{column.n}</td>
      <td className={cell} title={`${column.missing} missing`}>
        {column.missing === 0 ? <span className="text-quiet">0</span> : share.toFixed(1)}
      </td>
      <td className={cell}>{text ? "" : plain(column.mean)}</td>
      <td className={cell}>{text ? "" : plain(column.sd)}</td>
      <td
        className={`${cell} ${outside ? "font-semibold text-plum" : ""}`}
        title={outside && scale ? `the labels of its values run from ${scale[0]} to ${scale[1]}` : undefined}
      >
        {text ? "" : ends(column.min, column.max)}
      </td>
      <td
        className={`${cell} ${skewed ? "font-semibold text-plum" : ""}`}
        title={skewed ? "beyond ±2" : undefined}
      >
        {text ? "" : plain(column.skewness)}
      </td>
      <td
        className={`${cell} ${peaked ? "font-semibold text-plum" : ""}`}
        title={peaked ? "beyond ±7 (excess kurtosis)" : undefined}
      >
        {text ? "" : plain(column.kurtosis)}
      </td>
      <td className="pl-4" title={answers ?? undefined}>
        <Histogram column={column} />
      </td>
      <td className="max-w-28 truncate pl-3 text-sm text-quiet">{used}</td>
    </tr>
  );
}

/** The ends of the scale that the labels of a column's values name, where there are at least two. */
function labelledScale(column: Column): [number, number] | null {
  const values = Object.keys(column.value_labels).map(Number).filter(Number.isFinite);
  return values.length > 1 ? [Math.min(...values), Math.max(...values)] : null;
}
