import { CopyAsReported } from "../shared/CopyAsReported";
import type { ModelState } from "../client/client";
import { useModification, useResiduals } from "../api/hooks";
import { list, propose } from "../desk/desk";
import { TextButton } from "../shared/controls";
import { coefficient, plain } from "../shared/numbers";

/** Where does the fit hurt? The largest residual, and what freeing something would do, with its warning. */
export function Hurts({ model }: { model: ModelState }) {
  const residuals = useResiduals(model).data?.residuals?.correlation;
  const left = useModification(model).data?.modification.filter((m) => m.kind === "covariance") ?? [];
  let largest = { a: "", b: "", value: 0 };
  residuals?.rows.forEach((row, i) =>
    residuals.columns.slice(0, i).forEach((column, j) => {
      const value = residuals.values[i]?.[j] ?? 0;
      if (Math.abs(value) > Math.abs(largest.value)) largest = { a: column, b: row, value };
    }),
  );
  const top = left[0];
  return (
    <section aria-labelledby="hurts" className="mt-5 min-w-0">
      <h2 id="hurts" className="font-serif text-[18px] font-semibold">
        Where does the fit hurt? <CopyAsReported model={model} table="fit" />
      </h2>
      {largest.a && (
        <p className="mt-1">
          Furthest from what the model says: {largest.a} with {largest.b}, by {coefficient(largest.value)} of
          a correlation.
        </p>
      )}
      {top && (
        <p className="mt-1">
          With covarying residuals of {top.from} and {top.to} χ² would fall by about {plain(top.index, 1)}.
          Only for a reason that could be stated in a paper.{" "}
          <TextButton
            onClick={() =>
              propose({
                question: `Let ${top.from} and ${top.to} covary?`,
                verb: "Let them covary",
                changes: [{ type: "set_covariance", first: top.from, second: top.to, free: true }],
                prompted: "data",
              })
            }
          >
            Look first…
          </TextButton>
        </p>
      )}
      <p className="mt-1 flex flex-wrap gap-x-4">
        <TextButton
          onClick={() => document.getElementById("residuals")?.scrollIntoView({ behavior: "smooth" })}
        >
          Residuals and what is left out ↓
        </TextButton>
        <TextButton onClick={() => list(true)}>All figures</TextButton>
      </p>
    </section>
  );
}
