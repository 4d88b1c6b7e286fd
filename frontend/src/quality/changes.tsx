import type { Criterion } from "../client/client";
import { useListed } from "../api/hooks";
import { Glyph } from "../shared/Glyph";
import type { TableColumn } from "../shared/Table";
import { changeOf, differenceOf, signed, type ItemWhatIf } from "./use";

type Row = Pick<ItemWhatIf, "figures">;
const MOST = 2; // of each, as many as there is room for

const knownIn = (rows: Row[], key: string) =>
  rows.some((row) => row.figures.some((one) => one.key === key && one.now !== null));

/** The statistics of the whole model that a what-if is told by, those first that the family has. */
export function useOfModel(rows: Row[]): Criterion[] {
  const listed = useListed("what_if");
  return listed.filter(({ key, about }) => about !== "construct" && knownIn(rows, key)).slice(0, MOST);
}

/** The same of the construct that is touched. */
export function useOfConstruct(rows: Row[]): Criterion[] {
  return useListed("what_if")
    .filter(({ key, about }) => about === "construct" && knownIn(rows, key))
    .slice(0, MOST);
}

/** By how much a statistic would change, and whether it would cross its cut-off. */
export function changeColumn<R extends Row>(key: string, head: string): TableColumn<R> {
  const text = (row: R) => signed(differenceOf(row, key));
  return {
    key,
    head,
    value: (row) => differenceOf(row, key),
    text,
    show: (row) => {
      const change = changeOf(row, key);
      return (
        <span className="whitespace-nowrap tabular-nums">
          {change?.crosses && (
            <span className="mr-1 inline-flex items-center gap-0.5">
              <Glyph verdict={change.verdict_now} size={8} />→
              <Glyph verdict={change.verdict_then} size={8} />
            </span>
          )}
          {text(row)}
        </span>
      );
    },
  };
}
