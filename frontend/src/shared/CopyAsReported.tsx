import { api, take, type ModelState, type Schemas } from "../client/client";
import { attempt } from "../api/attempt";
import { asHtml, asTabs, copyBoth } from "./clipboard";
import { CopyButton } from "./CopyButton";

type TableBlock = Schemas["TableBlock"];

/** A table of the report on the clipboard: text for a spreadsheet, a table for a word processor. */
export function copyTable(block: TableBlock, title: string) {
  const rows = block.rows.map((row) => row.cells);
  const heads = block.columns.map((column) => column.words);
  const words = block.columns.map((column) => column.holds === "text");
  const note = block.notes.length ? `Note. ${block.notes.join(" ")}` : "";
  return copyBoth(asTabs(heads, rows), asHtml(heads, rows, words, title, note));
}

/** Copies what is looked at as the table that the report has of it. */
export function CopyAsReported({ model, table }: { model: ModelState; table: TableName }) {
  const copy = async () => {
    const path = { model_id: model.id, key: table };
    const block = await attempt(() =>
      take(api.GET("/api/models/{model_id}/tables/{key}", { params: { path } })),
    );
    return block !== null && (await copyTable(block, block.title)) !== null;
  };
  return (
    <CopyButton
      label={`Copy as a table: ${NAMES[table]}`}
      copy={copy}
      testid={`copy-${table}`}
      disabled={!model.estimated}
    />
  );
}

const NAMES = {
  measures: "items, loadings and reliability",
  htmt: "HTMT",
  fornell_larcker: "correlations and √AVE",
  cross_loadings: "cross-loadings",
  collinearity: "collinearity",
  fit: "fit",
  effects: "effects",
  models: "models",
  paths: "paths",
} as const;

export type TableName = keyof typeof NAMES;
