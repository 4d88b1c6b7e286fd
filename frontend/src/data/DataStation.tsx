import { useState } from "react";
import type { Column, Project, Step } from "../client/client";
import { useChoices } from "../api/hooks";
import type { StationProps } from "../shared/station";
import { Action, Heading, LINK } from "../shared/controls";
import { plain } from "../shared/numbers";
import { isStep } from "../shared/repairs";
import { Tabs } from "../shared/Tabs";
import { DropZone } from "../start/DropZone";
import { CaseTable } from "./CaseTable";
import { ColumnTable } from "./ColumnTable";
import { ScreeningView } from "./ScreeningView";
import { actionsFor, StepForm } from "./StepForm";
import { useSteps, type Steps } from "../desk/steps";
import { StepsPanel } from "./StepsPanel";

/** The data: their columns, cases and screening, and what is recorded of what was done to them. */
export default function DataStation({ project, model }: StationProps) {
  const owner = new Map(model.constructs.flatMap((c) => c.indicators.map((name) => [name, c.name] as const)));
  for (const name of model.observed) owner.set(name, "observed");
  const [view, setView] = useState("columns");
  const [chosen, setChosen] = useState<Set<string>>(new Set());
  const steps = useSteps(project.id);
  const matrix = project.data_kind === "matrix";
  const selected = project.columns.filter((column) => chosen.has(column.name));
  const columns = () => <ColumnTable {...{ project, owner, chosen }} choose={setChosen} />;
  const views = [
    { key: "columns", words: "Columns", show: columns },
    { key: "cases", words: "Cases", show: () => <CaseTable project={project} steps={steps} /> },
    {
      key: "screening",
      words: "Screening",
      show: () => (
        <div className="min-h-0 flex-1 overflow-y-auto pb-4">
          <ScreeningView project={project} steps={steps} />
        </div>
      ),
    },
  ];
  return (
    <div className="flex h-full gap-6 px-4 pt-3">
      <div className="flex min-w-0 flex-1 flex-col">
        {matrix ? columns() : <Tabs label="Views of the data" views={views} at={view} choose={setView} />}
      </div>
      {(view !== "screening" || matrix) && (
        <aside className="w-[270px] shrink-0 overflow-y-auto pb-4">
          <DataHeading project={project} />
          {selected.length > 0 && !matrix && (
            <Selected columns={selected} steps={steps} clear={() => setChosen(new Set())} />
          )}
          {!matrix && <StepsPanel steps={steps} projectId={project.id} />}
          {!matrix && <Filter steps={steps} />}
          <Noticed project={project} steps={steps} />
          <Downloads project={project} />
          {!matrix && (
            <>
              <Heading className="mb-1 mt-5">the next file</Heading>
              <DropZone
                compact
                project={project.id}
                words="Drop a file with the same columns to put it in the place of this one"
              />
            </>
          )}
        </aside>
      )}
    </div>
  );
}

function DataHeading({ project }: { project: Project }) {
  const missing = project.columns.reduce((sum, column) => sum + column.missing, 0);
  const cells = project.columns.length * project.n_cases;
  return (
    <>
      <h1 className="break-words font-serif text-[18px] font-semibold">{project.data_name}</h1>
      <p className="text-quiet">
        {project.data_kind === "matrix"
          ? `A matrix of ${project.columns.length} variables from ${project.n_cases} cases`
          : `${project.n_cases} cases, ${project.columns.length} columns, ${cells > 0 ? plain((100 * missing) / cells, 1) : 0} % of the cells missing`}
        {project.n_imported > project.n_cases && `; ${project.n_imported} cases in the file`}
      </p>
    </>
  );
}

