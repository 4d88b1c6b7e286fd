import type { ReactNode } from "react";
import { asHtml, asTabs } from "./clipboard";

type Value = number | string | null | undefined;

/** A column of a table: what it is called, what it holds (to be sorted and copied by), and how that is shown. */
export interface TableColumn<Row> {
  key: string;
  /** What stands over it; nothing for a column of boxes or pictures. */
  head: string;
  /** What the head says to those who hear it, where nothing is written. */
  hidden?: string;
  /** What is drawn in the place of the head. */
  over?: ReactNode;
  title?: string;
  value?: (row: Row) => Value;
  /** The value as it is written, if not simply as it is. */
  text?: (row: Row) => string;
  /** What is drawn in its place. */
  show?: (row: Row) => ReactNode;
  left?: boolean;
  /** The column says what a row is about. */
  heads?: boolean;
  className?: string | ((row: Row) => string);
  width?: string;
}

/** Rows by the values of a column; what has none comes last either way. */
export function byValue<Row>(column: TableColumn<Row>, down: boolean) {
  return (a: Row, b: Row) => {
    const [x, y] = [column.value?.(a) ?? null, column.value?.(b) ?? null];
    if (x === null || y === null) return Number(x === null) - Number(y === null);
    const order = typeof x === "number" && typeof y === "number" ? x - y : String(x).localeCompare(String(y));
    return down ? -order : order;
  };
}

/** What a column shows of a row, in words. */
export function written<Row>(column: TableColumn<Row>, row: Row): string {
  return column.text?.(row) ?? String(column.value?.(row) ?? "");
}

/** What is copied of a table: its heads and cells, as they are written on screen or with every digit. */
function copied<Row>(columns: TableColumn<Row>[], rows: Row[], numbers: boolean) {
  const own = columns.filter((column) => column.value);
  const cell = (column: TableColumn<Row>, row: Row) => {
    const value = column.value?.(row);
    return numbers && typeof value === "number" ? String(value) : written(column, row);
  };
  return {
    heads: own.map((column) => column.head),
    cells: rows.map((row) => own.map((column) => cell(column, row))),
    words: own.map((column) => Boolean(column.left)),
  };
}

/** The table as a spreadsheet takes it: as it is written on screen, or with every digit. */
export function asText<Row>(columns: TableColumn<Row>[], rows: Row[], numbers: boolean): string {
  const { heads, cells } = copied(columns, rows, numbers);
  return asTabs(heads, cells);
}

/** The table as a word processor takes it, as it is written on screen. */
export function asPage<Row>(columns: TableColumn<Row>[], rows: Row[]): string {
  const { heads, cells, words } = copied(columns, rows, false);
  return asHtml(heads, cells, words);
}

/** Rows in view: the extremes at both ends of what is sorted, and a count of those between. */
export function extremes<T>(rows: T[], most: number): { top: T[]; between: T[]; bottom: T[] } {
  if (rows.length <= most) return { top: rows, between: [], bottom: [] };
  const foot = Math.max(1, Math.floor(most / 4));
  return {
    top: rows.slice(0, most - foot),
    between: rows.slice(most - foot, rows.length - foot),
    bottom: rows.slice(rows.length - foot),
  };
}
