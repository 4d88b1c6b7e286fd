import { useQueryClient } from "@tanstack/react-query";
import { attempt } from "../api/attempt";
import {
  api,
  take,
  type Change,
  type Column,
  type ModelState,
  type Problem,
  type Project,
  type Schemas,
} from "../client/client";
import type { Gestures } from "../api/gestures";
import { useSteps } from "../desk/steps";
import { withChoice } from "../shared/settings";
import { pathStart, propose, select, startPath, useDesk, type Proposal } from "../desk/desk";
import { Action, Row, TextButton } from "../shared/controls";
import { plain } from "../shared/numbers";
import { isChange, isChoice, isStep } from "../shared/repairs";
import { CovarianceLens } from "./CovarianceLens";
import { SeveralLens } from "./SeveralLens";
import { ConstructLens } from "./ConstructLens";
import { IndicatorLens } from "./IndicatorLens";
import { Kind, Rule, Title } from "./parts";
import { PathLens } from "./PathLens";
import { keys } from "../client/queryKeys";

interface Props {
  project: Project;
  model: ModelState;
  gestures: Gestures;
}

/** What is known of the thing that is selected; with nothing selected, what most wants attention. */
export function Lens({ project, model, gestures }: Props) {
  const selection = useDesk((desk) => desk.selection);
  const column = (name: string) => project.columns.find((c) => c.name === name);
  const group = useDesk((desk) => desk.group);
  let content = null;
  if (group.length > 1) {
    content = <SeveralLens {...{ project, model, gestures, group }} />;
  } else if (selection?.kind === "covariance") {
    content = <CovarianceLens {...{ model, gestures }} first={selection.first} second={selection.second} />;
  } else if (
    selection?.kind === "path" &&
    model.paths.some((p) => p.source === selection.source && p.target === selection.target)
  ) {
    content = <PathLens {...{ model, gestures }} source={selection.source} target={selection.target} />;
  } else if (
    selection?.kind === "indicator" &&
    model.constructs.some((c) => c.name === selection.construct)
  ) {
    content = (
      <IndicatorLens
        {...{ model, gestures }}
        construct={selection.construct}
        name={selection.name}
        column={column(selection.name)}
      />
    );
  } else if (selection?.kind === "construct" && model.constructs.some((c) => c.name === selection.name)) {
    content = <ConstructLens {...{ project, model, gestures }} name={selection.name} />;
  } else if (selection?.kind === "observed" && model.observed.includes(selection.name)) {
    content = <ConstructLens {...{ project, model, gestures }} name={selection.name} />;
  } else if (selection?.kind === "column" || selection?.kind === "observed") {
    const found = column(selection.name);
    if (found) content = <ColumnLens column={found} model={model} gestures={gestures} />;
  }
  const attention = model.problems.filter((p) => p.code !== "empty_model");
  return (
    <aside aria-label="Lens" className="w-[292px] shrink-0 overflow-y-auto pl-2 pr-1">
      {content ?? <Overview model={model} problems={attention} />}
      <EarlierData project={project} model={model} />
      {attention.length > 0 && (
        <>
          {content && attention.some((p) => p.severity === "error") && <Rule />}
          <Attention
            projectId={project.id}
            model={model}
            problems={attention}
            gestures={gestures}
            quiet={content !== null}
          />
        </>
      )}
    </aside>
  );
}

function Overview({ model, problems }: { model: ModelState; problems: Problem[] }) {
  const { shown } = model;
  const broken = problems.some((p) => p.severity === "error");
  return (
    <div className="mb-3">
      <Kind>model</Kind>
      <Title>{model.name}</Title>
      {model.constructs.length + model.observed.length === 0 ? (
        <ol className="mt-3 list-decimal space-y-2 pl-5">
          <li>Drag a block from the shelf onto the board; repeat for each construct.</li>
          <li>Drag from the edge of one card to another to say what leads to what.</li>
          <li>Read the estimates as they appear; select anything to see what is known of it.</li>
        </ol>
      ) : (
        <div className="mt-2">
          <Row label="constructs, paths">
            {model.constructs.length}, {model.paths.length}
          </Row>
          {shown && model.estimated && (
            <>
              {shown.n_parameters !== null && <Row label="free parameters">{shown.n_parameters}</Row>}
              <Row label="cases used">
                {shown.n_used} of {shown.n_total}
              </Row>
              {shown.aic !== null && (
                <Row label="AIC, BIC">
                  {plain(shown.aic, 1)}, {plain(shown.bic, 1)}
                </Row>
              )}
            </>
          )}
          {broken && shown && (
            <p className="mt-2 text-sm">The greyed numbers are the last ones that could be estimated.</p>
          )}
          {model.estimated && problems.length === 0 && (
            <p className="mt-3 text-quiet">Nothing wants attention.</p>
          )}
        </div>
      )}
    </div>
  );
}

