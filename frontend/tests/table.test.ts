// What is copied into a spreadsheet, and how rows are sorted.
import { expect, test } from "vitest";
import type { TableColumn } from "../src/shared/Table";
import { asText, byValue, written } from "../src/shared/tableText";

interface Row {
  name: string;
  value: number | null;
}

const rows: Row[] = [
  { name: "tr10", value: 0.123456789 },
  { name: "tr2", value: null },
  { name: "tr1\tx", value: -0.5 },
];
const columns: TableColumn<Row>[] = [
  { key: "box", head: "" },
  { key: "name", head: "parameter", value: (row) => row.name },
  { key: "value", head: "estimate", value: (row) => row.value, text: (row) => row.value?.toFixed(2) ?? "" },
];

test("numbers are copied as they are shown, or with every digit", () => {
  expect(asText(columns, rows, false)).toBe("parameter\testimate\ntr10\t0.12\ntr2\t\ntr1 x\t-0.50");
  expect(asText(columns, rows, true)).toBe("parameter\testimate\ntr10\t0.123456789\ntr2\t\ntr1 x\t-0.5");
});

test("what has no value comes last, whichever way is sorted", () => {
  const value = columns[2];
  if (!value) throw new Error("no such column");
  const order = (down: boolean) => [...rows].sort(byValue(value, down)).map((row) => row.value);
  expect(order(false)).toEqual([-0.5, 0.123456789, null]);
  expect(order(true)).toEqual([0.123456789, -0.5, null]);
});

test("words are sorted as words", () => {
  const name = columns[1];
  if (!name) throw new Error("no such column");
  expect([...rows].sort(byValue(name, false)).map((row) => row.name)).toEqual(["tr1\tx", "tr10", "tr2"]);
  expect(written(name, { name: "a", value: null })).toBe("a");
});
