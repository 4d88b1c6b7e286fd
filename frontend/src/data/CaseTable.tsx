import { useQueries } from "@tanstack/react-query";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useRef, useState, type KeyboardEvent } from "react";
import { attempt } from "../api/attempt";
import { api, take, type Project } from "../client/client";
import { asTabs } from "../shared/clipboard";
import { CopyButton } from "../shared/CopyButton";
import { withHeldOut, withoutHeldOut, type Steps } from "../desk/steps";
import { keys } from "../client/queryKeys";

const PAGE = 100;
const WIDE = 88;
const AT_ONCE = 500;
const MOST_COPIED = 20_000;

/** The table of cases as they are used; those held out stand among them, struck through. */
export function CaseTable({ project, steps }: { project: Project; steps: Steps }) {
  const [sort, setSort] = useState<Order>(null);
  const [reason, setReason] = useState("");
  const [here, setHere] = useState({ row: 0, column: -1 });
  const scroll = useRef<HTMLDivElement>(null);
  const total = project.n_cases + Object.keys(steps.part?.held_out ?? {}).length;
  // eslint-disable-next-line react-hooks/incompatible-library -- its functions are used in this component alone
  const rows = useVirtualizer({
    count: total,
    getScrollElement: () => scroll.current,
    estimateSize: () => 26,
    overscan: 10,
  });
  const columns = useVirtualizer({
    horizontal: true,
    count: project.columns.length,
    getScrollElement: () => scroll.current,
    estimateSize: () => WIDE,
    overscan: 4,
  });
  const shown = rows.getVirtualItems();
  const pages = [...new Set(shown.map((item) => Math.floor(item.index / PAGE)))];
  const found = useQueries({
    queries: pages.map((page) => ({
      queryKey: keys.cases(project.id, project.data_version_id, sort, page),
      queryFn: () => someCases(project, sort, page * PAGE, PAGE),
    })),
  });
  const at = (index: number) => found[pages.indexOf(Math.floor(index / PAGE))]?.data?.cases[index % PAGE];
  const by = (column: string) =>
    setSort(sort?.column === column ? (sort.down ? null : { column, down: true }) : { column, down: false });
  const across = columns.getVirtualItems();
  const hold = (one: { case: number; held_out: boolean }) =>
    void steps.set(
      one.held_out
        ? withoutHeldOut(steps.steps, one.case)
        : withHeldOut(steps.steps, [one.case], reason.trim() || null),
    );
  // One stop for Tab; arrows walk through the cells, the first of a row is the case itself.
  const go = (row: number, column: number) => {
    const next = {
      row: Math.max(0, Math.min(total - 1, row)),
      column: Math.max(-1, Math.min(project.columns.length - 1, column)),
    };
    setHere(next);
    rows.scrollToIndex(next.row);
    if (next.column >= 0) columns.scrollToIndex(next.column);
    requestAnimationFrame(() =>
      scroll.current?.querySelector<HTMLElement>(`[data-place="${next.row} ${next.column}"]`)?.focus(),
    );
  };
  const onKey = (event: KeyboardEvent) => {
    const { row, column } = here;
    if (event.key === "ArrowDown") go(row + 1, column);
    else if (event.key === "ArrowUp") go(row - 1, column);
    else if (event.key === "ArrowRight") go(row, column + 1);
    else if (event.key === "ArrowLeft") go(row, column - 1);
    else if (event.key === "PageDown") go(row + 20, column);
    else if (event.key === "PageUp") go(row - 20, column);
    else if (event.key === "Home") go(event.ctrlKey ? 0 : row, -1);
    else if (event.key === "End") go(event.ctrlKey ? total - 1 : row, project.columns.length - 1);
    else if (event.key === "Enter") {
      const one = at(row);
      if (one && !steps.busy) hold(one);
    } else return;
    event.preventDefault();
  };
  const stop = (row: number, column: number) => ({
    "data-place": `${row} ${column}`,
    tabIndex: here.row === row && here.column === column ? 0 : -1,
    onFocus: () => setHere({ row, column }),
  });
  return (
    <div className="flex min-h-0 flex-1 flex-col">
      <div className="mb-2 flex items-center gap-3">
        <p>
          {project.n_cases} cases in use
          {total > project.n_cases && (
            <span className="text-ember">, {total - project.n_cases} held out</span>
          )}{" "}
          <CopyCases project={project} sort={sort} total={total} />
        </p>
        <label className="flex items-center gap-2 text-quiet">
          reason for holding out
          <input
            className="input input-xs w-52"
            placeholder="optional, such as careless"
            value={reason}
            onChange={(event) => setReason(event.target.value)}
          />
        </label>
      </div>
      <div
        ref={scroll}
        role="grid"
        aria-label="Cases"
        aria-rowcount={total + 1}
        onKeyDown={onKey}
        className="min-h-0 flex-1 overflow-auto pb-4 tabular-nums"
      >
        <div
          className="sticky top-0 z-10 h-[26px] bg-base-100 text-sm text-quiet"
          style={{ width: 116 + columns.getTotalSize() }}
          role="row"
          aria-rowindex={1}
        >
          <span className="absolute left-0 pl-1" role="columnheader">
            row in file
          </span>
          {across.map((item) => {
            const name = project.columns[item.index]?.name ?? "";
            return (
              <span
                key={name}
                role="columnheader"
                className="absolute text-right"
                style={{ left: 116 + item.start, width: WIDE }}
                aria-sort={sort?.column === name ? (sort.down ? "descending" : "ascending") : undefined}
              >
                <button
                  className="w-full truncate pl-2 text-right"
                  title={project.columns[item.index]?.label ?? name}
                  tabIndex={-1}
                  onClick={() => by(name)}
                >
                  {name}
                  {sort?.column === name ? (sort.down ? " ▾" : " ▴") : ""}
                </button>
              </span>
            );
          })}
        </div>
        <div
          className="relative"
          role="rowgroup"
          style={{ height: rows.getTotalSize(), width: 116 + columns.getTotalSize() }}
        >
          {shown.map((item) => {
            const one = at(item.index);
            return (
              <div
                key={item.index}
                role="row"
                aria-rowindex={item.index + 2}
                className={`absolute left-0 h-[26px] w-full border-b border-line/40 leading-[25px] hover:bg-base-200 ${one?.held_out ? "text-quiet line-through" : ""}`}
                style={{ top: item.start }}
              >
                <span
                  className="absolute left-0 w-12 pl-1 text-right"
                  role="rowheader"
                  aria-label={
                    one
                      ? `Case ${one.case}, Enter ${one.held_out ? "takes it back" : "holds it out"}`
                      : "not yet here"
                  }
                  {...stop(item.index, -1)}
                >
                  {one?.case}
                </span>
                {one && (
                  <>
                    <span role="gridcell">
                      <button
                        className="absolute left-[54px] text-sm font-semibold text-ember no-underline opacity-0 hover:underline focus:opacity-100 [div:hover>&]:opacity-100"
                        title={one.reason ?? undefined}
                        aria-label={`${one.held_out ? "Take back" : "Hold out"} case ${one.case}`}
                        disabled={steps.busy}
                        tabIndex={-1}
                        onClick={() => hold(one)}
                      >
                        {one.held_out ? "take back" : "hold out"}
                      </button>
                    </span>
                    {across.map((cell) => (
                      <span
                        key={cell.index}
                        role="gridcell"
                        className="absolute truncate pl-2 text-right"
                        style={{ left: 116 + cell.start, width: WIDE }}
                        {...stop(item.index, cell.index)}
                      >
                        {show(one.values[cell.index])}
                      </span>
                    ))}
                  </>
                )}
              </div>
            );
          })}
        </div>
      </div>
    </div>
  );
}

