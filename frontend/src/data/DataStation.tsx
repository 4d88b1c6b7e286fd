import { ChevronDown, ChevronRight } from "lucide-react";
import { useState } from "react";
import { useNavigate } from "react-router";
import type { Block, Column, ModelState, Project } from "../api/client";
import { plain } from "../shared/numbers";
import { DropZone } from "../start/DropZone";
import { ScreeningView } from "./ScreeningView";

export function DataStation({ project, model }: { project: Project; model: ModelState }) {
  const navigate = useNavigate();
  const owner = new Map(model.constructs.flatMap((c) => c.indicators.map((name) => [name, c.name] as const)));
  for (const name of model.observed) owner.set(name, "observed");
  const [view, setView] = useState<"columns" | "screening">("columns");
  const byName = new Map(project.columns.map((column) => [column.name, column]));
  const missing = project.columns.reduce((sum, column) => sum + column.missing, 0);
  const cells = project.columns.length * project.n_cases;
  return (
    <div className="flex h-full gap-6 px-4 pt-4">
      <div className="flex min-w-0 flex-1 flex-col">
        <div role="tablist" aria-label="Views of the data" className="mb-3 flex gap-1">
          {(["columns", "screening"] as const).map((name) => (
            <button
              key={name}
              role="tab"
              aria-selected={view === name}
              className={`btn btn-sm border-none ${view === name ? "bg-base-300" : "btn-ghost font-normal"}`}
              onClick={() => setView(name)}
            >
              {name === "columns" ? "Columns" : "Screening"}
            </button>
          ))}
        </div>
        <div className="min-h-0 flex-1 overflow-y-auto pb-4">
          {view === "screening" ? (
            <ScreeningView project={project} />
          ) : (
            <Columns {...{ project, byName, owner }} />
          )}
        </div>
      </div>
      <aside className="w-[270px] shrink-0 overflow-y-auto pb-4">
        <h1 className="font-serif text-[18px] font-semibold">{project.data_name}</h1>
        <p className="text-quiet">
          {project.n_cases} cases, {project.columns.length} columns,{" "}
          {cells > 0 ? plain((100 * missing) / cells, 1) : 0} % of the cells missing
        </p>
        <section aria-label="Noticed on import" className="mt-3">
          {project.problems.length === 0 ? (
            <p>Every column arrived as it should.</p>
          ) : (
            project.problems.map((problem) => (
              <p key={problem.message} className="mb-2 border-l-2 border-gold pl-2.5">
                {problem.message}
              </p>
            ))
          )}
        </section>
        <h2 className="mb-1 mt-5 text-sm text-quiet">another file</h2>
        <DropZone
          compact
          onCreated={(created) => void navigate(`/projects/${created.project_id}/data`)}
          words="Drop a data file here to begin a new project with it"
        />
      </aside>
    </div>
  );
}

interface ColumnsProps {
  project: Project;
  byName: Map<string, Column>;
  owner: Map<string, string>;
}

function Columns({ project, byName, owner }: ColumnsProps) {
  return (
    <table className="w-full border-collapse" aria-label="Columns of the data set">
      <thead className="sticky top-0 z-10 bg-base-100 text-left text-sm text-quiet">
        <tr>
          <th className="pb-1 font-normal">column</th>
          <th className="pb-1 font-normal">type</th>
          {["n", "missing", "mean", "SD", "min", "max", "skewness", "kurtosis"].map((head) => (
            <th key={head} className="pb-1 pl-3 text-right font-normal">
              {head}
            </th>
          ))}
          <th className="pb-1 pl-5 font-normal">used for</th>
        </tr>
      </thead>
      {project.blocks.map((block) => (
        <BlockRows key={block.stem ?? block.columns[0]} {...{ block, byName, owner }} />
      ))}
    </table>
  );
}

interface BlockRowsProps {
  block: Block;
  byName: Map<string, Column>;
  owner: Map<string, string>;
}

function BlockRows({ block, byName, owner }: BlockRowsProps) {
  const [open, setOpen] = useState(true);
  const Chevron = open ? ChevronDown : ChevronRight;
  return (
    <tbody>
      {block.stem && (
        <tr>
          <td colSpan={11} className="pt-2">
            <button
              className="flex items-center gap-1 font-semibold"
              aria-expanded={open}
              onClick={() => setOpen(!open)}
            >
              <Chevron size={13} className="text-quiet" />
              {block.stem} <span className="font-normal text-quiet">{block.columns.length} columns</span>
            </button>
          </td>
        </tr>
      )}
      {(open || !block.stem) &&
        block.columns.map((name) => {
          const column = byName.get(name);
          return column ? (
            <ColumnLine key={name} column={column} used={owner.get(name)} nested={block.stem !== null} />
          ) : null;
        })}
    </tbody>
  );
}

function ColumnLine({ column, used, nested }: { column: Column; used: string | undefined; nested: boolean }) {
  const skewed = Math.abs(column.skewness ?? 0) > 2;
  const peaked = Math.abs(column.kurtosis ?? 0) > 7;
  const share = (100 * column.missing) / Math.max(1, column.n + column.missing);
  const text = !column.numeric;
  const number = (value: number | null, warn = false, title?: string) => (
    <td
      className={`pl-3 text-right ${warn ? "font-semibold text-plum" : ""}`}
      title={warn ? title : undefined}
    >
      {text ? "" : plain(value)}
    </td>
  );
  return (
    <tr className="border-b border-line/40 hover:bg-base-200">
      <td className={`py-[3px] pr-3 ${nested ? "pl-5" : "pl-[17px]"}`}>
        <span className={nested ? "" : "font-semibold"}>{column.name}</span>{" "}
        <span className="text-sm text-quiet">{column.label}</span>
      </td>
      <td className="whitespace-nowrap text-sm text-quiet">
        {column.level === "category" ? `${column.distinct} groups` : column.level}
      </td>
      <td className="pl-3 text-right">{column.n}</td>
      <td className="whitespace-nowrap pl-3 text-right" title={`${share.toFixed(1)} %`}>
        {column.missing || <span className="text-quiet">0</span>}
      </td>
      {number(column.mean)}
      {number(column.sd)}
      <td className="pl-3 text-right">{text ? "" : trim(column.min)}</td>
      <td className="pl-3 text-right">{text ? "" : trim(column.max)}</td>
      {number(column.skewness, skewed, "beyond ±2")}
      {number(column.kurtosis, peaked, "beyond ±7 (excess kurtosis)")}
      <td className="truncate pl-5 text-sm text-quiet">{used}</td>
    </tr>
  );
}

function trim(value: number | null): string {
  return value === null ? "–" : Number.isInteger(value) ? plain(value, 0) : plain(value);
}