/** After an undo past a change of the data the model stands on earlier data; it says so, with the way out. */
function EarlierData({ project, model }: { project: Project; model: ModelState }) {
  const queries = useQueryClient();
  if (model.revision.data_version_id === project.data_version_id) return null;
  const follow = async () => {
    const path = { project_id: project.id, model_id: model.id };
    await attempt(() =>
      take(api.POST("/api/projects/{project_id}/models/{model_id}/present-data", { params: { path } })),
    );
    await queries.invalidateQueries({ queryKey: keys.model(model.id) });
  };
  return (
    <div className="mb-3 border-l-2 border-lake pl-2.5" data-testid="earlier-data">
      <p>This revision rests on the data as they were before the last change on the Data station.</p>
      <TextButton onClick={() => void follow()}>Use the present data</TextButton>
    </div>
  );
}

/** Problems that these data raise: what is done about them was prompted by the data. */
const FROM_DATA = new Set([
  "weak_loading",
  "runs_against_block",
  "residuals_share",
  "constructs_alike",
  "negative_variance",
  "not_positive_definite",
  "dependent_estimates",
]);
/** Changes that remove or correlate are asked about first, whoever proposes them. */
const ASKED = new Set<Change["type"]>([
  "set_aside",
  "remove_path",
  "remove_indicator",
  "remove_construct",
  "remove_observed",
  "set_covariance",
  "merge_constructs",
]);

/** Another way of estimating, asked about with what would change. */
function choice(words: string, change: Schemas["Choose"], gestures: Gestures, model: ModelState): Proposal {
  return {
    question: `${words}?`,
    verb: "Use it",
    changes: [],
    settings: [change],
    act: () => void gestures.settings(withChoice(model.settings, change.setting, change.value)),
  };
}

const ORDER = { error: 0, warning: 1, note: 2 } as const;

function Attention({
  problems,
  projectId,
  model,
  gestures,
  quiet,
}: {
  problems: Problem[];
  projectId: number;
  model: ModelState;
  gestures: Gestures;
  quiet: boolean;
}) {
  const steps = useSteps(projectId);
  const sorted = [...problems].sort((a, b) => ORDER[a.severity] - ORDER[b.severity]);
  const shown = quiet ? sorted.filter((p) => p.severity === "error") : sorted;
  if (shown.length === 0) return null;
  return (
    <section aria-label="Wants attention">
      <h3 className="mb-1 text-sm text-quiet">wants attention</h3>
      {shown.map((problem) => (
        <div
          key={problem.code + problem.message}
          role={problem.severity === "error" ? "alert" : undefined}
          data-testid={`problem-${problem.code}`}
          className={`mb-2 border-l-2 pl-2.5 ${problem.severity === "error" ? "border-plum" : problem.severity === "warning" ? "border-gold" : "border-line"}`}
        >
          <p className={problem.severity === "error" ? "font-semibold" : ""}>{problem.message}</p>
          {problem.repairs.map(({ words, change }) => {
            if (!change) return null;
            const prompted = FROM_DATA.has(problem.code) ? "data" : "own";
            const mend = () => {
              if (isStep(change)) void steps.add(change);
              else if (isChoice(change)) propose(choice(words, change, gestures, model));
              else if (isChange(change) && ASKED.has(change.type)) {
                propose({ question: `${words}?`, verb: "Do it", changes: [change], prompted });
              } else if (isChange(change)) void gestures.change([change], undefined, prompted);
            };
            return (
              <TextButton key={words} className="mr-3" onClick={mend}>
                {words}
              </TextButton>
            );
          })}
        </div>
      ))}
    </section>
  );
}

function ColumnLens({ column, model, gestures }: { column: Column; model: ModelState; gestures: Gestures }) {
  const start = useDesk((desk) => pathStart(desk.selection));
  return (
    <>
      <Kind>column on the shelf</Kind>
      <Title>{column.name}</Title>
      {column.label && <p className="italic">“{column.label}”</p>}
      <div className="my-2">
        <Row label="cases, missing">
          {column.n}, {column.missing}
        </Row>
        {column.numeric ? (
          <>
            <Row label="mean, SD">
              {plain(column.mean)}, {plain(column.sd)}
            </Row>
            <Row label="range">
              {plain(column.min)} to {plain(column.max)}
            </Row>
          </>
        ) : (
          <p className="text-quiet">Text cannot be part of a model.</p>
        )}
      </div>
      {column.numeric && start && (
        <div className="flex flex-wrap gap-2">
          <Action onClick={() => startPath({ name: start, direction: "out" })} title="Key: →">
            Leads to…
          </Action>
          <Action onClick={() => startPath({ name: start, direction: "in" })} title="Key: ←">
            Led to by…
          </Action>
          {model.constructs.length > 0 && (
            <select
              className="select select-sm w-auto border-none bg-base-300 font-semibold"
              aria-label={`Add ${column.name} to a construct`}
              value=""
              onChange={(event) => {
                const construct = event.target.value;
                void gestures.change([{ type: "add_indicators", construct, indicators: [column.name] }]);
                select({ kind: "indicator", construct, name: column.name });
              }}
            >
              <option value="" disabled>
                Indicator of…
              </option>
              {model.constructs.map((c) => (
                <option key={c.name}>{c.name}</option>
              ))}
            </select>
          )}
        </div>
      )}
    </>
  );
}
