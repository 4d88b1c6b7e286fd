import { Menu, MenuButton, MenuItem, MenuItems } from "@headlessui/react";
import { useVirtualizer } from "@tanstack/react-virtual";
import { Copy } from "lucide-react";
import { useMemo, useRef, useState, type KeyboardEvent, type ReactNode } from "react";
import { attempt } from "../api/attempt";
import { copyBoth } from "./clipboard";
import { asPage, asText, byValue, written, type TableColumn } from "./tableText";

export type { TableColumn };

/** Rows under a heading that can be folded; a table without headings is one such group. */
export interface TableGroup<Row> {
  key: string;
  heading?: ReactNode;
  folded?: boolean;
  rows: Row[];
}

interface Props<Row> {
  label: string;
  columns: TableColumn<Row>[];
  rows?: Row[];
  groups?: TableGroup<Row>[];
  keyOf: (row: Row) => string;
  selected?: (row: Row) => boolean;
  choose?: (row: Row) => void;
  rowTestid?: (row: Row) => string;
  rowClass?: (row: Row) => string;
  empty?: ReactNode;
  className?: string;
  /** Rows are short or many: heights are fixed, and only those in sight are drawn. */
  rowHeight?: number;
  /** What sorting leaves of the groups: their order within each, or one list without headings. */
  sortedAsOne?: boolean;
  copyable?: boolean;
}

interface Sort {
  key: string;
  down: boolean;
}

type Line<Row> = { group: TableGroup<Row>; row?: Row; at: number };
const MANY = 150;

/** Numbers stand to the right; words that follow them keep their distance. */
function aside<Row>(columns: TableColumn<Row>[], at: number): string {
  if (!columns[at]?.left) return "pl-4 text-right";
  return at > 0 && !columns[at - 1]?.left ? "pl-6" : "";
}

