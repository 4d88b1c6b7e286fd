import { ArrowDown, ArrowUp, Lock } from "lucide-react";
import { useState } from "react";
import type { ModelState } from "../client/client";
import { select, useDesk } from "../desk/desk";
import { CopyDrawn } from "../shared/CopyDrawn";
import { TextButton } from "../shared/controls";
import { Glyph } from "../shared/Glyph";
import { changeOf, differenceOf, extremes, signed, useItemWhatIfs, type ItemWhatIf } from "./use";

interface Head {
  key: string;
  words: string;
  decimals: number;
}

const FACTORS: Head[] = [
  { key: "cfi", words: "CFI", decimals: 3 },
  { key: "rmsea", words: "RMSEA", decimals: 3 },
  { key: "ave", words: "AVE", decimals: 3 },
  { key: "composite_reliability", words: "comp. rel.", decimals: 3 },
];
const COMPOSITES: Head[] = [
  { key: "srmr", words: "SRMR", decimals: 3 },
  { key: "highest_htmt", words: "HTMT", decimals: 3 },
  { key: "ave", words: "AVE", decimals: 3 },
  { key: "composite_reliability", words: "comp. rel.", decimals: 3 },
];
const MOST = 12;

/** What if one were set aside? Every item refitted in turn, sorted as one likes; crossing a criterion is marked. */
export function WhatIfs({ model }: { model: ModelState }) {
  const found = useItemWhatIfs(model);
  const [sort, setSort] = useState({ key: "ave", down: true });
  const [whole, unfold] = useState(false);
  const heads = model.traits.tests ? FACTORS : COMPOSITES;
  const value = (row: ItemWhatIf) =>
    sort.key === "item" ? null : (differenceOf(row, sort.key) ?? (sort.down ? -Infinity : Infinity));
  const rows = [...(found.data?.items ?? [])].sort((a, b) => {
    if (sort.key === "item") return (sort.down ? 1 : -1) * a.indicator.localeCompare(b.indicator);
    return (sort.down ? -1 : 1) * ((value(a) ?? 0) - (value(b) ?? 0));
  });
  const parts = whole ? { top: rows, between: [], bottom: [] } : extremes(rows, MOST);
  const other = rows.filter((row) => row.other_data);
  const kept = rows.filter((row) => row.kept);
  const press = (key: string) => setSort((now) => ({ key, down: now.key === key ? !now.down : true }));
  const line = (row: ItemWhatIf) => <Row key={row.construct + row.indicator} row={row} heads={heads} />;
  return (
    <section aria-labelledby="what-if" className="min-w-0">
      <h2 id="what-if" className="font-serif text-[18px] font-semibold">
        What if one were set aside? {rows.length > 0 && <CopyDrawn label="What if one were set aside" />}
      </h2>
      <p className="text-sm text-quiet">
        {found.isLoadingError
          ? found.error.message
          : found.isPending && model.estimated
            ? "Refitting without each item…"
            : rows.length === 0
              ? "No item can be set aside here."
              : `Each row is a refit, ${rows.length} in all.`}
      </p>
      {rows.length > 0 && (
        <table className="mt-1 w-full text-sm" aria-label="What if one were set aside">
          <thead>
            <tr>
              {[{ key: "item", words: "item" }, ...heads].map((head) => (
                <th
                  key={head.key}
                  scope="col"
                  aria-sort={sort.key === head.key ? (sort.down ? "descending" : "ascending") : "none"}
                  className={head.key === "item" ? "text-left" : "text-right"}
                >
                  <button
                    className={`inline-flex items-center gap-0.5 whitespace-nowrap ${sort.key === head.key ? "font-semibold text-ember-deep" : "font-normal text-quiet"}`}
                    onClick={() => press(head.key)}
                  >
                    {head.words}
                    {sort.key === head.key && (sort.down ? <ArrowDown size={11} /> : <ArrowUp size={11} />)}
                  </button>
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {parts.top.map(line)}
            {parts.between.length > 0 && (
              <tr>
                <td colSpan={heads.length + 1} className="py-0.5">
                  <TextButton onClick={() => unfold(true)}>{parts.between.length} more</TextButton>
                </td>
              </tr>
            )}
            {parts.bottom.map(line)}
          </tbody>
        </table>
      )}
      {kept.length > 0 && (
        <p className="mt-2 text-sm text-quiet">
          <Lock size={11} className="inline" aria-hidden="true" />{" "}
          {kept.map((row) => row.indicator).join(", ")} {kept.length === 1 ? "is" : "are"} kept as essential
          and never proposed.
        </p>
      )}
      {other.length > 0 && (
        <p className="mt-1 text-sm text-quiet">
          {other.length === rows.length ? "Every row" : `${other.length} of these rows`} would use other cases
          ({[...new Set(other.map((row) => row.n_used))].sort((a, b) => (a ?? 0) - (b ?? 0)).join(", ")}{" "}
          instead of {model.shown?.n_used}): other data.
        </p>
      )}
    </section>
  );
}

function Row({ row, heads }: { row: ItemWhatIf; heads: Head[] }) {
  const selected = useDesk(
    ({ selection }) =>
      selection?.kind === "indicator" &&
      selection.construct === row.construct &&
      selection.name === row.indicator,
  );
  const path = row.largest_path;
  const title = [
    row.other_data ? `n = ${row.n_used}` : "",
    path
      ? `moves most: ${path.from} → ${path.to}, ${path.now.toFixed(2)} → ${path.then.toFixed(2)}`
      : (row.message ?? ""),
  ]
    .filter(Boolean)
    .join(" · ");
  return (
    <tr
      className={`${selected ? "bg-ember/15" : "hover:bg-base-200"} ${row.kept ? "text-quiet" : ""}`}
      title={title}
    >
      <th scope="row" className="text-left">
        <button
          className="flex w-full items-center gap-1 rounded-sm py-[1.5px] text-left font-semibold"
          aria-pressed={selected}
          data-testid={`what-if-${row.indicator}`}
          onClick={() => select({ kind: "indicator", construct: row.construct, name: row.indicator })}
        >
          {row.indicator}
          {row.kept && <Lock size={10} aria-label="kept as essential" />}
        </button>
      </th>
      {row.estimated ? (
        heads.map((head) => {
          const change = changeOf(row, head.key);
          return (
            <td key={head.key} className="whitespace-nowrap text-right tabular-nums">
              {change?.crosses && (
                <span className="mr-1 inline-flex items-center gap-0.5">
                  <Glyph verdict={change.verdict_now} size={8} />→
                  <Glyph verdict={change.verdict_then} size={8} />
                </span>
              )}
              {signed(differenceOf(row, head.key), head.decimals)}
            </td>
          );
        })
      ) : (
        <td colSpan={heads.length} className="truncate text-right text-quiet">
          could not be estimated
        </td>
      )}
    </tr>
  );
}
