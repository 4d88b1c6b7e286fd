// @vitest-environment jsdom
// The one table of all screens: what it shows, how it is walked, what it folds.
import { cleanup, fireEvent, render, screen, within } from "@testing-library/react";
import { afterEach, expect, test, vi } from "vitest";
import { Table, type TableColumn } from "../src/shared/Table";

afterEach(cleanup);

interface Item {
  name: string;
  loading: number | null;
}

const ITEMS: Item[] = [
  { name: "tr1", loading: 0.81 },
  { name: "tr2", loading: null },
  { name: "tr3", loading: 0.72 },
  { name: "tr4", loading: 0.66 },
];
const COLUMNS: TableColumn<Item>[] = [
  { key: "item", head: "item", heads: true, left: true, value: (row) => row.name },
  {
    key: "loading",
    head: "loading",
    value: (row) => row.loading,
    text: (row) => row.loading?.toFixed(2) ?? "–",
  },
];
const names = () => screen.getAllByRole("rowheader").map((cell) => cell.textContent);

test("a press on a head sorts, another turns round, a third lets go", () => {
  render(<Table label="Loadings" columns={COLUMNS} rows={ITEMS} keyOf={(row) => row.name} />);
  const head = () => screen.getByRole("columnheader", { name: /loading/ });
  fireEvent.click(within(head()).getByRole("button"));
  expect(names()).toEqual(["tr4", "tr3", "tr1", "tr2"]);
  expect(head().getAttribute("aria-sort")).toBe("ascending");
  fireEvent.click(within(head()).getByRole("button"));
  expect(names()).toEqual(["tr1", "tr3", "tr4", "tr2"]);
  fireEvent.click(within(head()).getByRole("button"));
  expect(names()).toEqual(["tr1", "tr2", "tr3", "tr4"]);
  expect(head().hasAttribute("aria-sort")).toBe(false);
});

test("the order of some tables is their meaning: their heads are only read", () => {
  render(<Table label="Loadings" fixed columns={COLUMNS} rows={ITEMS} keyOf={(row) => row.name} />);
  expect(screen.getByRole("columnheader", { name: "loading" }).querySelector("button")).toBeNull();
});

test("of many rows the extremes are shown until all are asked for", () => {
  const many = Array.from({ length: 20 }, (_, at) => ({ name: `i${at}`, loading: at / 20 }));
  render(
    <Table
      label="Loadings"
      columns={COLUMNS}
      rows={many}
      keyOf={(row) => row.name}
      begin={{ key: "loading", down: true }}
      most={8}
    />,
  );
  expect(names()).toEqual(["i19", "i18", "i17", "i16", "i15", "i14", "i1", "i0"]);
  fireEvent.click(screen.getByRole("button", { name: "12 more" }));
  expect(names()).toHaveLength(20);
});

test("one stop for Tab; Enter on a cell does what a click would", () => {
  const choose = vi.fn();
  render(<Table label="Loadings" columns={COLUMNS} rows={ITEMS} keyOf={(row) => row.name} choose={choose} />);
  const cells = [...screen.getAllByRole("rowheader"), ...screen.getAllByRole("cell")];
  expect(cells.filter((cell) => cell.tabIndex === 0)).toHaveLength(1);
  const first = screen.getByRole("rowheader", { name: "tr1" });
  first.focus();
  fireEvent.keyDown(first, { key: "Enter" });
  expect(choose).toHaveBeenCalledExactlyOnceWith(ITEMS[0]);
});