function show(value: number | string | null | undefined): string {
  if (value === null || value === undefined) return "·";
  return typeof value === "string" ? value : String(+value.toFixed(4)).replace("-", "−");
}

type Order = { column: string; down: boolean } | null;

/** A window of the cases in an order. */
function someCases(project: Project, sort: Order, offset: number, limit: number) {
  const query = { offset, limit, sort: sort?.column ?? null, descending: sort?.down ?? false };
  return take(
    api.GET("/api/projects/{project_id}/cases", { params: { path: { project_id: project.id }, query } }),
  );
}

/** All cases on the clipboard in the order in which they are shown, for a spreadsheet. */
function CopyCases({ project, sort, total }: { project: Project; sort: Order; total: number }) {
  const many = total > MOST_COPIED;
  const copy = async () => {
    const done = await attempt(async () => {
      const rows: string[][] = [];
      while (rows.length < total) {
        const { cases } = await someCases(project, sort, rows.length, AT_ONCE);
        if (cases.length === 0) break;
        for (const one of cases) {
          rows.push([String(one.case), ...one.values.map((value) => (value === null ? "" : String(value)))]);
        }
      }
      const heads = ["row in file", ...project.columns.map((column) => column.name)];
      await navigator.clipboard.writeText(asTabs(heads, rows));
      return true;
    });
    return done ?? false;
  };
  const title = many ? `More than ${MOST_COPIED.toLocaleString("en")} cases: save them as a file` : undefined;
  return <CopyButton label="Copy the cases for a spreadsheet" copy={copy} title={title} disabled={many} />;
}
