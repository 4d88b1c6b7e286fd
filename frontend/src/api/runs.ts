import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { follow, useDesk } from "../desk/desk";
import { attempt } from "./attempt";
import { api, take, type ModelState, type Schemas } from "../client/client";
import { keys } from "../client/queryKeys";

/** Begins a bootstrap of the model as it stands, the usual one but for what is `asked`; the status line tells how it goes. */
export async function beginRun(modelId: number, asked: Partial<Schemas["NewRun"]>) {
  const path = { params: { path: { model_id: modelId } } };
  const body = asked as Schemas["NewRun"];
  const started = await attempt(() => take(api.POST("/api/models/{model_id}/runs", { ...path, body })));
  if (started) follow({ id: started.id, modelId });
}

const FOR_INTERVALS = 1000;

/** A short bootstrap begun from where intervals are missed: of the model as it stands, or as another family estimates it. */
export function addIntervals(
  modelId: number,
  seed: number | undefined,
  family: Schemas["NewRun"]["family"] = null,
) {
  return beginRun(modelId, {
    resamples: FOR_INTERVALS,
    ...(seed === undefined ? {} : { seed }),
    bollen_stine: false,
    family,
  });
}

/** The run that is told about: the newest that is open, wherever it was begun, or the one that was begun here last. */
function runOf(model: ModelState, begun: { id: number; modelId: number } | null) {
  const id = Math.max(model.open_run ?? 0, begun?.modelId === model.id ? begun.id : 0);
  return id || null;
}

/** How far the model's run is. */
export function useRun(model: ModelState) {
  const id = useDesk(({ run }) => runOf(model, run));
  return useQuery({
    queryKey: keys.run(id),
    enabled: id !== null,
    staleTime: Infinity,
    queryFn: () => take(api.GET("/api/runs/{run_id}", { params: { path: { run_id: id ?? 0 } } })),
  }).data;
}

/** Follows the model's run until it ends; the model is fetched anew whenever there is more of it. */
export function useFollowing(model: ModelState) {
  const queries = useQueryClient();
  const modelId = model.id;
  const id = useDesk(({ run }) => runOf(model, run));
  useEffect(() => {
    if (id === null) return;
    const before = queries.getQueryData<Schemas["RunPart"]>(keys.run(id));
    if (before && ended(before)) return;
    const events = new EventSource(`/api/runs/${id}/events`);
    events.onmessage = ({ data }) => {
      const part = JSON.parse(String(data)) as Schemas["RunPart"];
      const last = queries.getQueryData<Schemas["RunPart"]>(keys.run(id));
      queries.setQueryData(keys.run(id), part);
      if (ended(part)) {
        events.close();
        void queries.invalidateQueries({ queryKey: keys.comparisons });
      }
      if (ended(part) || part.so_far !== (last?.so_far ?? 0)) {
        void queries.invalidateQueries({ queryKey: keys.model(modelId) });
      }
    };
    return () => events.close();
  }, [id, modelId, queries]);
}

/** A model that was bootstrapped before has a short bootstrap follow each gesture, where that takes no time to speak of. */
export function useShortBootstrap(model: ModelState) {
  const queries = useQueryClient();
  const { id, wants_bootstrap: wanted } = model;
  const revision = model.revision.id;
  useEffect(() => {
    if (!wanted) return;
    const asked = new AbortController();
    const path = { params: { path: { model_id: id } }, body: { revision }, signal: asked.signal };
    api.POST("/api/models/{model_id}/transient", path).then(
      ({ data }) => data?.done && void queries.invalidateQueries({ queryKey: keys.model(id) }),
      () => undefined, // nothing that was asked for is lost: the intervals stay those of the standard errors
    );
    return () => asked.abort();
  }, [wanted, id, revision, queries]);
}

/** Whether a run waits or is under way. */
export function isOpen(run: Schemas["RunPart"] | undefined) {
  return run !== undefined && !ended(run);
}

function ended(run: Schemas["RunPart"]) {
  return run.state !== "waiting" && run.state !== "running";
}
