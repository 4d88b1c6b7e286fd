import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { useMemo } from "react";
import { useParams } from "react-router";
import { attempt } from "./attempt";
import {
  api,
  take,
  type Change,
  type Criterion,
  type ModelState,
  type Schemas,
  type Step,
} from "../client/client";
import { keys, refresh } from "../client/queryKeys";

export function useProjects() {
  return useQuery({ queryKey: keys.projects, queryFn: () => take(api.GET("/api/projects")) });
}

export function useProject(id: number) {
  return useQuery({
    queryKey: keys.project(id),
    queryFn: () => take(api.GET("/api/projects/{project_id}", { params: { path: { project_id: id } } })),
  });
}

/** A figure of the registry: its definition, source and cut-offs. */
export function useCriterion(key: string) {
  return useCriteria().get(key);
}

/** The cut-offs in force: those of the project that is open. */
export function useSheet() {
  const { projectId } = useParams();
  const path = { params: { path: { project_id: Number(projectId ?? 0) } } };
  return useQuery({
    queryKey: keys.criteria(projectId ?? null),
    staleTime: Infinity,
    queryFn: () =>
      take(projectId ? api.GET("/api/projects/{project_id}/criteria", path) : api.GET("/api/criteria")),
  });
}

/** The registry of figures by key, with the cut-offs in force. */
export function useCriteria() {
  const sheet = useSheet().data;
  return useMemo(
    () => (sheet ? new Map(sheet.criteria.map((criterion) => [criterion.key, criterion])) : NONE),
    [sheet],
  );
}

/** The statistics that may stand somewhere, in the order of the registry. */
export function useListed(where: Criterion["lists"][number]): Criterion[] {
  const criteria = useCriteria();
  return useMemo(
    () => [...criteria.values()].filter((criterion) => criterion.lists.includes(where)),
    [criteria, where],
  );
}

/** Other cut-offs for the project that is open; every verdict follows. */
export function useNewCriteria() {
  const queries = useQueryClient();
  const { projectId } = useParams();
  return async (body: Schemas["NewCriteria"]) => {
    const path = { params: { path: { project_id: Number(projectId) } } };
    const sheet = await attempt(() =>
      take(api.PUT("/api/projects/{project_id}/criteria", { ...path, body })),
    );
    if (!sheet) return;
    queries.setQueryData(keys.criteria(projectId ?? null), sheet);
    await refresh(queries, "criteria");
  };
}
const NONE = new Map<string, never>();

/** The settings of every family of estimation, and the file formats. */
export function useChoices() {
  return useQuery({
    queryKey: keys.choices,
    queryFn: () => take(api.GET("/api/choices")),
    staleTime: Infinity,
  }).data;
}

export function useModel(id: number | undefined) {
  return useQuery({
    queryKey: keys.model(id),
    enabled: id !== undefined,
    queryFn: ({ signal }) =>
      take(api.GET("/api/models/{model_id}", { params: { path: { model_id: id ?? 0 } }, signal })),
  });
}

type Query = {
  queryKey: unknown[];
  enabled: boolean;
  staleTime: number;
  placeholderData: typeof keepPreviousData;
};

/** A part of the document whose numbers are shown: it never changes, so it is fetched once. */
function ofPart(model: ModelState, part: string): Query {
  const { shown } = model;
  return {
    queryKey: keys.part(model.id, shown?.revision, shown?.run, shown?.so_far, shown?.transient, part),
    enabled: shown !== null,
    staleTime: Infinity,
    placeholderData: keepPreviousData,
  };
}

function ofShown({ id, shown }: ModelState) {
  const path = { model_id: id, revision_id: shown?.revision ?? 0 };
  return {
    params: {
      path,
      query: { run: shown?.run ?? null, so_far: shown?.so_far ?? 0, transient: shown?.transient ?? false },
    },
  };
}

const AT = "/api/models/{model_id}/revisions/{revision_id}" as const;

/** Parameters, effects and what is explained. */
export function useEstimates(model: ModelState) {
  return useQuery({
    ...ofPart(model, "estimates"),
    queryFn: () => take(api.GET(`${AT}/estimates`, ofShown(model))),
  });
}