/** Every table of the product: sorted by its heads, walked by arrow keys, copied into a spreadsheet. */
export function Table<Row>(props: Props<Row>) {
  const { label, columns, keyOf, selected, choose, empty, className = "", copyable = true } = props;
  const [sort, setSort] = useState<Sort | null>(null);
  const [focus, setFocus] = useState({ line: 0, column: 0 });
  const scroll = useRef<HTMLDivElement>(null);
  const { rows, groups: given, sortedAsOne } = props;
  const groups = useMemo(() => {
    const found = given ?? [{ key: "", rows: rows ?? [] }];
    const column = sort && columns.find((one) => one.key === sort.key);
    if (!column) return found;
    const whole = sortedAsOne ? [{ key: "", rows: found.flatMap((group) => group.rows) }] : found;
    return whole.map((group) => ({ ...group, rows: [...group.rows].sort(byValue(column, sort.down)) }));
  }, [given, rows, columns, sort, sortedAsOne]);
  const lines = useMemo(
    () =>
      groups.flatMap((group): Line<Row>[] => [
        ...(group.heading === undefined ? [] : [{ group, at: -1 }]),
        ...(group.folded ? [] : group.rows.map((row, at) => ({ group, row, at }))),
      ]),
    [groups],
  );
  const virtual = lines.length > MANY;
  // eslint-disable-next-line react-hooks/incompatible-library -- its functions are used in this component alone
  const window = useVirtualizer({
    count: lines.length,
    enabled: virtual,
    getScrollElement: () => scroll.current,
    estimateSize: () => props.rowHeight ?? 26,
    overscan: 12,
  });
  const items = virtual ? window.getVirtualItems() : null;
  const shown = items ? items.map((item) => item.index) : lines.map((_, at) => at);
  const by = (key: string) =>
    setSort(sort?.key === key ? (sort.down ? null : { key, down: true }) : { key, down: false });

  const go = (line: number, column: number) => {
    const next = {
      line: Math.max(0, Math.min(lines.length - 1, line)),
      column: Math.max(0, Math.min(columns.length - 1, column)),
    };
    setFocus(next);
    if (virtual) window.scrollToIndex(next.line);
    requestAnimationFrame(() => {
      const row = scroll.current?.querySelector(`[data-line="${next.line}"]`);
      const cell =
        row?.querySelectorAll<HTMLElement>("[data-cell]")[next.column] ??
        row?.querySelector<HTMLElement>("[data-cell]");
      cell?.focus();
    });
  };
  const onKey = (event: KeyboardEvent) => {
    const target = event.target as HTMLElement;
    if (target.closest("input, select, thead") && event.key !== "Escape") return;
    if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "c" && copyable) {
      if (!document.getSelection()?.isCollapsed) return;
      copy(false);
    } else if (event.ctrlKey || event.metaKey || event.altKey) return;
    else if (event.key === "ArrowDown") go(focus.line + 1, focus.column);
    else if (event.key === "ArrowUp") go(focus.line - 1, focus.column);
    else if (event.key === "ArrowRight") go(focus.line, focus.column + 1);
    else if (event.key === "ArrowLeft") go(focus.line, focus.column - 1);
    else if (event.key === "Home") go(0, focus.column);
    else if (event.key === "End") go(lines.length - 1, focus.column);
    else if (event.key === "Enter" && target.matches("[data-cell]")) {
      const inside = target.querySelector<HTMLElement>("button, input, a");
      if (inside) inside.click();
      else target.click();
    } else return;
    event.preventDefault();
    event.stopPropagation();
  };
  const copy = (numbers: boolean) => {
    const all = groups.flatMap((group) => group.rows);
    const text = asText(columns, all, numbers);
    void (numbers
      ? attempt(() => navigator.clipboard.writeText(text))
      : copyBoth(text, asPage(columns, all)));
  };
  const heads = columns.some((column) => column.head);
  const wide = columns.length;
  return (
    <div className={`group/table relative flex min-h-0 flex-col ${className}`}>
      {copyable && lines.length > 0 && <CopyMenu label={label} copy={copy} />}
      <div ref={scroll} className="min-h-0 flex-1 overflow-y-auto">
        <table className="w-full border-collapse" aria-label={label} onKeyDown={onKey}>
          {heads && (
            <thead className="sticky top-0 z-10 bg-base-100 text-left text-sm text-quiet">
              <tr>
                {columns.map((column, at) => (
                  <th
                    key={column.key}
                    title={column.title}
                    style={{ width: column.width }}
                    className={`pb-1 font-normal ${aside(columns, at)}`}
                    aria-sort={
                      sort?.key === column.key ? (sort.down ? "descending" : "ascending") : undefined
                    }
                  >
                    {column.value && column.head ? (
                      <button type="button" onClick={() => by(column.key)}>
                        {column.head}
                        {sort?.key === column.key ? (sort.down ? " ▾" : " ▴") : ""}
                      </button>
                    ) : (
                      column.head || <span className="sr-only">{column.hidden ?? column.key}</span>
                    )}
                  </th>
                ))}
              </tr>
            </thead>
          )}
          <tbody>
            {items && <tr style={{ height: items[0]?.start ?? 0 }} />}
            {shown.map((index) => {
              const line = lines[index];
              if (!line) return null;
              const { row, group } = line;
              if (row === undefined)
                return (
                  <tr key={`group ${group.key}`} data-line={index}>
                    <td
                      colSpan={wide}
                      data-cell
                      tabIndex={focus.line === index ? 0 : -1}
                      onFocus={() => setFocus({ line: index, column: focus.column })}
                    >
                      {group.heading}
                    </td>
                  </tr>
                );
              return (
                <tr
                  key={keyOf(row)}
                  data-line={index}
                  data-testid={props.rowTestid?.(row)}
                  style={{ height: props.rowHeight }}
                  className={`border-b border-line/40 ${selected?.(row) ? "bg-base-300/70" : "hover:bg-base-200"} ${choose ? "cursor-pointer" : ""} ${props.rowClass?.(row) ?? ""}`}
                  onClick={choose && (() => choose(row))}
                >
                  {columns.map((column, at) => {
                    const own =
                      typeof column.className === "function" ? column.className(row) : column.className;
                    return (
                      <td
                        key={column.key}
                        data-cell
                        tabIndex={focus.line === index && focus.column === at ? 0 : -1}
                        className={`py-[3px] ${column.left ? "" : "whitespace-nowrap"} ${aside(columns, at)} ${own ?? ""}`}
                        onFocus={(event) =>
                          event.target === event.currentTarget && setFocus({ line: index, column: at })
                        }
                      >
                        {column.show ? column.show(row) : written(column, row)}
                      </td>
                    );
                  })}
                </tr>
              );
            })}
            {items && <tr style={{ height: window.getTotalSize() - (items.at(-1)?.end ?? 0) }} />}
          </tbody>
        </table>
        {lines.length === 0 && empty}
      </div>
    </div>
  );
}

function CopyMenu({ label, copy }: { label: string; copy: (numbers: boolean) => void }) {
  return (
    <Menu
      as="div"
      className="absolute right-0 top-0 z-20 opacity-0 focus-within:opacity-100 group-hover/table:opacity-100"
    >
      <MenuButton
        className="btn btn-ghost btn-xs btn-square bg-base-100"
        aria-label={`Copy: ${label}`}
        title="Copy the table (Ctrl C copies it as shown)"
      >
        <Copy size={13} />
      </MenuButton>
      <MenuItems className="absolute right-0 top-full w-48 rounded-box border border-line bg-base-100 p-1 shadow-lg">
        {[
          { words: "Copy as shown", numbers: false },
          { words: "Copy with every digit", numbers: true },
        ].map(({ words, numbers }) => (
          <MenuItem key={words}>
            <button
              type="button"
              className="block w-full rounded-md px-2 py-1 text-left data-focus:bg-base-200"
              onClick={() => copy(numbers)}
            >
              {words}
            </button>
          </MenuItem>
        ))}
      </MenuItems>
    </Menu>
  );
}
