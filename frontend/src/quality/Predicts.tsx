import { useState } from "react";
import type { ModelState, Schemas } from "../client/client";
import { useThorough } from "../api/hooks";
import { select } from "../desk/desk";
import { Choose, Explained } from "../shared/controls";
import { coefficient, plain } from "../shared/numbers";
import { Table, type TableColumn } from "../shared/Table";
import { labelHeights } from "./labels";

type Predicted = Schemas["PredictedIndicator"];
type Line = Schemas["ImportancePart"];

const COLUMNS: TableColumn<Predicted>[] = [
  { key: "indicator", head: "item", left: true, value: (row) => row.indicator },
  {
    key: "q2",
    head: "Q²predict",
    title: "Above 0: better than the training cases' mean",
    value: (row) => row.q2_predict,
    text: (row) => coefficient(row.q2_predict, 3),
  },
  { key: "rmse", head: "RMSE", value: (row) => row.rmse, text: (row) => plain(row.rmse, 3) },
  {
    key: "means",
    head: "of the means",
    value: (row) => row.rmse_mean,
    text: (row) => plain(row.rmse_mean, 3),
  },
  {
    key: "linear",
    head: "of a linear model",
    title: "On all items of constructs that nothing leads to",
    value: (row) => row.rmse_linear,
    text: (row) => plain(row.rmse_linear, 3),
  },
];

/** Does it predict? Items of outcomes in cases that the model has not seen, and what would be worth improving. */
export function Predicts({ model }: { model: ModelState }) {
  const found = useThorough(model);
  const { prediction, importance } = found.data ?? { prediction: null, importance: [] };
  if (!model.traits.predicts || model.settings.part === "measurement") return null;
  if (!prediction && importance.length === 0) {
    return found.isPending ? <p className="mt-6 text-quiet">Predicting held-out cases…</p> : null;
  }
  const lines = prediction?.indicators ?? [];
  const better = lines.filter((l) => l.rmse_linear !== null && l.rmse < l.rmse_linear).length;
  return (
    <div className="col-span-3 mt-2 grid grid-cols-[minmax(0,1.1fr)_minmax(0,1fr)] gap-10 border-t border-line pt-4">
      <section aria-labelledby="predicts" className="min-w-0">
        <h2 id="predicts" className="font-serif text-[18px] font-semibold">
          Does it predict?
        </h2>
        {prediction ? (
          <>
            <p className="mb-2 mt-1 text-sm">
              {lines.filter((l) => (l.q2_predict ?? 0) > 0).length} of {lines.length} items are predicted
              better than by their mean, {better} better than by a linear model.{" "}
              <span className="text-quiet">
                {prediction.folds} folds, {prediction.repeats} repeats, seed {prediction.seed}.
              </span>{" "}
              <Explained page="composites">How it is computed</Explained>
            </p>
            <Table label="Prediction" columns={COLUMNS} rows={lines} keyOf={(row) => row.indicator} />
          </>
        ) : (
          <p className="mt-1 text-quiet">
            Prediction needs single cases without gaps, and an outcome that shows in items.
          </p>
        )}
      </section>
      {importance.length > 0 && <Worth lines={importance} />}
    </div>
  );
}

const WIDTH = 460;
const HEIGHT = 300;
const LEFT = 40;
const FOOT = 34;
const TOP = 14;

/** What is worth improving? Importance for an outcome against performance, both of scores of 0–100. */
function Worth({ lines }: { lines: Line[] }) {
  const outcomes = [...new Set(lines.map((line) => line.outcome))];
  const [chosen, choose] = useState<string | null>(null);
  const outcome = chosen && outcomes.includes(chosen) ? chosen : (outcomes[outcomes.length - 1] ?? "");
  const own = lines.filter((line) => line.outcome === outcome);
  const points = own.filter((line) => line.importance !== null && line.performance !== null);
  const without = own.filter((line) => line.against !== null);
  const values = points.map((line) => line.importance ?? 0);
  const [low, high] = [Math.min(0, ...values), Math.max(0.1, ...values) * 1.15];
  const x = (v: number) => LEFT + ((v - low) / (high - low)) * (WIDTH - LEFT - 70);
  const y = (v: number) => TOP + (1 - v / 100) * (HEIGHT - TOP - FOOT);
  const heights = labelHeights(
    points.map((line) => ({ name: line.construct, x: x(line.importance ?? 0), y: y(line.performance ?? 0) })),
  );
  const ticks = [0, 0.25, 0.5, 0.75, 1].map((share) => low + share * (high / 1.15 - low));
  return (
    <section aria-labelledby="worth" className="min-w-0">
      <div className="flex items-baseline gap-3">
        <h2 id="worth" className="font-serif text-[18px] font-semibold">
          What is worth improving for
        </h2>
        <Choose
          label="Outcome"
          size="xs"
          className="w-40"
          value={outcome}
          set={choose}
          choices={outcomes.map((value) => ({ value, words: value }))}
        />
      </div>
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        className="mt-2 w-full max-w-[520px]"
        role="img"
        aria-label={`Importance for ${outcome} against performance`}
      >
        <path d={`M${LEFT} ${y(0)}H${WIDTH - 8}`} className="stroke-quiet" />
        {[0, 25, 50, 75, 100].map((v) => (
          <g key={v}>
            {v > 0 && <path d={`M${LEFT} ${y(v)}H${WIDTH - 8}`} className="stroke-line" strokeWidth={0.7} />}
            <text x={LEFT - 6} y={y(v) + 3.5} textAnchor="end" className="fill-quiet text-[11px]">
              {v}
            </text>
          </g>
        ))}
        {low < 0 && <path d={`M${x(0)} ${TOP}V${y(0)}`} className="stroke-line" strokeDasharray="3 3" />}
        <text x={WIDTH - 8} y={HEIGHT - 4} textAnchor="end" className="fill-quiet text-[11px]">
          importance: points of {outcome} for one point
        </text>
        <text x={LEFT} y={9} className="fill-quiet text-[11px]">
          performance: mean score, 0–100
        </text>
        {ticks.map((v) => (
          <text key={v} x={x(v)} y={y(0) + 13} textAnchor="middle" className="fill-quiet text-[11px]">
            {coefficient(v)}
          </text>
        ))}
        {points.map((line) => (
          <g
            key={line.construct}
            className="cursor-pointer"
            onClick={() => select({ kind: "construct", name: line.construct })}
          >
            <path
              d={`M${x(line.importance ?? 0) - 7} ${y(line.performance ?? 0)}a7 7 0 0 1 14 0z`}
              className="fill-gold"
            />
            <path
              d={`M${x(line.importance ?? 0)} ${y(line.performance ?? 0)}V${y(0)}`}
              className="stroke-gold"
              strokeWidth={0.8}
              strokeDasharray="2 3"
            />
            <text
              x={x(line.importance ?? 0) + 10}
              y={heights.get(line.construct)}
              className="fill-base-content text-[12px] font-semibold"
            >
              {line.construct}
            </text>
            <title>
              {line.construct}: importance {plain(line.importance, 3)}, performance{" "}
              {plain(line.performance, 1)}
            </title>
          </g>
        ))}
      </svg>
      {without.map((line) => (
        <p key={line.construct} className="text-sm text-quiet">
          {line.construct} is left out: {line.against} has a negative weight, so its score means nothing on
          0–100.
        </p>
      ))}
      {own.length > 0 && !own.every((line) => line.recorded_ends) && (
        <p className="text-sm text-quiet">
          Scales begin and end where answers do, because their ends are not recorded with the data.
        </p>
      )}
    </section>
  );
}
