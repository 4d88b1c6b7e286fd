import { api, take, type ModelState, type Run } from "../api/client";
import { useAttempt } from "../api/attempt";
import { useDesk } from "../model/desk";

/** The foot of the frame: saved, estimated, running, wanting attention. */
export function Status({ model, run }: { model: ModelState; run: Run | undefined }) {
  const desk = useDesk();
  const attempt = useAttempt();
  const errors = model.results.problems.filter(
    (p) => p.severity === "error" && p.code !== "empty_model",
  ).length;
  const estimated = model.results.converged
    ? `Estimated${desk.elapsed === null ? "" : ` in ${Math.round(desk.elapsed)} ms`} · n = ${model.results.data?.n_used}`
    : errors > 0
      ? "Not estimated: see the lens"
      : "Nothing to estimate yet";
  return (
    <footer className="flex h-[27px] shrink-0 items-center gap-6 bg-base-200 px-4 text-sm text-quiet">
      <span data-testid="saved">{desk.saving ? "Saving…" : "Saved"}</span>
      <span data-testid="estimated">{estimated}</span>
      {run?.state === "running" && (
        <span className="flex items-center gap-3">
          Bootstrap {run.done.toLocaleString("en")} of {run.requested.toLocaleString("en")}
          <progress className="progress progress-primary w-32" value={run.done} max={run.requested} />
          {run.seconds_left !== null && <span>{run.seconds_left.toFixed(1)} s left</span>}
          <button
            className="font-semibold text-base-content hover:underline"
            onClick={() =>
              void attempt(() =>
                take(api.POST("/api/runs/{run_id}/stop", { params: { path: { run_id: run.id } } })),
              )
            }
          >
            Stop
          </button>
        </span>
      )}
      {(run?.state === "failed" || run?.state === "stopped") && <span>{run.message}</span>}
      {desk.complaint && (
        <span role="alert" className="flex items-center gap-2 font-semibold text-plum">
          {desk.complaint}
          <button className="font-normal underline" onClick={() => desk.setComplaint(null)}>
            dismiss
          </button>
        </span>
      )}
      <span className="flex-1" />
      {model.results.bootstrap_summary && (
        <span>
          {model.results.bootstrap_summary.used.toLocaleString("en")} resamples · seed{" "}
          {model.results.settings.seed}
        </span>
      )}
    </footer>
  );
}
