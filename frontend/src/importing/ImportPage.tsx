import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, Navigate, useNavigate } from "react-router";
import {
  ProblemAnswer,
  type Column,
  type Problem,
  type Repaired,
  type Step,
  type Schemas,
} from "../client/client";
import { Histogram } from "../shared/Histogram";
import { Mark } from "../shared/Mark";
import { ThemeSwitch } from "../shared/ThemeSwitch";
import { Action, Primary, TextButton } from "../shared/controls";
import { ends, plain } from "../shared/numbers";
import { isReadAgain, isStep } from "../shared/repairs";
import { Table, type TableColumn } from "../shared/Table";
import { useIncoming } from "./incoming";
import { ReadingForm } from "./ReadingForm";
import {
  sendPreview,
  sendProject,
  sendNextFile,
  sendNextFilePreview,
  type ImportOptions,
  type Ways,
} from "./sending";
import { NextFileReport } from "./NextFileReport";
import { keys } from "../client/queryKeys";

type Preview = Schemas["PreviewPart"];

const AS_FOUND: ImportOptions = {
  delimiter: null,
  decimal: null,
  encoding: null,
  header: true,
  missing_codes: [],
  sheet: null,
  cells: null,
  skip: 0,
  number_names: false,
  turned_marks: [],
  kind: null,
  n: null,
  moments_divisor: "n-1",
  sds: [],
  means: [],
};

/** A file before anything is stored: how it is read, what came of it, what is wrong and how to put it right. */
export default function ImportPage() {
  const { file, project } = useIncoming();
  if (!file) return <Navigate to="/" replace />;
  return <Arriving key={file.name + file.size} file={file} project={project} />;
}

