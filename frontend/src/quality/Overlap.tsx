import { CopyAsReported } from "../shared/CopyAsReported";
import type { ModelState } from "../client/client";
import { useCriteria, useThorough } from "../api/hooks";
import { propose } from "../desk/desk";
import { removal } from "../desk/doing";
import { TextButton } from "../shared/controls";
import { Glyph } from "../shared/Glyph";
import { coefficient, plain } from "../shared/numbers";
import { Table, type TableColumn } from "../shared/Table";
import { judge } from "../shared/verdict";
import type { Measured } from "./use";

interface Overlapping {
  outcome: string;
  name: string;
  vif: number | null;
  figure: "vif_antecedents" | "vif_indicators";
}

const MARKS = [3.3, 5];
const SCALE = 6;

/** Do predictors overlap? VIF of antecedents for every outcome, of the items of formative constructs, and the cures. */
export function Overlap({ model, measured }: { model: ModelState; measured: Measured }) {
  const criteria = useCriteria();
  const lines: Overlapping[] = measured.vif_antecedents.map((v) => ({
    outcome: v.outcome,
    name: v.antecedent,
    vif: v.vif,
    figure: "vif_antecedents",
  }));
  for (const construct of measured.constructs.filter((c) => c.mode === "formative")) {
    for (const loading of measured.loadings.filter((l) => l.construct === construct.name)) {
      lines.push({
        outcome: `${construct.name}, its items`,
        name: loading.indicator,
        vif: loading.vif,
        figure: "vif_indicators",
      });
    }
  }
  const full = measured.constructs.filter((c) => typeof c.vif_full === "number");
  const bound = model.shown?.settings.estimator === "pls" ? 3.3 : 5;
  const beyond = full.filter((c) => (c.vif_full ?? 0) > bound);
  const overlapping = lines.filter((l) => judge(criteria.get(l.figure), l.vif) !== "meets" && l.vif !== null);
  const columns: TableColumn<Overlapping>[] = [
    {
      key: "outcome",
      head: "outcome",
      heads: true,
      left: true,
      className: "max-w-28 truncate pr-2 font-semibold",
      value: (line) => line.outcome,
    },
    {
      key: "antecedent",
      head: "antecedent",
      left: true,
      className: "max-w-24 truncate pr-2",
      value: (line) => line.name,
    },
    {
      key: "bar",
      head: "",
      hidden: "as a bar",
      className: "w-[100px]",
      show: ({ vif }) => <Bar vif={vif} />,
    },
    {
      key: "vif",
      head: "VIF",
      className: "w-16 tabular-nums",
      value: (line) => line.vif,
      show: ({ vif, figure }) => (
        <>
          {vif === null ? "–" : vif.toFixed(2)} <Glyph verdict={judge(criteria.get(figure), vif)} size={8} />
        </>
      ),
    },
  ];
  const method = useThorough(model).data?.common_method;
  return (
    <section aria-labelledby="overlap" className="mt-5 min-w-0">
      <h2 id="overlap" className="font-serif text-[18px] font-semibold">
        Do predictors overlap? {lines.length > 0 && <CopyAsReported model={model} table="collinearity" />}
      </h2>
      {lines.length === 0 ? (
        <p className="mt-1 text-quiet">Nothing has two predictors yet.</p>
      ) : (
        <div className="max-h-[240px] overflow-y-auto">
          <Table
            dense
            className="text-sm"
            label="VIF"
            columns={columns}
            rows={lines}
            keyOf={(line) => line.outcome + line.name}
            copyable={false}
          />
        </div>
      )}
      <p className="mt-1.5 text-sm">
        {overlapping.length === 0
          ? "Nothing overlaps so much that a path could not be told."
          : `${overlapping.length === 1 ? "One is" : `${overlapping.length} are`} hard to tell from the others: ${overlapping.map((l) => l.name).join(", ")}.`}{" "}
        {overlapping
          .filter((l) => l.figure === "vif_antecedents")
          .slice(0, 2)
          .map((l) => (
            <TextButton
              key={l.outcome + l.name}
              className="mr-3"
              onClick={() => propose(removal([{ kind: "path", source: l.name, target: l.outcome }], model))}
            >
              Take {l.name} → {l.outcome} out…
            </TextButton>
          ))}
      </p>
      {method && (
        <p className="mt-1 text-sm" data-testid="common-method">
          One factor behind all {method.items} items: χ² = {plain(method.single_factor.chi_square, 1)} (
          {method.single_factor.df}), CFI {coefficient(method.single_factor.cfi, 3)}; the measurement model:
          χ² = {plain(method.measurement.chi_square, 1)} ({method.measurement.df}), CFI{" "}
          {coefficient(method.measurement.cfi, 3)}.{" "}
          <span className="text-quiet">
            That one factor fits worse rules common method out no more than in.
          </span>
        </p>
      )}
      {full.length > 1 && (
        <p className="mt-1 text-sm text-quiet">
          Each construct on all others: VIF up to {Math.max(...full.map((c) => c.vif_full ?? 1)).toFixed(2)}
          {beyond.length > 0
            ? `, above ${bound} for ${beyond.map((c) => c.name).join(", ")}: read as a sign of common-method variance (Kock 2015).`
            : `, none above ${bound}: no sign of common-method variance by that (Kock 2015).`}
        </p>
      )}
    </section>
  );
}

/** A VIF as a bar from 1, with marks where it begins to matter. */
function Bar({ vif }: { vif: number | null }) {
  const share = (value: number) => `${Math.min(100, (100 * (value - 1)) / (SCALE - 1))}%`;
  return (
    <span className="relative block h-[5px] rounded-full bg-base-300" aria-hidden="true">
      <span className="absolute inset-y-0 left-0 rounded-full bg-lake" style={{ width: share(vif ?? 1) }} />
      {MARKS.map((at) => (
        <span key={at} className="absolute -inset-y-[3px] w-px bg-quiet" style={{ left: share(at) }} />
      ))}
    </span>
  );
}
