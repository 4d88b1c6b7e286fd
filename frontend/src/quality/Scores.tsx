import { useState } from "react";
import type { ModelState, Project, Schemas } from "../client/client";
import { useScores } from "../api/hooks";
import { useSteps, withHeldOut } from "../desk/steps";
import { Action, Choose, Explained, LINK } from "../shared/controls";
import { coefficient, plain, pWords } from "../shared/numbers";
import { Picture } from "../shared/Picture";
import { Table, type TableColumn } from "../shared/Table";

type Described = Schemas["ScoreDescriptivesPart"];
type Pair = Schemas["ScorePair"];
type Method = "regression" | "bartlett";

const COLUMNS: TableColumn<Described>[] = [
  { key: "construct", head: "scores", left: true, value: (row) => row.construct },
  { key: "n", head: "n", value: (row) => row.n },
  { key: "mean", head: "mean", value: (row) => row.mean, text: (row) => plain(row.mean) },
  { key: "sd", head: "SD", value: (row) => row.sd, text: (row) => plain(row.sd) },
  { key: "min", head: "min", value: (row) => row.min, text: (row) => plain(row.min) },
  { key: "max", head: "max", value: (row) => row.max, text: (row) => plain(row.max) },
  { key: "skewness", head: "skew", value: (row) => row.skewness, text: (row) => plain(row.skewness) },
  { key: "kurtosis", head: "kurtosis", value: (row) => row.kurtosis, text: (row) => plain(row.kurtosis) },
];

/** How do the cases lie? Scores on the constructs, any two against each other, and the cases far from the others. */
export function Scores({ project, model }: { project: Project; model: ModelState }) {
  const [method, setMethod] = useState<Method>("regression");
  const [chosen, choose] = useState<{ first: string | null; second: string | null }>({
    first: null,
    second: null,
  });
  const known = new Set(model.constructs.map((c) => c.name));
  const first = chosen.first && known.has(chosen.first) ? chosen.first : null;
  const second = chosen.second && known.has(chosen.second) && chosen.second !== first ? chosen.second : null;
  const found = useScores(model, method, first, second);
  if (project.n_cases === 0) {
    return (
      <section className="col-span-3 mt-2 border-t border-line pt-4 text-sm text-quiet">
        Scores are of single cases, and a matrix has none.
      </section>
    );
  }
  const { bartlett, descriptives, pair } = found.data ?? { bartlett: false, descriptives: [], pair: null };
  const names = descriptives.map((d) => d.construct);
  const choices = (but: string | undefined) =>
    names.filter((name) => name !== but).map((value) => ({ value, words: value }));
  return (
    <section aria-labelledby="scores" className="col-span-3 mt-2 min-w-0 border-t border-line pt-4">
      <h2 id="scores" className="font-serif text-[18px] font-semibold">
        How do the cases lie?
      </h2>
      {found.isLoadingError && <p>{found.error.message}</p>}
      <div className="mt-2 grid grid-cols-[minmax(0,1fr)_minmax(0,1.1fr)] gap-12">
        <div className="min-w-0">
          <Table label="Scores" columns={COLUMNS} rows={descriptives} keyOf={(row) => row.construct} />
          <p className="mt-2 flex items-center gap-4 text-sm">
            {bartlett && (
              <Choose<Method>
                label="Kind of scores"
                size="xs"
                className="w-40"
                value={method}
                set={setMethod}
                choices={[
                  { value: "regression", words: "regression scores" },
                  { value: "bartlett", words: "Bartlett's scores" },
                ]}
              />
            )}
            <a className={LINK} href={`/api/models/${model.id}/scores.csv?method=${method}`}>
              Save the scores as .csv
            </a>
            <Explained page="estimation">How they are computed</Explained>
          </p>
          {pair && <Far pair={pair} project={project} />}
        </div>
        {pair ? (
          <div className="min-w-0">
            <p className="flex items-center gap-2 text-sm">
              <Choose
                label="Upwards"
                size="xs"
                className="w-36"
                value={pair.second}
                set={(value) => choose({ first: pair.first, second: value })}
                choices={choices(pair.first)}
              />
              <span className="text-quiet">by</span>
              <Choose
                label="To the right"
                size="xs"
                className="w-36"
                value={pair.first}
                set={(value) => choose({ first: value, second: pair.second === value ? null : pair.second })}
                choices={choices(pair.second)}
              />
              {pair.slope !== null && (
                <span className="text-quiet">
                  r = {coefficient(pair.correlation)}, slope {plain(pair.slope)}
                </span>
              )}
            </p>
            <Plot pair={pair} />
          </div>
        ) : (
          names.length === 1 && (
            <p className="text-quiet">Two constructs are needed to see one by the other.</p>
          )
        )}
      </div>
    </section>
  );
}

