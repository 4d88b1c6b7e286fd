import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect } from "react";
import { useDesk } from "../model/desk";
import { useAttempt } from "./attempt";
import {
  api,
  ProblemAnswer,
  take,
  type Board,
  type Change,
  type ModelState,
  type Project,
  type Run,
  type Settings,
  type WhatIfResult,
} from "./client";
import type { components } from "./schema";

type Schemas = components["schemas"];

export function useProjects() {
  return useQuery({
    queryKey: ["projects"],
    queryFn: () => take<Schemas["ProjectList"]>(api.GET("/api/projects")),
  });
}

export function useProject(id: number) {
  return useQuery({
    queryKey: ["project", id],
    queryFn: () =>
      take<Project>(api.GET("/api/projects/{project_id}", { params: { path: { project_id: id } } })),
  });
}

export function useCriteria() {
  return useQuery({
    queryKey: ["criteria"],
    queryFn: () => take<Schemas["CriteriaSheet"]>(api.GET("/api/criteria")),
    staleTime: Infinity,
  });
}

export function useModel(id: number | undefined) {
  return useQuery({
    queryKey: ["model", id],
    enabled: id !== undefined,
    queryFn: ({ signal }) =>
      take<ModelState>(
        api.GET("/api/models/{model_id}", { params: { path: { model_id: id ?? 0 } }, signal }),
      ),
  });
}

export function useWhatIf(model: ModelState | undefined, changes: Change[] | null) {
  return useQuery({
    queryKey: ["what-if", model?.id, model?.revision.id, changes],
    enabled: model !== undefined && changes !== null && model.results.converged,
    queryFn: () =>
      take<WhatIfResult>(
        api.POST("/api/models/{model_id}/what-ifs", {
          params: { path: { model_id: model?.id ?? 0 } },
          body: { changes: changes ?? [] },
        }),
      ),
  });
}

let line: Promise<unknown> = Promise.resolve();
let newest = 0;

/** Gestures on a model. They go out one after the other, each on the revision that the one before made. */
export function useGestures(modelId: number) {
  const queries = useQueryClient();
  const desk = useDesk();
  const attempt = useAttempt();

  const send = useCallback(
    (request: (revision: number) => Promise<ModelState>) => {
      const mine = ++newest;
      const work = line.then(async () => {
        const current = queries.getQueryData<ModelState>(["model", modelId]);
        if (!current) return null;
        const begun = performance.now();
        desk.setSaving(true);
        try {
          // An answer that was asked for before this gesture must not arrive after it and show the model as it was.
          await queries.cancelQueries({ queryKey: ["model", modelId] });
          const state = await request(current.revision.id);
          queries.setQueryData(["model", modelId], state);
          desk.setElapsed(performance.now() - begun);
          desk.setComplaint(null);
          return state;
        } catch (error) {
          if (error instanceof ProblemAnswer) {
            desk.setComplaint(error.problems[0]?.message ?? error.message);
            if (error.status === 409) await queries.invalidateQueries({ queryKey: ["model", modelId] });
          } else {
            throw error;
          }
          return null;
        } finally {
          if (mine === newest) desk.setSaving(false);
        }
      });
      line = work.catch(() => undefined);
      return work;
    },
    [desk, modelId, queries],
  );

  const path = { params: { path: { model_id: modelId } } };
  return {
    change: (changes: Change[], reason?: string) =>
      send((parent) =>
        take<ModelState>(
          api.POST("/api/models/{model_id}/revisions", {
            ...path,
            body: { parent, changes, reason: reason ?? null },
          }),
        ),
      ),
    undo: () =>
      send((parent) =>
        take<ModelState>(api.POST("/api/models/{model_id}/undo", { ...path, body: { parent } })),
      ),
    redo: () =>
      send((parent) =>
        take<ModelState>(api.POST("/api/models/{model_id}/redo", { ...path, body: { parent } })),
      ),
    settings: (settings: Settings) =>
      send((parent) =>
        take<ModelState>(api.PUT("/api/models/{model_id}/settings", { ...path, body: { parent, settings } })),
      ),
    pin: async (pins: Record<string, { x: number; y: number }>) => {
      const board = await attempt(() =>
        take<Board>(api.PUT("/api/models/{model_id}/pins", { ...path, body: { pins } })),
      );
      if (board === null) return;
      queries.setQueryData<ModelState>(["model", modelId], (old) => (old ? { ...old, board } : old));
    },
  };
}

export type Gestures = ReturnType<typeof useGestures>;

/** Follows a run until it ends, then fetches the model's results anew. */
export function useRun(runId: number | null, modelId: number) {
  const queries = useQueryClient();
  const query = useQuery({
    queryKey: ["run", runId],
    enabled: runId !== null,
    queryFn: () => take<Run>(api.GET("/api/runs/{run_id}", { params: { path: { run_id: runId ?? 0 } } })),
    refetchInterval: (current) =>
      current.state.data?.state === "running" || !current.state.data ? 250 : false,
  });
  const state = query.data?.state;
  useEffect(() => {
    if (state === "finished") void queries.invalidateQueries({ queryKey: ["model", modelId] });
  }, [state, queries, modelId]);
  return query.data;
}