function Arriving({ file, project }: { file: File; project: number | null }) {
  const navigate = useNavigate();
  const queries = useQueryClient();
  const [options, setOptions] = useState(AS_FOUND);
  const [names, setNames] = useState("");
  const [steps, setSteps] = useState<Step[]>([]);
  const [name, setName] = useState("");
  const [share, setShare] = useState<number | null>(null);
  const [faults, setFaults] = useState<Problem[]>([]);
  const ways: Ways = { options, names, steps, name };
  const preview = useQuery({
    queryKey: keys.preview(file, [options, names, steps]),
    queryFn: () => sendPreview(file, ways),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const differences = useQuery({
    queryKey: keys.nextFile(project, file, [options, names, steps]),
    enabled: project !== null && preview.data?.usable === true,
    queryFn: () => sendNextFilePreview(project ?? 0, file, ways),
    retry: false,
  });
  const found = preview.data;
  const bring = async () => {
    setShare(0);
    setFaults([]);
    try {
      if (project === null) {
        const created = await sendProject(file, ways, setShare);
        await queries.invalidateQueries({ queryKey: keys.projects });
        void navigate(`/projects/${created.project_id}/data`);
      } else {
        await sendNextFile(project, file, ways, setShare);
        await queries.invalidateQueries();
        void navigate(`/projects/${project}/data`);
      }
    } catch (error) {
      setFaults(
        error instanceof ProblemAnswer
          ? error.problems
          : [
              {
                code: "not_sent",
                severity: "error",
                message: String(error),
                about: [],
                repairs: [],
                place: null,
              },
            ],
      );
    } finally {
      setShare(null);
    }
  };
  const repair = (change: Repaired) => {
    if (isReadAgain(change)) setOptions({ ...options, ...(change.options as Partial<ImportOptions>) });
    else if (isStep(change)) setSteps([...steps, change]);
  };
  const whole = Math.round(((found?.n_cases ?? 0) * file.size) / Math.min(file.size, 4 * 1024 * 1024));
  const taken = new Set(steps.map((step) => JSON.stringify(step)));
  const left = (found?.problems ?? []).filter(
    (p) => !p.repairs.some((r) => taken.has(JSON.stringify(r.change))),
  );
  const problems = faults.length > 0 ? faults : left;
  return (
    <div className="flex h-full flex-col overflow-hidden">
      <header className="flex h-[46px] shrink-0 items-center gap-4 px-4">
        <Mark />
        <span className="min-w-0 truncate">
          <span className="font-semibold">{file.name}</span>
          <span className="text-quiet">
            {" "}
            ·{" "}
            {found?.kind === "matrix"
              ? `a matrix${found.n_columns ? ` of ${found.n_columns} variables` : ""}`
              : ""}
            {found?.kind === "cases" && found.n_cases !== null
              ? `${file.size > 4 * 1024 * 1024 ? "about " : ""}${whole.toLocaleString("en")} cases, ${found.n_columns.toLocaleString("en")} columns`
              : ""}
          </span>
        </span>
        <span className="flex-1" />
        <ThemeSwitch />
      </header>
      <main className="grid min-h-0 flex-1 grid-cols-[226px_minmax(0,1fr)_300px] gap-6 px-4 pt-2">
        <section aria-label="How the file is read" className="overflow-y-auto pb-4">
          <ReadingForm
            {...{ options, names, found, setNames }}
            change={(part) => setOptions({ ...options, ...part })}
          />
        </section>
        <section aria-label="What came of it" className="min-w-0 overflow-y-auto pb-4">
          <RawRows rows={found?.rows ?? []} header={options.header} />
          {preview.isLoadingError && <p role="alert">{preview.error.message}</p>}
          {differences.data && <NextFileReport report={differences.data.report} />}
          {found && found.columns.length > 0 && <Arrived found={found} />}
        </section>
        <section aria-label="Problems" className="overflow-y-auto pb-4">
          <h2 className="mb-2 text-sm text-quiet">
            {problems.length > 0 ? "to be put right" : "nothing to put right"}
          </h2>
          {problems.map((problem) => (
            <ProblemNote key={problem.message} problem={problem} repair={repair} />
          ))}
          {steps.length > 0 && (
            <>
              <h2 className="mb-1 mt-4 text-sm text-quiet">recorded steps</h2>
              {steps.map((step, index) => (
                <p key={JSON.stringify(step)} className="flex items-baseline justify-between gap-2 py-0.5">
                  <span>{step.type.replaceAll("_", " ")}</span>
                  <TextButton
                    className="text-sm"
                    onClick={() => setSteps(steps.filter((_, i) => i !== index))}
                  >
                    Take back
                  </TextButton>
                </p>
              ))}
            </>
          )}
        </section>
      </main>
      <footer className="flex h-[58px] shrink-0 items-center gap-3 border-t border-line px-4">
        {project === null ? (
          <label className="flex items-center gap-2">
            <span className="text-quiet">Project</span>
            <input
              className="input input-sm w-64"
              placeholder={file.name.replace(/\.[^.]+$/, "").replaceAll("_", " ")}
              value={name}
              onChange={(event) => setName(event.target.value)}
            />
          </label>
        ) : (
          <span className="text-quiet">Recorded steps stay; models are estimated anew on the next file.</span>
        )}
        <span className="flex-1" />
        <span className="text-quiet">Nothing is stored yet.</span>
        <Link className="btn btn-ghost btn-sm" to={project === null ? "/" : `/projects/${project}/data`}>
          Leave it
        </Link>
        <Primary
          className="min-w-36"
          disabled={!found?.usable || share !== null}
          onClick={() => void bring()}
        >
          {share === null
            ? project === null
              ? "Bring it in"
              : "Replace the data"
            : share < 1
              ? `Sending ${Math.round(100 * share)} %`
              : "Reading…"}
        </Primary>
      </footer>
    </div>
  );
}

function ProblemNote({ problem, repair }: { problem: Problem; repair: (change: Repaired) => void }) {
  const weight = { error: "border-plum", warning: "border-gold", note: "border-line" }[problem.severity];
  return (
    <div
      className={`mb-3 border-l-2 pl-2.5 ${weight}`}
      role={problem.severity === "error" ? "alert" : undefined}
    >
      <p>{problem.message}</p>
      {problem.repairs.map((way) =>
        way.change ? <Mend key={way.words} words={way.words} change={way.change} repair={repair} /> : null,
      )}
    </div>
  );
}

function Mend(props: { words: string; change: Repaired; repair: (change: Repaired) => void }) {
  return (
    <Action size="xs" className="mr-1.5 mt-1.5" onClick={() => props.repair(props.change)}>
      {props.words}
    </Action>
  );
}

function RawRows({ rows, header }: { rows: string[][]; header: boolean }) {
  if (rows.length === 0) return null;
  const lines = rows.slice(0, 8).map((cells, at) => ({ cells, at }));
  const wide = Math.max(...lines.map((line) => line.cells.length));
  return (
    <div className="mb-4 overflow-x-auto rounded-box bg-base-200 p-2">
      <Table
        className="text-sm"
        label="First rows of the file"
        fixed
        matrix
        copyable={false}
        rows={lines}
        keyOf={(line) => String(line.at)}
        rowClass={(line) => (line.at === 0 && header ? "font-semibold" : "text-quiet")}
        columns={Array.from({ length: wide }, (_, column): TableColumn<(typeof lines)[number]> => ({
          key: String(column),
          head: "",
          left: true,
          className: "max-w-36 truncate whitespace-nowrap px-1.5",
          value: (line) => line.cells[column] ?? "",
        }))}
      />
    </div>
  );
}

const ARRIVED: TableColumn<Column>[] = [
  {
    key: "name",
    head: "column",
    left: true,
    className: "max-w-56 truncate pr-3",
    value: (c) => c.name,
    show: (c) => (
      <>
        <span className="font-semibold">{c.name}</span> <span className="text-sm text-quiet">{c.label}</span>
      </>
    ),
  },
  { key: "level", head: "type", left: true, className: "text-sm text-quiet", value: (c) => c.level },
  { key: "missing", head: "missing", value: (c) => c.missing, text: (c) => String(c.missing || "") },
  { key: "mean", head: "mean", value: (c) => c.mean, text: (c) => (c.numeric ? plain(c.mean) : "") },
  { key: "sd", head: "SD", value: (c) => c.sd, text: (c) => (c.numeric ? plain(c.sd) : "") },
  { key: "range", head: "from – to", value: (c) => c.min, text: (c) => ends(c.min, c.max) },
  { key: "answers", head: "answers", left: true, show: (c) => <Histogram column={c} /> },
];

function Arrived({ found }: { found: Preview }) {
  const more = found.n_columns - found.columns.length;
  return (
    <>
      <Table
        label="Columns as they will arrive"
        columns={ARRIVED}
        rows={found.columns}
        keyOf={(column) => column.name}
        copyable={false}
      />
      {more > 0 && <p className="py-2 text-quiet">and {more.toLocaleString("en")} more columns</p>}
    </>
  );
}