/** The cases far from the middle of both, each to be held out as a recorded step. */
function Far({ pair, project }: { pair: Pair; project: Project }) {
  const steps = useSteps(project.id);
  const far = pair.cases.filter((one) => one.far).sort((a, b) => b.d2 - a.d2);
  if (far.length === 0) {
    return (
      <p className="mt-3 text-sm text-quiet">No case is far from the others (p &lt; .001) in these two.</p>
    );
  }
  return (
    <div className="mt-3 text-sm">
      <p>
        {far.length === 1 ? "One case is" : `${far.length} cases are`} far from the others in these two (p
        &lt; .001). Look at the answers before anything is left out.
      </p>
      <ul className="mt-1 max-h-32 overflow-y-auto">
        {far.map((one) => (
          <li key={one.case} className="flex items-center gap-3 py-0.5 tabular-nums">
            <span className="w-20 font-semibold">case {one.case}</span>
            <span className="flex-1 text-quiet">
              d² = {plain(one.d2, 1)}, {pWords(one.p_value)}
            </span>
            <Action
              size="xs"
              disabled={steps.busy}
              onClick={() =>
                void steps.set(
                  withHeldOut(steps.steps, [one.case], `far in ${pair.first} and ${pair.second}`),
                )
              }
            >
              Hold out
            </Action>
          </li>
        ))}
      </ul>
    </div>
  );
}

const WIDTH = 560;
const HEIGHT = 330;
const LEFT = 44;
const FOOT = 36;

function Plot({ pair }: { pair: Pair }) {
  const xs = pair.cases.map((one) => one.first);
  const ys = pair.cases.map((one) => one.second);
  if (xs.length === 0)
    return <p className="text-sm text-quiet">There is no line to be drawn through these.</p>;
  const [left, right] = [Math.min(...xs), Math.max(...xs)];
  const [low, high] = [Math.min(...ys), Math.max(...ys)];
  const x = (v: number) => LEFT + ((v - left) / (right - left || 1)) * (WIDTH - LEFT - 12);
  const y = (v: number) => HEIGHT - FOOT - ((v - low) / (high - low || 1)) * (HEIGHT - FOOT - 12);
  const line = pair.band.map((p) => `${x(p.at)} ${y(p.line)}`).join("L");
  const band = [
    ...pair.band.map((p) => `${x(p.at)} ${y(p.high)}`),
    ...[...pair.band].reverse().map((p) => `${x(p.at)} ${y(p.low)}`),
  ].join("L");
  return (
    <Picture
      name={`${pair.second} by ${pair.first}`}
      label={`Scores of ${pair.second} by ${pair.first}, ${pair.n} cases, r = ${coefficient(pair.correlation)}`}
      width={WIDTH}
      height={HEIGHT}
      className="mt-1"
    >
      <path d={`M${LEFT} ${y(low)}H${WIDTH - 12}M${LEFT} ${y(low)}V12`} className="fill-none stroke-line" />
      {[0, 0.5, 1].map((share) => (
        <g key={share} className="fill-quiet" fontSize={11}>
          <text x={x(left + share * (right - left))} y={HEIGHT - FOOT + 15} textAnchor="middle">
            {plain(left + share * (right - left), 1)}
          </text>
          <text x={LEFT - 6} y={y(low + share * (high - low)) + 4} textAnchor="end">
            {plain(low + share * (high - low), 1)}
          </text>
        </g>
      ))}
      <path d={`M${band}z`} className="fill-gold" fillOpacity={0.28} />
      {pair.cases.map((one) =>
        one.far ? (
          <g key={one.case}>
            <path
              d={`M${x(one.first)} ${y(one.second) - 4.5}l4.5 4.5l-4.5 4.5l-4.5 -4.5z`}
              className="fill-none stroke-plum"
              strokeWidth={1.5}
            />
            <text
              x={x(one.first) + (x(one.first) > WIDTH - 60 ? -8 : 8)}
              y={y(one.second) + 4}
              textAnchor={x(one.first) > WIDTH - 60 ? "end" : "start"}
              fontSize={11}
              className="fill-plum"
            >
              {one.case}
            </text>
          </g>
        ) : (
          <circle
            key={one.case}
            cx={x(one.first)}
            cy={y(one.second)}
            r={2.3}
            className="fill-indigo"
            fillOpacity={0.45}
          >
            <title>case {one.case}</title>
          </circle>
        ),
      )}
      <path d={`M${line}`} className="fill-none stroke-ember" strokeWidth={1.6} />
      <text x={WIDTH - 12} y={HEIGHT - 6} textAnchor="end" fontSize={12} className="fill-quiet">
        {pair.first}
      </text>
      <text x={LEFT + 4} y={12} fontSize={12} className="fill-quiet">
        {pair.second}
      </text>
    </Picture>
  );
}
