import { Redo2, Undo2 } from "lucide-react";
import { useEffect } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { useGestures, useModel, useProject, useRun } from "../api/hooks";
import type { ModelState, Project } from "../api/client";
import { DataStation } from "../data/DataStation";
import { EffectsStation } from "../effects/EffectsStation";
import { LaterStation } from "../later/LaterStation";
import { useDesk } from "../model/desk";
import { ModelStation } from "../model/ModelStation";
import { Readout } from "../readout/Readout";
import { ReportStation } from "../report/ReportStation";
import { CompareStation } from "../compare/CompareStation";
import { Mark } from "./Mark";
import { ModelMenu } from "./ModelMenu";
import { SettingsMenu } from "./SettingsMenu";
import { STATIONS, Stations, type StationKey } from "./Stations";
import { Status } from "./Status";
import { ThemeSwitch } from "./ThemeSwitch";

export function Frame() {
  const { projectId, station = "model" } = useParams();
  const navigate = useNavigate();
  const project = useProject(Number(projectId));
  const chosen = useDesk((desk) => (project.data ? desk.modelOf[project.data.id] : undefined));
  const modelId = project.data?.models.find((m) => m.id === chosen)?.id ?? project.data?.models[0]?.id;
  const model = useModel(modelId);
  const known = STATIONS.some((s) => s.key === station);
  useEffect(() => {
    if (!known) void navigate(`/projects/${projectId}/model`, { replace: true });
  }, [known, navigate, projectId]);
  if (project.isError || model.isError) {
    return (
      <main className="grid h-full place-content-center gap-3 text-center">
        <h1 className="font-serif text-xl font-semibold">This project cannot be shown</h1>
        <p className="text-quiet">{(project.error ?? model.error)?.message}</p>
        <Link className="link" to="/">
          All projects
        </Link>
      </main>
    );
  }
  if (!project.data || !model.data) return <div className="p-6 text-quiet">Opening…</div>;
  return <Opened project={project.data} model={model.data} station={station as StationKey} />;
}

function Opened({ project, model, station }: { project: Project; model: ModelState; station: StationKey }) {
  const gestures = useGestures(model.id);
  const desk = useDesk();
  const select = desk.select;
  const setComplaint = desk.setComplaint;
  const run = useRun(desk.run?.modelId === model.id ? desk.run.id : null, model.id);
  useEffect(() => {
    select(null);
    setComplaint(null);
  }, [model.id, select, setComplaint]);
  useEffect(() => {
    document.title = `${project.name} · Dusk Arrow`;
    return () => {
      document.title = "Dusk Arrow";
    };
  }, [project.name]);
  useUndoKeys(
    () => model.can_undo && void gestures.undo(),
    () => model.can_redo && void gestures.redo(),
  );
  const withReadout = station === "model" || station === "effects";
  return (
    <div className="flex h-full flex-col overflow-hidden">
      <header className="flex h-[46px] shrink-0 items-center gap-4 px-4">
        <Mark />
        <div className="min-w-0 truncate">
          <span className="font-semibold">{project.name}</span>
          <span className="text-quiet">
            {" "}
            · {project.data_name} · {project.n_cases} × {project.columns.length}
          </span>
        </div>
        <ModelMenu project={project} model={model} open={(id) => desk.setModelOf(project.id, id)} />
        <div className="flex">
          <button
            className="btn btn-ghost btn-sm btn-square"
            aria-label="Undo"
            title={model.can_undo ? `Undo: ${model.revision.words}` : "Nothing to undo"}
            disabled={!model.can_undo}
            onClick={() => void gestures.undo()}
          >
            <Undo2 size={16} />
          </button>
          <button
            className="btn btn-ghost btn-sm btn-square"
            aria-label="Redo"
            title={model.can_redo ? "Redo" : "Nothing to redo"}
            disabled={!model.can_redo}
            onClick={() => void gestures.redo()}
          >
            <Redo2 size={16} />
          </button>
        </div>
        <span className="flex-1" />
        <SettingsMenu model={model} gestures={gestures} />
        <ThemeSwitch />
      </header>
      <Stations current={station} projectId={project.id} project={project} model={model} />
      {withReadout && <Readout model={model} />}
      <main className="relative min-h-0 flex-1">
        {station === "data" && <DataStation project={project} model={model} />}
        {station === "model" && <ModelStation project={project} model={model} gestures={gestures} />}
        {station === "effects" && <EffectsStation model={model} run={run} />}
        {station === "report" && <ReportStation model={model} />}
        {station === "compare" && <CompareStation project={project} model={model} />}
        {station === "quality" && <LaterStation station={station} />}
      </main>
      <Status model={model} run={run} />
    </div>
  );
}

function useUndoKeys(undo: () => void, redo: () => void) {
  useEffect(() => {
    function onKey(event: KeyboardEvent) {
      const target = event.target as HTMLElement;
      if (target.closest("input, textarea, select")) return;
      if (!(event.ctrlKey || event.metaKey)) return;
      const key = event.key.toLowerCase();
      if (key === "z" && !event.shiftKey) undo();
      else if (key === "y" || (key === "z" && event.shiftKey)) redo();
      else return;
      event.preventDefault();
    }
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  });
}
