import { Link } from "react-router";
import { api, take, type ModelState, type Run } from "../client/client";
import { attempt } from "../api/attempt";
import type { Gestures } from "../api/gestures";
import { useServer } from "../client/server";
import { isOpen } from "../api/runs";
import { complain, list, select, useDesk, write } from "../desk/desk";
import { resampleWords } from "../shared/numbers";

/** With nothing selected and nothing in front of it, the lens tells what is wrong with the model. */
function lookAtProblems() {
  select(null);
  list(false);
  write(false);
}

/** The foot of the frame: saved, estimated, running, wanting attention. */
export function Status({
  model,
  run,
  gestures,
}: {
  model: ModelState;
  run: Run | undefined;
  gestures: Gestures;
}) {
  const made = useDesk((desk) => desk.made === model.revision.id);
  const saving = useDesk((desk) => desk.saving);
  const answers = useServer((server) => server.answers);
  const typing = useDesk((desk) => desk.typing);
  const elapsed = useDesk((desk) => desk.elapsed);
  const complaint = useDesk((desk) => desk.complaint);
  const { shown } = model;
  const errors = model.problems.filter((p) => p.severity === "error" && p.code !== "empty_model").length;
  const estimated = model.estimated ? (
    `Estimated${elapsed === null ? "" : ` in ${Math.round(elapsed)} ms`} · n = ${shown?.n_used}`
  ) : errors > 0 ? (
    <Link
      to={`/projects/${model.project_id}/model`}
      className="font-semibold text-base-content hover:underline"
      onClick={lookAtProblems}
    >
      Not estimated: see why
    </Link>
  ) : (
    "Nothing to estimate yet"
  );
  return (
    <footer className="flex h-[27px] shrink-0 items-center gap-6 bg-base-200 px-4 text-sm text-quiet">
      <span data-testid="saved">{savedWords(answers, saving, typing)}</span>
      <span data-testid="estimated">{estimated}</span>
      {made && (
        <span className="flex min-w-0 items-center gap-2" role="status" data-testid="made">
          <span className="truncate">{model.revision.words}</span>
          <button
            className="font-semibold text-base-content hover:underline"
            onClick={() => void gestures.undo()}
          >
            take back
          </button>
        </span>
      )}
      {run && isOpen(run) && (
        <span className="flex items-center gap-3" data-testid="run">
          Bootstrap {run.done.toLocaleString("en")} of {run.requested.toLocaleString("en")}
          <progress className="progress progress-primary w-32" value={run.done} max={run.requested} />
          {run.state === "waiting" && run.before > 0 && (
            <span>
              waits for its turn, {run.before} {run.before === 1 ? "run" : "runs"} before it
            </span>
          )}
          {run.seconds_left !== null && <span>{leftWords(run.seconds_left)}</span>}
          {run.done >= LEAST_KEPT && (
            <button
              className="font-semibold text-base-content hover:underline"
              onClick={() => void stop(run.id, true)}
            >
              Stop and keep {run.done.toLocaleString("en")}
            </button>
          )}
          <button
            className="font-semibold text-base-content hover:underline"
            onClick={() => void stop(run.id, false)}
          >
            Stop
          </button>
        </span>
      )}
      {(run?.state === "failed" || run?.state === "stopped") && <span>{run.message}</span>}
      {complaint && (
        <span role="alert" className="flex items-center gap-2 font-semibold text-plum">
          {complaint}
          <button className="font-normal underline" onClick={() => complain(null)}>
            dismiss
          </button>
        </span>
      )}
      <span className="flex-1" />
      {model.estimated && shown?.bootstrap && (
        <span>
          {resampleWords(shown)} · seed {shown.bootstrap.seed}
        </span>
      )}
    </footer>
  );
}

function savedWords(answers: boolean, saving: boolean, typing: boolean) {
  if (!answers)
    return saving || typing ? "Not saved yet: the server does not answer" : "The server does not answer";
  if (saving) return "Saving…";
  return typing ? "Saved when you leave the text" : "Saved";
}

const LEAST_KEPT = 100;

/** The time that is left, as exactly as it can be known. */
function leftWords(seconds: number) {
  if (seconds < 10) return `${seconds.toFixed(1)} s left`;
  if (seconds < 90) return `${Math.round(seconds)} s left`;
  return `about ${Math.round(seconds / 60)} min left`;
}

function stop(run_id: number, keep: boolean) {
  return attempt(() =>
    take(api.POST("/api/runs/{run_id}/stop", { params: { path: { run_id }, query: { keep } } })),
  );
}
