import { ChevronDown, ChevronRight } from "lucide-react";
import { useMemo, useState } from "react";
import type { Column, Project } from "../client/client";
import { ends, plain } from "../shared/numbers";
import { Table, type TableColumn, type TableGroup } from "../shared/Table";
import { Histogram } from "../shared/Histogram";
import { valueLabels } from "../shared/valueLabels";

interface Props {
  project: Project;
  owner: Map<string, string>;
  chosen: Set<string>;
  choose: (names: Set<string>) => void;
}

/** A row per column, in blocks by stem until it is sorted or searched. */
export function ColumnTable({ project, owner, chosen, choose }: Props) {
  const [search, setSearch] = useState("");
  const [closed, setClosed] = useState<Set<string>>(new Set());
  const toggle = (names: string[], on: boolean) => {
    const next = new Set(chosen);
    for (const name of names) {
      if (on) next.add(name);
      else next.delete(name);
    }
    choose(next);
  };
  const wanted = search.trim().toLowerCase();
  const blocks = useMemo(() => blocksOf(project, wanted), [project, wanted]);
  const groups = blocks.map(({ stem, columns }): TableGroup<Column> => {
    if (stem === null) return { key: columns[0]?.name ?? "", rows: columns };
    const open = !closed.has(stem);
    return {
      key: stem,
      folded: !open,
      rows: columns,
      heading: (
        <BlockHeading
          stem={stem}
          count={columns.length}
          open={open}
          all={columns.every((column) => chosen.has(column.name))}
          fold={() => setClosed(flipped(closed, stem))}
          toggle={(on) =>
            toggle(
              columns.map((column) => column.name),
              on,
            )
          }
        />
      ),
    };
  });
  const nested = new Set(blocks.flatMap((b) => (b.stem === null ? [] : b.columns.map((c) => c.name))));
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
      <Table
        label="Columns of the data set"
        className="flex-1 pb-4"
        columns={columnsOf(owner, chosen, nested, toggle)}
        groups={groups}
        keyOf={(column) => column.name}
        selected={(column) => chosen.has(column.name)}
        rowHeight={27}
        sortedAsOne
        empty={<p className="mt-3 text-quiet">No column is called that.</p>}
      />
    </div>
  );
}

function flipped(set: Set<string>, name: string): Set<string> {
  const next = new Set(set);
  if (!next.delete(name)) next.add(name);
  return next;
}

/** The blocks by stem, and single columns; one list of what was found while something is searched. */
function blocksOf(project: Project, wanted: string): { stem: string | null; columns: Column[] }[] {
  if (wanted) {
    const fits = (c: Column) => `${c.name} ${c.label ?? ""}`.toLowerCase().includes(wanted);
    return [{ stem: null, columns: project.columns.filter(fits) }];
  }
  const byName = new Map(project.columns.map((column) => [column.name, column]));
  return project.blocks.map(({ stem, columns }) => ({
    stem,
    columns: columns.flatMap((name) => byName.get(name) ?? []),
  }));
}

interface BlockProps {
  stem: string;
  count: number;
  open: boolean;
  all: boolean;
  fold: () => void;
  toggle: (on: boolean) => void;
}

function BlockHeading({ stem, count, open, all, fold, toggle }: BlockProps) {
  const Chevron = open ? ChevronDown : ChevronRight;
  return (
    <span className="flex h-[27px] items-center gap-1.5 pt-1">
      <input
        type="checkbox"
        className="checkbox checkbox-xs"
        aria-label={`Select the block ${stem}`}
        checked={all}
        onChange={(event) => toggle(event.target.checked)}
      />
      <button className="flex items-center gap-1 font-semibold" aria-expanded={open} onClick={fold}>
        <Chevron size={13} className="text-quiet" />
        {stem} <span className="font-normal text-quiet">{count} columns</span>
      </button>
    </span>
  );
}

const WARN = "font-semibold text-plum";