/** The report as it will be printed. */
export function useReport(model: ModelState) {
  const { shown } = model;
  return useQuery({
    queryKey: keys.report(model.id, model.revision.id, shown?.run ?? null, shown?.so_far ?? 0),
    queryFn: () =>
      take(api.GET("/api/models/{model_id}/report", { params: { path: { model_id: model.id } } })),
    placeholderData: keepPreviousData,
    enabled: model.estimated,
    staleTime: 0,
  });
}

/** In which width a figure of the whole model can be read, and the choices that go with it. */
export function useFigureProposal(
  model: ModelState,
  key: string,
  options: Schemas["FigureOptions"],
  wanted: boolean,
) {
  const asked = JSON.stringify({ ...options, width: null });
  const query = { key, options: asked };
  return useQuery({
    queryKey: keys.figureProposal(model.id, model.revision.id, key, asked),
    queryFn: () =>
      take(
        api.GET("/api/models/{model_id}/figure-proposal", {
          params: { path: { model_id: model.id }, query },
        }),
      ),
    placeholderData: keepPreviousData,
    enabled: wanted && model.estimated,
  });
}

/** Loadings, reliability, validity, collinearity. */
export function useQuality(model: ModelState) {
  return useQuery({
    ...ofPart(model, "quality"),
    queryFn: () => take(api.GET(`${AT}/quality`, ofShown(model))),
  });
}

/** Every figure of global fit. */
export function useFit(model: ModelState) {
  return useQuery({ ...ofPart(model, "fit"), queryFn: () => take(api.GET(`${AT}/fit`, ofShown(model))) });
}

/** Residuals of the covariances. */
export function useResiduals(model: ModelState) {
  return useQuery({
    ...ofPart(model, "residuals"),
    queryFn: () => take(api.GET(`${AT}/residuals`, ofShown(model))),
  });
}

/** What takes longer than a gesture may: prediction, importance and performance, one factor behind all items. */
export function useThorough(model: ModelState) {
  return useQuery({
    ...ofPart(model, "thorough"),
    queryFn: () => take(api.GET(`${AT}/thorough`, ofShown(model))),
  });
}

/** Correlations of what was analysed. */
export function useSample(model: ModelState, wanted: boolean) {
  const query = ofPart(model, "sample");
  return useQuery({
    ...query,
    enabled: query.enabled && wanted,
    queryFn: () => take(api.GET(`${AT}/sample`, ofShown(model))),
  });
}

/** Scores of the cases: what they are like, and two constructs against each other. */
export function useScores(
  model: ModelState,
  method: "regression" | "bartlett",
  first: string | null,
  second: string | null,
) {
  const shown = ofShown(model).params;
  return useQuery({
    ...ofPart(model, `scores ${method} ${first} ${second}`),
    queryFn: () =>
      take(
        api.GET(`${AT}/scores`, {
          params: { path: shown.path, query: { ...shown.query, method, first, second } },
        }),
      ),
  });
}

/** What freeing further parameters would do. */
export function useModification(model: ModelState) {
  return useQuery({
    ...ofPart(model, "modification"),
    queryFn: () => take(api.GET(`${AT}/modification`, ofShown(model))),
  });
}

export function useWhatIf(
  model: ModelState,
  changes: Change[],
  settings: Schemas["Choose"][] = [],
  steps: Step[] = [],
) {
  return useQuery({
    queryKey: keys.whatIf(model.id, model.revision.id, changes, settings, steps),
    enabled: model.estimated,
    queryFn: () =>
      take(
        api.POST("/api/models/{model_id}/what-ifs", {
          params: { path: { model_id: model.id } },
          body: { changes, settings, steps },
        }),
      ),
  });
}

/** The trail of a model; asked again while figures of earlier revisions are still being computed. */
export function useTrail(model: ModelState) {
  return useQuery({
    queryKey: keys.trail(model.id),
    placeholderData: keepPreviousData,
    queryFn: () =>
      take(api.GET("/api/models/{model_id}/trail", { params: { path: { model_id: model.id } } })),
    refetchInterval: (query) => (query.state.data?.complete === false ? 400 : false),
  });
}