function Selected({ columns, steps, clear }: { columns: Column[]; steps: Steps; clear: () => void }) {
  const [kind, setKind] = useState<Step["type"] | null>(null);
  const names = columns.map((column) => column.name);
  return (
    <section aria-label="Selected columns" className="mt-3 border-l-2 border-ember pl-2.5">
      <p className="flex items-baseline justify-between gap-2">
        <span className="min-w-0 break-words font-semibold">
          {names.length > 6
            ? `${names.slice(0, 5).join(", ")} and ${names.length - 5} more`
            : names.join(", ")}
        </span>
        <button className="text-sm text-quiet hover:underline" onClick={clear}>
          clear
        </button>
      </p>
      <div className="mt-1.5 flex flex-wrap gap-1">
        {actionsFor(columns).map((action) => (
          <Action
            key={action.kind}
            size="xs"
            aria-pressed={kind === action.kind}
            className="aria-pressed:bg-base-content/20"
            onClick={() => setKind(kind === action.kind ? null : action.kind)}
          >
            {action.words}
          </Action>
        ))}
      </div>
      {kind && (
        <StepForm
          key={kind + names.join()}
          kind={kind}
          columns={columns}
          cancel={() => setKind(null)}
          done={(step) =>
            void steps.add(step).then((part) => {
              if (!part) return;
              setKind(null);
              clear();
            })
          }
        />
      )}
    </section>
  );
}

function Filter({ steps }: { steps: Steps }) {
  const [condition, setCondition] = useState("");
  const [reason, setReason] = useState("");
  return (
    <form
      className="mt-3 flex flex-wrap gap-2"
      aria-label="Keep some cases"
      onSubmit={(event) => {
        event.preventDefault();
        if (!condition.trim()) return;
        void steps
          .add({
            type: "keep_cases",
            condition: condition.trim(),
            reason: reason.trim() || null,
            on: true,
          })
          .then((part) => {
            if (!part) return;
            setCondition("");
            setReason("");
          });
      }}
    >
      <input
        className="input input-xs min-w-0 flex-1"
        aria-label="Condition that cases must fulfil"
        placeholder="keep cases where… years >= 2"
        value={condition}
        onChange={(event) => setCondition(event.target.value)}
      />
      <Action size="xs" type="submit">
        Keep
      </Action>
      {condition.trim() && (
        <input
          className="input input-xs w-full"
          aria-label="Why these cases are kept"
          placeholder="why? (optional; it goes into the report)"
          value={reason}
          onChange={(event) => setReason(event.target.value)}
        />
      )}
    </form>
  );
}

function Noticed({ project, steps }: { project: Project; steps: Steps }) {
  return (
    <section aria-label="Noticed on import" className="mt-5">
      <Heading>noticed on import</Heading>
      {project.problems.length === 0 && <p>Every column arrived as it should.</p>}
      {project.problems.map((problem) => (
        <div key={problem.message} className="mb-2 border-l-2 border-gold pl-2.5">
          <p>{problem.message}</p>
          {problem.repairs.map((repair) => {
            const { change, words } = repair;
            const there = problem.about.every((name) => project.columns.some((c) => c.name === name));
            return change && isStep(change) && there ? (
              <Action
                key={words}
                size="xs"
                className="mr-1.5 mt-1"
                disabled={steps.busy}
                onClick={() => void steps.add(change)}
              >
                {words}
              </Action>
            ) : null;
          })}
        </div>
      ))}
    </section>
  );
}

function Downloads({ project }: { project: Project }) {
  const base = `/api/projects/${project.id}`;
  const formats = useChoices()?.formats ?? [];
  const saved = (use: "data" | "table") =>
    formats.filter((one) => one.writes.includes(use)).map((one) => one.key);
  const matrix = project.data_kind === "matrix";
  return (
    <section aria-label="Downloads" className="mt-5">
      <Heading>save as a file</Heading>
      {!matrix && (
        <p>
          Data as used:{" "}
          {saved("data").map((ending) => (
            <a key={ending} className={`${LINK} mr-2`} href={`${base}/data.${ending}`}>
              .{ending}
            </a>
          ))}
        </p>
      )}
      {(matrix ? ["correlations", "covariances"] : ["correlations", "covariances", "screening"]).map(
        (table) => (
          <p key={table} className="capitalize">
            {table}:{" "}
            {saved("table")
              .filter((ending) => table !== "screening" || ending === "xlsx")
              .map((ending) => (
                <a
                  key={ending}
                  className={`${LINK} mr-2 normal-case`}
                  href={`${base}/tables/${table}.${ending}`}
                >
                  .{ending}
                </a>
              ))}
          </p>
        ),
      )}
    </section>
  );
}
