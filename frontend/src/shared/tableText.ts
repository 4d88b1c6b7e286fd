import type { TableColumn } from "./Table";

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

/** The table as a spreadsheet takes it: as it is written on screen, or with every digit. */
export function asText<Row>(columns: TableColumn<Row>[], rows: Row[], numbers: boolean): string {
  const copied = columns.filter((column) => column.value);
  const cell = (column: TableColumn<Row>, row: Row) => {
    const value = column.value?.(row);
    const text = numbers && typeof value === "number" ? String(value) : written(column, row);
    return text.replaceAll(/[\t\n]/g, " ");
  };
  const lines = rows.map((row) => copied.map((column) => cell(column, row)).join("\t"));
  return [copied.map((column) => column.head).join("\t"), ...lines].join("\n");
}
