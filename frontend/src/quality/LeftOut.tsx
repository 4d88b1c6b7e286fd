import type { ModelState } from "../client/client";
import { propose } from "../desk/desk";
import { TextButton } from "../shared/controls";
import { coefficient, plain } from "../shared/numbers";
import { Table, type TableColumn } from "../shared/Table";
import { changeColumn, useOfModel } from "./changes";
import { signed, useLeftOut, type LeftOut as Row } from "./use";

function nameOf(row: Row): string {
  return row.change.type === "set_covariance"
    ? `${row.change.first} & ${row.change.second}`
    : `${row.change.construct} → ${row.change.indicators.join(", ")}`;
}

/** Of the changes of AVE the one that moves most, since two constructs may be touched. */
function ofAve(row: Row) {
  const changes = row.figures.filter((f) => f.key === "ave" && f.now !== null && f.then !== null);
  const size = (f: (typeof changes)[number]) => Math.abs((f.then ?? 0) - (f.now ?? 0));
  return changes.reduce<(typeof changes)[number] | null>(
    (best, f) => (best && size(best) >= size(f) ? best : f),
    null,
  );
}

const BEFORE: TableColumn<Row>[] = [
  {
    key: "name",
    head: "let in",
    left: true,
    value: nameOf,
    show: (row) => <span className="font-semibold">{nameOf(row)}</span>,
  },
  {
    key: "kind",
    head: "",
    hidden: "kind",
    left: true,
    className: "text-sm text-quiet",
    value: (row) => (row.change.type === "set_covariance" ? "residuals covary" : "cross-loading"),
  },
  {
    key: "index",
    head: "index",
    title: "By how much χ² would fall, by the score test",
    value: (row) => row.index,
    text: (row) => plain(row.index, 1),
  },
  {
    key: "fall",
    head: "χ² falls by",
    title: "By how much it falls in fact, refitted",
    value: (row) => row.chi_square_fall,
    text: (row) => plain(row.chi_square_fall, 1),
  },
  {
    key: "expected",
    head: "expected change",
    title: "Standardized",
    value: (row) => row.standardized_change,
    text: (row) => coefficient(row.standardized_change),
  },
];

const AFTER: TableColumn<Row>[] = [
  {
    key: "ave",
    head: "AVE",
    value: (row) => {
      const change = ofAve(row);
      return change && (change.then ?? 0) - (change.now ?? 0);
    },
    text: (row) => {
      const change = ofAve(row);
      return change ? `${signed((change.then ?? 0) - (change.now ?? 0))} ${change.about}` : "–";
    },
  },
  {
    key: "path",
    head: "moves most",
    left: true,
    className: "text-sm",
    value: (row) => {
      const path = row.largest_path;
      return path
        ? `${path.from} → ${path.to} ${coefficient(path.now)} → ${coefficient(path.then)}`
        : (row.message ?? "");
    },
  },
];

/** What does the model leave out? Covarying residuals and cross-loadings let in one at a time, each refitted. */
export function LeftOut({ model }: { model: ModelState }) {
  const found = useLeftOut(model);
  const rows = found.data?.items ?? [];
  const ofModel = useOfModel(rows);
  if (!model.traits.tests) return null;
  const columns: TableColumn<Row>[] = [
    ...BEFORE,
    ...ofModel.map(({ key, label }) => changeColumn<Row>(key, label)),
    ...AFTER,
    {
      key: "do",
      head: "",
      hidden: "look at it",
      show: (row) => (
        <TextButton
          onClick={() =>
            propose({
              question:
                row.change.type === "set_covariance"
                  ? `Let ${row.change.first} and ${row.change.second} covary?`
                  : `Let ${row.change.indicators.join(", ")} show ${row.change.construct} too?`,
              verb: row.change.type === "set_covariance" ? "Let them covary" : "Let it in",
              changes: [row.change],
              prompted: "data",
            })
          }
        >
          Look first…
        </TextButton>
      ),
    },
  ];
  return (
    <section aria-labelledby="left-out" className="col-span-3 mt-2 min-w-0 border-t border-line pt-4">
      <h2 id="left-out" className="font-serif text-[18px] font-semibold">
        What does the model leave out?
      </h2>
      <p className="mb-2 mt-1 text-sm text-quiet">
        {found.isLoadingError
          ? found.error.message
          : found.isPending && model.estimated
            ? "Letting each in…"
            : "Each row is a refit, the largest indices first. With so many candidates some are large by chance: let in only what could be explained in a paper."}
      </p>
      {rows.length > 0 ? (
        <Table label="What is left out" columns={columns} rows={rows} keyOf={nameOf} />
      ) : (
        !found.isPending && (
          <p>No covariance of residuals and no cross-loading would lower χ² by more than chance.</p>
        )
      )}
    </section>
  );
}
