import { CopyAsReported } from "../shared/CopyAsReported";
import { useState, type ReactNode } from "react";
import type { ModelState } from "../client/client";
import { useCriteria } from "../api/hooks";
import { propose, select } from "../desk/desk";
import { merging, removal } from "../desk/doing";
import { TextButton } from "../shared/controls";
import { Glyph } from "../shared/Glyph";
import { coefficient, interval } from "../shared/numbers";
import { Table, type TableColumn } from "../shared/Table";
import { judge } from "../shared/verdict";
import { AddIntervals } from "./AddIntervals";
import { PairNote } from "./PairNote";
import type { Measured } from "./use";

const VIEWS = {
  htmt: "HTMT",
  fornell: "Fornell–Larcker",
  cross: "cross-loadings",
} as const;
type View = keyof typeof VIEWS;
const TABLES = { htmt: "htmt", fornell: "fornell_larcker", cross: "cross_loadings" } as const;

/** Are the constructs apart? HTMT with intervals, Fornell–Larcker, cross-loadings. */
export function Apart({ model, measured }: { model: ModelState; measured: Measured }) {
  const [view, setView] = useState<View>("htmt");
  return (
    <section aria-labelledby="apart" className="min-w-0">
      <h2 id="apart" className="font-serif text-[18px] font-semibold">
        Are they apart? <CopyAsReported model={model} table={TABLES[view]} />
      </h2>
      <div
        role="group"
        aria-label="How this is seen"
        className="mt-1 flex w-fit rounded-lg bg-base-200 p-0.5"
      >
        {(Object.keys(VIEWS) as View[]).map((key) => (
          <button
            key={key}
            aria-pressed={view === key}
            className="rounded-md px-3 py-1 text-sm aria-pressed:bg-card aria-pressed:font-semibold"
            onClick={() => setView(key)}
          >
            {VIEWS[key]}
          </button>
        ))}
      </div>
      {view === "htmt" && <Htmt model={model} measured={measured} />}
      {view === "fornell" && <FornellLarcker measured={measured} />}
      {view === "cross" && <CrossLoadings measured={measured} />}
    </section>
  );
}

/** Names short enough to stand under a cell of so many pixels. */
function short(name: string, cells: number): string {
  const most = cells > 8 ? 3 : cells > 5 ? 6 : 11;
  return name.length > most ? `${name.slice(0, most - 1)}.` : name;
}

function Htmt({ model, measured }: { model: ModelState; measured: Measured }) {
  const [open, look] = useState<{ a: string; b: string } | null>(null);
  const criterion = useCriteria().get("htmt");
  const names = [...new Set(measured.htmt.flatMap((pair) => [pair.a, pair.b]))];
  if (names.length < 2) {
    return (
      <p className="mt-3 text-quiet">
        Two constructs that show in items, with loadings that are estimated, are needed to tell them apart.
      </p>
    );
  }
  const of = (a: string, b: string) =>
    measured.htmt.find((pair) => (pair.a === a && pair.b === b) || (pair.a === b && pair.b === a));
  const geometric = (a: string, b: string) =>
    (measured.htmt2 ?? []).find((pair) => (pair.a === a && pair.b === b) || (pair.a === b && pair.b === a));
  const known = measured.htmt.filter((pair) => pair.value !== null);
  const highest = known.reduce<(typeof known)[number] | null>(
    (best, pair) => ((pair.value ?? 0) > (best?.value ?? -1) ? pair : best),
    null,
  );
  const bound = highest?.bootstrap?.headline[1];
  const good = criterion?.good ?? 0.85;
  const many = names.length > 7;
  const intervals = !many && measured.htmt.some((pair) => pair.bootstrap);
  const shortName = (name: string) => (
    <span aria-hidden="true" title={name}>
      {short(name, names.length)}
    </span>
  );
  const cell = (row: string, column: string) => {
    const pair = of(row, column);
    const value = pair?.value ?? null;
    const second = geometric(row, column)?.value ?? null;
    const strength = Math.min(1, Math.max(0, value ?? 0));
    const drawn = pair?.bootstrap ? `, ${interval(pair.bootstrap.headline)}` : "";
    return (
      <button
        className={`flex flex-col items-center justify-center rounded-md ${many ? "h-[21px] w-[27px]" : "h-[34px] w-[58px]"} ${judge(criterion, value) === "misses" ? "ring-1 ring-plum" : ""}`}
        style={{
          background: `color-mix(in srgb, var(--color-accent) ${Math.round(8 + 44 * strength)}%, var(--color-base-100))`,
        }}
        title={`${row} with ${column}: HTMT ${coefficient(value, 3)}, from signed correlations ${coefficient(pair?.signed, 3)}, HTMT2 ${coefficient(second, 3)}${drawn}`}
        aria-expanded={open?.a === column && open.b === row}
        onClick={() => {
          const same = open?.a === column && open.b === row;
          look(same ? null : { a: column, b: row });
          select({ kind: "construct", name: row });
        }}
      >
        <span className={`font-semibold leading-4 ${many ? "text-xs" : ""}`}>{coefficient(value)}</span>
        {intervals && <span className="text-[10.5px] leading-3">{interval(pair?.bootstrap?.headline)}</span>}
      </button>
    );
  };
  return (
    <>
      <Triangle
        label="HTMT"
        rows={[...names.slice(1), null]}
        columns={names.slice(0, -1)}
        ofNames="max-w-20 pr-1.5 text-sm"
        ofCells={(row) => (row === null ? "text-center text-xs text-quiet" : "")}
        cell={(row, column) =>
          row === null ? shortName(column) : names.indexOf(row) > names.indexOf(column) && cell(row, column)
        }
      />
      {open && names.includes(open.a) && names.includes(open.b) && (
        <PairNote {...{ model, measured }} pair={open} close={() => look(null)} />
      )}
      {highest && (
        <p className="mt-1.5 flex items-baseline gap-1.5 text-sm">
          <Glyph verdict={judge(criterion, highest.value)} size={8} />
          <span>
            Highest {coefficient(highest.value)}, {highest.a} with {highest.b}
            {bound === undefined
              ? ". "
              : `; bound ${coefficient(bound)}, ${bound < good ? "below" : "not below"} ${coefficient(good)}.`}
            {bound === undefined && <AddIntervals model={model} />}
          </span>
        </p>
      )}
      {highest && !open && (
        <p className="mt-0.5 text-sm">
          <TextButton className="mr-4" onClick={() => propose(merging(highest.b, highest.a))}>
            Merge the two…
          </TextButton>
          <TextButton
            onClick={() => {
              const gone = removal([{ kind: "construct", name: highest.b }], model);
              if (gone) propose({ ...gone, prompted: "data" });
            }}
          >
            Take {highest.b} out…
          </TextButton>{" "}
          <span className="text-quiet">refitted first</span>
        </p>
      )}
    </>
  );
}

