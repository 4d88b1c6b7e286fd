import { Redo2, Search, Undo2 } from "lucide-react";
import { lazy, Suspense, useEffect } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { useQueryClient } from "@tanstack/react-query";
import { api, ProblemAnswer, take, type ModelState, type Project } from "../client/client";
import { attempt } from "../api/attempt";
import { useGestures } from "../api/gestures";
import { useModel, useProject } from "../api/hooks";
import { useFollowing, useRun, useShortBootstrap } from "../api/runs";
import { find, openModel, useDesk } from "../desk/desk";
import { Readout } from "../readout/Readout";
import { Action, Primary, Quiet } from "../shared/controls";
import { Fallible } from "./Fallible";
import { keysOf, piecesOf } from "../shared/keys";
import { Mark } from "../shared/Mark";
import { ModelMenu } from "./ModelMenu";
import { SettingsMenu } from "./SettingsMenu";
import { StationBar } from "./StationBar";
import type { Station } from "../shared/station";
import { STATIONS } from "./stations";
import { Status } from "./Status";
import { ThemeSwitch } from "../shared/ThemeSwitch";
import { useFrameKeys } from "./useFrameKeys";
import { keys } from "../client/queryKeys";

const CriteriaSheet = lazy(() => import("./CriteriaSheet"));
const Finder = lazy(() => import("../finder/Finder"));

export default function Frame() {
  const { projectId, station: key = "model" } = useParams();
  const navigate = useNavigate();
  const project = useProject(Number(projectId));
  const chosen = useDesk((desk) => (project.data ? desk.modelOf[project.data.id] : undefined));
  const modelId = project.data?.models.find((m) => m.id === chosen)?.id ?? project.data?.models[0]?.id;
  const model = useModel(modelId);
  const station = STATIONS.find((one) => one.key === key);
  useEffect(() => {
    if (!station) void navigate(`/projects/${projectId}/model`, { replace: true });
  }, [station, navigate, projectId]);
  if (project.data && model.data && station) {
    return <Opened project={project.data} model={model.data} station={station} />;
  }
  const error = project.error ?? model.error;
  if (error)
    return <NotShown {...{ error, modelId }} again={() => void (project.refetch(), model.refetch())} />;
  return <div className="p-6 text-quiet">Opening…</div>;
}

/** A project that cannot be shown: why, and what helps. */
function NotShown(props: { error: Error; modelId: number | undefined; again: () => void }) {
  const { error, modelId, again } = props;
  const queries = useQueryClient();
  const code = error instanceof ProblemAnswer ? error.problems[0]?.code : undefined;
  const path = { params: { path: { model_id: modelId ?? 0 } } };
  const goBack = async () => {
    const state = await attempt(() => take(api.POST("/api/models/{model_id}/last-good", path)));
    if (state) queries.setQueryData(keys.model(modelId), state);
  };
  return (
    <main className="mx-auto grid h-full max-w-prose place-content-center justify-items-center gap-3 text-center">
      <h1 className="font-serif text-xl font-semibold">This project cannot be shown</h1>
      <p className="text-quiet">{error.message}</p>
      {code === "revision_unreadable" ? (
        <Primary onClick={() => void goBack()}>Go to the last good revision</Primary>
      ) : (
        <Action onClick={again}>Try again</Action>
      )}
      <Link className="link" to="/">
        All projects
      </Link>
    </main>
  );
}

function Opened({ project, model, station }: { project: Project; model: ModelState; station: Station }) {
  const gestures = useGestures(model.id);
  useFollowing(model);
  useShortBootstrap(model);
  const run = useRun(model);
  useEffect(
    () => useDesk.setState({ selection: null, group: [], moves: [], complaint: null, made: null }),
    [model.id],
  );
  useEffect(() => {
    document.title = `${project.name} · Dusk Arrow`;
    return () => {
      document.title = "Dusk Arrow";
    };
  }, [project.name]);
  const moved = useDesk((desk) => desk.moves.length > 0);
  const undo = () => (moved || model.can_undo) && void gestures.undo();
  const redo = () => model.can_redo && void gestures.redo();
  const finding = useDesk((desk) => desk.finding);
  const sheet = useDesk((desk) => desk.sheet);
  useFrameKeys(project, undo, redo);
  const Station = station.show;
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
        <ModelMenu project={project} model={model} open={(id) => openModel(project.id, id)} />
        <div className="flex">
          <Quiet
            className="btn-square"
            aria-label="Undo"
            title={
              moved
                ? "Undo: a card moved"
                : model.can_undo
                  ? `Undo: ${model.revision.words}`
                  : "Nothing to undo"
            }
            disabled={!moved && !model.can_undo}
            onClick={undo}
          >
            <Undo2 size={16} />
          </Quiet>
          <Quiet
            className="btn-square"
            aria-label="Redo"
            title={model.can_redo ? "Redo" : "Nothing to redo"}
            disabled={!model.can_redo}
            onClick={redo}
          >
            <Redo2 size={16} />
          </Quiet>
        </div>
        <span className="flex-1" />
        <button
          className="flex h-[27px] w-[152px] items-center gap-2 rounded-[0.6rem] bg-base-200 px-2.5 text-sm text-quiet hover:bg-base-300"
          data-testid="find"
          aria-haspopup="dialog"
          onClick={() => find("actions")}
        >
          <Search size={12} /> <span className="flex-1 text-left">Find or do…</span>
          <kbd className="font-sans text-xs">{piecesOf(keysOf("find")[0] ?? "").join(" ")}</kbd>
        </button>
        <SettingsMenu model={model} gestures={gestures} />
        <ThemeSwitch />
      </header>
      <StationBar current={station.key} project={project} model={model} />
      {station.readout && <Readout model={model} gestures={gestures} />}
      <main className="relative min-h-0 flex-1">
        <h1 className="sr-only">
          {station.label}: {model.name}
        </h1>
        <Fallible key={`${station.key} ${model.id}`}>
          <Suspense fallback={<p className="p-6 text-quiet">Opening…</p>}>
            <Station {...{ project, model, gestures, run }} />
          </Suspense>
        </Fallible>
      </main>
      <Status model={model} run={run} gestures={gestures} />
      {sheet && (
        <Fallible>
          <Suspense>
            <CriteriaSheet />
          </Suspense>
        </Fallible>
      )}
      {finding && (
        <Fallible>
          <Suspense>
            <Finder {...{ project, model, gestures }} station={station.key} stations={STATIONS} />
          </Suspense>
        </Fallible>
      )}
    </div>
  );
}
