import { useState } from "react";
import type { ModelState } from "../client/client";
import { useResiduals } from "../api/hooks";
import { HeatMap } from "../shared/HeatMap";
import { Choose, Heading } from "../shared/controls";
import { coefficient, plain } from "../shared/numbers";
import { Table, type TableColumn } from "../shared/Table";

const KINDS = { correlation: "as correlations", standardized: "standardized", raw: "raw" } as const;
type Kind = keyof typeof KINDS;

interface Cell {
  row: string;
  column: string;
  value: number | null;
}

/** What the model leaves of the covariances, as a picture and as a list of the largest. */
export function ResidualsView({ model }: { model: ModelState }) {
  const [kind, setKind] = useState<Kind>("correlation");
  const residuals = useResiduals(model).data?.residuals;
  const matrix = residuals?.[kind];
  if (!residuals)
    return <p className="text-quiet">{model.shown ? "Fetching…" : "The model is not estimated."}</p>;
  const cells = (matrix?.rows ?? []).flatMap((row, i) =>
    (matrix?.columns ?? [])
      .slice(0, i + 1)
      .map((column, j): Cell => ({ row, column, value: matrix?.values[i]?.[j] ?? null })),
  );
  const largest = cells
    .filter((cell) => cell.value !== null)
    .sort((a, b) => Math.abs(b.value ?? 0) - Math.abs(a.value ?? 0))
    .slice(0, 14);
  const full = kind === "correlation" ? 0.2 : kind === "standardized" ? 4 : Math.abs(largest[0]?.value ?? 1);
  const columns: TableColumn<Cell>[] = [
    {
      key: "pair",
      head: "",
      left: true,
      value: (cell) => `${cell.column} ${cell.column === cell.row ? "itself" : `with ${cell.row}`}`,
    },
    {
      key: "value",
      head: "",
      value: (cell) => cell.value,
      text: (cell) => (kind === "correlation" ? coefficient(cell.value, 3) : plain(cell.value)),
    },
  ];
  return (
    <div className="grid min-h-0 flex-1 grid-cols-[minmax(0,1.2fr)_minmax(0,1fr)] gap-12 overflow-y-auto pb-4">
      <div>
        <Choose
          label="Kind of residual"
          size="xs"
          className="mb-3 w-44"
          value={kind}
          set={setKind}
          choices={(Object.keys(KINDS) as Kind[]).map((value) => ({ value, words: KINDS[value] }))}
        />
        {matrix ? (
          <HeatMap matrix={matrix} full={full} />
        ) : (
          <p className="text-quiet">Standardized residuals need complete cases.</p>
        )}
      </div>
      <div>
        <Heading>the largest: sample less model</Heading>
        <Table
          label="Largest residuals"
          columns={columns}
          rows={largest}
          keyOf={(cell) => `${cell.row} ${cell.column}`}
        />
        <p className="mt-2 text-sm text-quiet">
          {kind === "standardized"
            ? "Divided by their own errors: beyond 2 is more than chance, one in twenty aside."
            : "Where the model leaves much, two items share what it does not explain."}
        </p>
      </div>
    </div>
  );
}
