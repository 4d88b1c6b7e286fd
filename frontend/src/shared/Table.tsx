import { Menu, MenuButton, MenuItem, MenuItems } from "@headlessui/react";
import { useVirtualizer } from "@tanstack/react-virtual";
import { Copy } from "lucide-react";
import { useMemo, useRef, useState, type KeyboardEvent, type ReactNode } from "react";
import { attempt } from "../api/attempt";
import { copyBoth } from "./clipboard";
import { TextButton } from "./controls";
import { asPage, asText, byValue, extremes, written, type TableColumn } from "./tableText";

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
  /** Heads are only read; the order of the rows is their meaning. */
  fixed?: boolean;
  /** As the rows are sorted at first. */
  begin?: Sort;
  /** Of more rows than these the extremes at both ends are shown, and the rest when asked for. */
  most?: number;
  /** Rows stand close, where much is to be seen at once. */
  dense?: boolean;
  /** Columns are as wide as they are told to be, and share the rest evenly. */
  even?: boolean;
  /** As wide as its cells, without lines between the rows: a triangle, a matrix. */
  matrix?: boolean;
  rowTitle?: (row: Row) => string | undefined;
  /** Stands below the rows, as wide as the table. */
  foot?: ReactNode;
}

interface Sort {
  key: string;
  down: boolean;
}

/** A line of the table: a row, the heading of a group, or the count of the rows that are not shown. */
type Line<Row> = { group: TableGroup<Row>; row?: Row; hidden?: number };
const MANY = 150;

function linesOf<Row>(group: TableGroup<Row>, most = Infinity): Line<Row>[] {
  const { top, between, bottom } = extremes(group.rows, most);
  const line = (row: Row) => ({ group, row });
  return [
    ...top.map(line),
    ...(between.length > 0 ? [{ group, hidden: between.length }] : []),
    ...bottom.map(line),
  ];
}

/** Numbers stand to the right; words that follow them keep their distance. */
function aside<Row>(columns: TableColumn<Row>[], at: number): string {
  if (!columns[at]?.left) return "pl-4 text-right";
  return at > 0 && !columns[at - 1]?.left ? "pl-6" : "text-left";
}

/** Every table of the product: sorted by its heads, walked by arrow keys, copied into a spreadsheet. */
export function Table<Row>(props: Props<Row>) {
  const { label, columns, keyOf, selected, choose, empty, className = "", copyable = true, most } = props;
  const [sort, setSort] = useState<Sort | null>(props.begin ?? null);
  const [whole, unfold] = useState(false);
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
        ...(group.heading === undefined ? [] : [{ group }]),
        ...(group.folded ? [] : linesOf(group, whole ? undefined : most)),
      ]),
    [groups, whole, most],
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
  const across = (index: number, content: ReactNode) => (
    <tr key={`across ${index}`} data-line={index}>
      <td
        colSpan={wide}
        data-cell
        tabIndex={focus.line === index ? 0 : -1}
        onFocus={() => setFocus({ line: index, column: focus.column })}
      >
        {content}
      </td>
    </tr>
  );
  return (
    <div className={`group/table relative flex min-h-0 flex-col ${className}`}>
      {copyable && lines.length > 0 && <CopyMenu label={label} copy={copy} />}
      <div ref={scroll} className="min-h-0 flex-1 overflow-y-auto">
        <table
          className={
            props.matrix
              ? "border-separate border-spacing-[2px]"
              : `w-full border-collapse ${props.even ? "table-fixed" : ""}`
          }
          aria-label={label}
          onKeyDown={onKey}
        >
          {heads && (
            <thead className="sticky top-0 z-10 bg-base-100 text-left text-sm text-quiet">
              <tr>
                {columns.map((column, at) => (
                  <th
                    key={column.key}
                    title={column.title}
                    scope="col"
                    style={{ width: column.width }}
                    className={`pb-1 font-normal ${aside(columns, at)}`}
                    aria-sort={
                      sort?.key === column.key ? (sort.down ? "descending" : "ascending") : undefined
                    }
                  >
                    {column.over ??
                      (column.value && column.head && !props.fixed ? (
                        <button type="button" className="[text-align:inherit]" onClick={() => by(column.key)}>
                          {column.head}
                          {sort?.key === column.key ? (sort.down ? " ▾" : " ▴") : ""}
                        </button>
                      ) : (
                        column.head || <span className="sr-only">{column.hidden ?? column.key}</span>
                      ))}
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
              if (line.hidden !== undefined)
                return across(
                  index,
                  <TextButton onClick={() => unfold(true)}>{line.hidden} more</TextButton>,
                );
              if (row === undefined) return across(index, group.heading);
              return (
                <tr
                  key={keyOf(row)}
                  data-line={index}
                  data-testid={props.rowTestid?.(row)}
                  title={props.rowTitle?.(row)}
                  style={{ height: props.rowHeight }}
                  className={`${props.matrix ? "" : `border-b border-line/40 ${selected?.(row) ? "bg-base-300/70" : "hover:bg-base-200"}`} ${choose ? "cursor-pointer" : ""} ${props.rowClass?.(row) ?? ""}`}
                  onClick={choose && (() => choose(row))}
                >
                  {columns.map((column, at) => {
                    const own =
                      typeof column.className === "function" ? column.className(row) : column.className;
                    const Cell = column.heads ? "th" : "td";
                    return (
                      <Cell
                        key={column.key}
                        scope={column.heads ? "row" : undefined}
                        data-cell
                        tabIndex={focus.line === index && focus.column === at ? 0 : -1}
                        className={`${props.matrix ? "" : props.dense ? "py-[1px]" : "py-[3px]"} ${column.heads ? "font-normal" : ""} ${column.left ? "" : "whitespace-nowrap"} ${props.matrix ? "" : aside(columns, at)} ${own ?? ""}`}
                        onFocus={(event) =>
                          event.target === event.currentTarget && setFocus({ line: index, column: at })
                        }
                      >
                        {column.show ? column.show(row) : written(column, row)}
                      </Cell>
                    );
                  })}
                </tr>
              );
            })}
            {items && <tr style={{ height: window.getTotalSize() - (items.at(-1)?.end ?? 0) }} />}
            {props.foot && (
              <tr>
                <td colSpan={wide}>{props.foot}</td>
              </tr>
            )}
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