function FornellLarcker({ measured }: { measured: Measured }) {
  const { rows, values } = measured.fornell_larcker;
  const worst = rows.flatMap((row, i) =>
    rows.slice(0, i).flatMap((column, j) => {
      const r = Math.abs(values[i]?.[j] ?? 0);
      const own = Math.min(values[i]?.[i] ?? Infinity, values[j]?.[j] ?? Infinity);
      return Number.isFinite(own) && r > own ? [`${column} with ${row}`] : [];
    }),
  );
  return (
    <>
      <Triangle
        className="text-sm"
        label="Fornell–Larcker"
        rows={rows}
        columns={rows}
        ofNames="max-w-28 pr-3"
        ofCells={(row, column) => `px-1.5 text-right tabular-nums ${row === column ? "font-semibold" : ""}`}
        cell={(row, column) => {
          const [i, j] = [rows.indexOf(row), rows.indexOf(column)];
          const title = i === j ? `root of AVE of ${row}` : `${row} with ${column}`;
          return i >= j && <span title={title}>{coefficient(values[i]?.[j] ?? null)}</span>;
        }}
      />
      <p className="mt-1.5 flex items-baseline gap-1.5 text-sm">
        <Glyph verdict={worst.length > 0 ? "misses" : "meets"} size={8} />
        {worst.length > 0
          ? `Correlated more than either explains its items: ${worst.join("; ")}.`
          : "Every root of AVE (on the diagonal) is above the construct's correlations."}
      </p>
    </>
  );
}

/** Constructs against each other; a row without a name has those of the columns. */
function Triangle<Row extends string | null>(props: {
  label: string;
  rows: Row[];
  columns: string[];
  ofNames: string;
  ofCells: (row: Row, column: string) => string;
  cell: (row: Row, column: string) => ReactNode;
  className?: string;
}) {
  const { label, rows, columns, ofNames, ofCells, cell, className = "" } = props;
  return (
    <Table
      className={`mt-2 ${className}`}
      label={label}
      fixed
      matrix
      copyable={false}
      rows={rows}
      keyOf={(row) => row ?? ""}
      columns={[
        {
          key: "construct",
          head: "",
          heads: true,
          className: `truncate text-right ${ofNames}`,
          show: (row) => row ?? <span className="sr-only">their names</span>,
        },
        ...columns.map((column): TableColumn<Row> => ({
          key: column,
          head: "",
          className: (row) => ofCells(row, column),
          show: (row) => cell(row, column),
        })),
      ]}
    />
  );
}

function CrossLoadings({ measured }: { measured: Measured }) {
  const { rows, columns, values } = measured.cross_loadings;
  const owner = new Map(measured.loadings.map((loading) => [loading.indicator, loading.construct]));
  const gaps = rows.flatMap((row, i) => {
    const own = columns.indexOf(owner.get(row) ?? "");
    const mine = Math.abs(values[i]?.[own] ?? 0);
    const other = Math.max(0, ...columns.map((_, j) => (j === own ? 0 : Math.abs(values[i]?.[j] ?? 0))));
    return own >= 0 && columns.length > 1 ? [{ row, gap: mine - other }] : [];
  });
  const least = gaps.reduce<(typeof gaps)[number] | null>((a, b) => (a && a.gap <= b.gap ? a : b), null);
  return (
    <>
      <div className="mt-2 max-h-[430px] overflow-auto">
        <Table
          className="text-sm"
          label="Cross-loadings"
          fixed
          matrix
          copyable={false}
          rows={rows}
          keyOf={(row) => row}
          columns={[
            { key: "item", head: "item", heads: true, left: true, className: "pr-1.5", value: (row) => row },
            ...columns.map((column, j): TableColumn<string> => ({
              key: column,
              head: short(column, columns.length),
              title: column,
              className: (row) =>
                `px-1 text-right tabular-nums ${owner.get(row) === column ? "font-semibold" : "text-quiet"}`,
              value: (row) => coefficient(values[rows.indexOf(row)]?.[j] ?? null),
            })),
          ]}
        />
      </div>
      {least && (
        <p className="mt-1.5 text-sm">
          Closest: {least.row}, {coefficient(least.gap)} between its own construct and the next.
        </p>
      )}
    </>
  );
}
