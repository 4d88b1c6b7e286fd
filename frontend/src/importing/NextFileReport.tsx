import type { Schemas } from "../client/client";
import { Heading } from "../shared/controls";
import { plain } from "../shared/numbers";
import { Table, type TableColumn } from "../shared/Table";

type Report = Schemas["NextFileReport"];

type Moved = Report["columns"][number];

const COLUMNS: TableColumn<Moved>[] = [
  { key: "name", head: "column", left: true, value: (c) => c.name },
  { key: "before", head: "mean before", value: (c) => c.mean_before, text: (c) => plain(c.mean_before) },
  { key: "after", head: "mean now", value: (c) => c.mean_after, text: (c) => plain(c.mean_after) },
  { key: "shift", head: "shift in SDs", value: (c) => c.shift, text: (c) => plain(c.shift) },
  {
    key: "new",
    head: "values not seen before",
    left: true,
    value: (c) => c.new_values.join(", "),
  },
];

/** What differs between the data in place and the next file. */
export function NextFileReport({ report }: { report: Report }) {
  const moved = report.columns.filter((c) => Math.abs(c.shift ?? 0) >= 0.2 || c.new_values.length > 0);
  return (
    <section className="mb-6" aria-label="What differs from the data in place">
      <Heading>what differs from the data in place</Heading>
      <p>
        {report.cases_before} cases before, {report.cases_after} in the new file.
      </p>
      {report.columns_gone.length > 0 && <p>No longer there: {report.columns_gone.join(", ")}.</p>}
      {report.columns_new.length > 0 && <p>New: {report.columns_new.join(", ")}.</p>}
      {report.kind_changed.length > 0 && (
        <p>Text where numbers were, or the reverse: {report.kind_changed.join(", ")}.</p>
      )}
      {moved.length === 0 ? (
        <p>No mean moved by as much as a fifth of a standard deviation.</p>
      ) : (
        <Table
          label="Columns that moved"
          className="mt-2"
          columns={COLUMNS}
          rows={moved.slice(0, 40)}
          keyOf={(c) => c.name}
        />
      )}
    </section>
  );
}
