import { Lock } from "lucide-react";
import type { ModelState } from "../client/client";
import { select, useDesk } from "../desk/desk";
import { Table, type TableColumn } from "../shared/Table";
import { changeColumn, useOfConstruct, useOfModel } from "./changes";
import { useItemWhatIfs, type ItemWhatIf } from "./use";

const MOST = 12;

/** What if one were set aside? Every item refitted in turn, sorted as one likes; crossing a criterion is marked. */
export function WhatIfs({ model }: { model: ModelState }) {
  const found = useItemWhatIfs(model);
  const selection = useDesk((desk) => desk.selection);
  const rows = found.data?.items ?? [];
  const [ofModel, ofConstruct] = [useOfModel(rows), useOfConstruct(rows)];
  const heads = [...ofModel, ...ofConstruct];
  const columns = [ITEM, ...heads.map(({ key, label }) => changeColumn<ItemWhatIf>(key, label))];
  const other = rows.filter((row) => row.other_data);
  const kept = rows.filter((row) => row.kept);
  return (
    <section aria-labelledby="what-if" className="min-w-0">
      <h2 id="what-if" className="font-serif text-[18px] font-semibold">
        What if one were set aside?
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
        <Table
          dense
          className="mt-1 text-sm"
          label="What if one were set aside"
          columns={columns}
          rows={rows}
          keyOf={(row) => row.construct + row.indicator}
          rowTestid={(row) => `what-if-${row.indicator}`}
          rowTitle={titleOf}
          rowClass={(row) => (row.kept || !row.estimated ? "text-quiet" : "")}
          selected={(row) =>
            selection?.kind === "indicator" &&
            selection.construct === row.construct &&
            selection.name === row.indicator
          }
          choose={(row) => select({ kind: "indicator", construct: row.construct, name: row.indicator })}
          begin={{ key: "ave", down: true }}
          most={MOST}
        />
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

function titleOf(row: ItemWhatIf) {
  const path = row.largest_path;
  return [
    row.other_data ? `n = ${row.n_used}` : "",
    path
      ? `moves most: ${path.from} → ${path.to}, ${path.now.toFixed(2)} → ${path.then.toFixed(2)}`
      : (row.message ?? ""),
  ]
    .filter(Boolean)
    .join(" · ");
}

const ITEM: TableColumn<ItemWhatIf> = {
  key: "item",
  head: "item",
  heads: true,
  left: true,
  value: (row) => row.indicator,
  show: (row) => (
    <span className="inline-flex items-center gap-1 font-semibold">
      {row.indicator}
      {row.kept && <Lock size={10} aria-label="kept as essential" />}
      {!row.estimated && <span className="font-normal">could not be estimated</span>}
    </span>
  ),
};