/** Whether answers lie outside the scale that the labels of the values name. */
function outside(column: Column): string | null {
  const scale = labelledScale(column);
  if (scale === null || column.min === null || column.max === null) return null;
  return column.min < scale[0] || column.max > scale[1]
    ? `the labels of its values run from ${scale[0]} to ${scale[1]}`
    : null;
}

function columnsOf(
  owner: Map<string, string>,
  chosen: Set<string>,
  nested: Set<string>,
  toggle: (names: string[], on: boolean) => void,
): TableColumn<Column>[] {
  const number = (key: "mean" | "sd" | "skewness" | "kurtosis", head: string): TableColumn<Column> => ({
    key,
    head,
    value: (c) => (c.numeric ? c[key] : null),
    text: (c) => (c.numeric ? plain(c[key]) : ""),
  });
  const share = (c: Column) => (100 * c.missing) / Math.max(1, c.n + c.missing);
  return [
    {
      key: "name",
      head: "column",
      left: true,
      className: "max-w-[250px] pr-3",
      value: (c) => c.name,
      show: (c) => (
        <label className={`flex min-w-0 items-center gap-1.5 ${nested.has(c.name) ? "pl-5" : ""}`}>
          <input
            type="checkbox"
            className="checkbox checkbox-xs shrink-0"
            aria-label={`Select ${c.name}`}
            checked={chosen.has(c.name)}
            onChange={(event) => toggle([c.name], event.target.checked)}
          />
          <span className={nested.has(c.name) ? "" : "font-semibold"}>{c.name}</span>
          <span className="truncate text-sm text-quiet" title={c.label ?? undefined}>
            {c.label}
          </span>
        </label>
      ),
    },
    {
      key: "level",
      head: "type",
      left: true,
      className: "whitespace-nowrap text-sm text-quiet",
      value: (c) => (c.level === "category" ? `${c.distinct} groups` : c.level),
      show: (c) => <Level column={c} />,
    },
    { key: "n", head: "n", value: (c) => c.n },
    {
      key: "missing",
      head: "missing %",
      value: share,
      text: (c) => (c.missing === 0 ? "0" : share(c).toFixed(1)),
      className: (c) => (c.missing === 0 ? "text-quiet" : ""),
    },
    number("mean", "mean"),
    number("sd", "SD"),
    {
      key: "min",
      head: "from – to",
      value: (c) => (c.numeric ? c.min : null),
      text: (c) => (c.numeric ? ends(c.min, c.max) : ""),
      show: (c) => <span title={outside(c) ?? undefined}>{c.numeric ? ends(c.min, c.max) : ""}</span>,
      className: (c) => (outside(c) ? WARN : ""),
    },
    {
      ...number("skewness", "skew"),
      title: "marked beyond ±2",
      className: (c) => (Math.abs(c.skewness ?? 0) > 2 ? WARN : ""),
    },
    {
      ...number("kurtosis", "kurtosis"),
      title: "excess kurtosis, marked beyond ±7",
      className: (c) => (Math.abs(c.kurtosis ?? 0) > 7 ? WARN : ""),
    },
    {
      key: "answers",
      head: "answers",
      left: true,
      show: (c) => (
        <span title={valueLabels(c) ?? undefined}>
          <Histogram column={c} />
        </span>
      ),
    },
    {
      key: "used",
      head: "used for",
      left: true,
      className: "max-w-28 truncate text-sm text-quiet",
      value: (c) => owner.get(c.name) ?? "",
    },
  ];
}

function Level({ column }: { column: Column }) {
  const answers = valueLabels(column);
  return (
    <>
      {column.level === "category" ? `${column.distinct} groups` : column.level}
      {answers && (
        <span
          className="ml-1 cursor-help underline decoration-dotted"
          title={answers}
          aria-label={`Answers of ${column.name}: ${answers}`}
        >
          labelled
        </span>
      )}
    </>
  );
}

/** The ends of the scale that the labels of a column's values name, where there are at least two. */
function labelledScale(column: Column): [number, number] | null {
  const values = Object.keys(column.value_labels).map(Number).filter(Number.isFinite);
  return values.length > 1 ? [Math.min(...values), Math.max(...values)] : null;
}
