import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { useMemo } from "react";
import { useParams } from "react-router";
import { complain, useDesk } from "../model/desk";
import { edited, patchBetween, type ReportPatch } from "../report/patch";
import { attempt } from "./attempt";
import {
  api,
  ProblemAnswer,
  take,
  type Change,
  type ModelState,
  type Schemas,
  type Settings,
  type Step,
} from "./client";

export function useProjects() {
  return useQuery({ queryKey: ["projects"], queryFn: () => take(api.GET("/api/projects")) });
}

export function useProject(id: number) {
  return useQuery({
    queryKey: ["project", id],
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
    queryKey: ["criteria", projectId ?? null],
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
    queries.setQueryData(["criteria", projectId ?? null], sheet);
    await Promise.all(
      ["model", "item-what-ifs", "left-out-what-ifs", "what-if"].map((key) =>
        queries.invalidateQueries({ queryKey: [key] }),
      ),
    );
  };
}
const NONE = new Map<string, never>();

/** The settings of every family of estimation, and the file formats. */
export function useChoices() {
  return useQuery({
    queryKey: ["choices"],
    queryFn: () => take(api.GET("/api/choices")),
    staleTime: Infinity,
  }).data;
}

export function useModel(id: number | undefined) {
  return useQuery({
    queryKey: ["model", id],
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
    queryKey: ["part", model.id, shown?.revision, shown?.run, shown?.so_far, shown?.transient, part],
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
    queryKey: ["report", model.id, model.revision.id, shown?.run ?? null, shown?.so_far ?? 0],
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
    queryKey: ["figure-proposal", model.id, model.revision.id, key, asked],
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
    queryKey: ["what-if", model.id, model.revision.id, changes, settings, steps],
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

type View = Schemas["ViewPatch"];
type ReportOptions = Schemas["ReportOptions"];
type Pins = Record<string, { x: number; y: number }>;

/** The trail of a model; asked again while figures of earlier revisions are still being computed. */
export function useTrail(model: ModelState) {
  return useQuery({
    queryKey: ["trail", model.id],
    placeholderData: keepPreviousData,
    queryFn: () =>
      take(api.GET("/api/models/{model_id}/trail", { params: { path: { model_id: model.id } } })),
    refetchInterval: (query) => (query.state.data?.complete === false ? 400 : false),
  });
}

/** One queue for each model: gestures go out one after the other, each on the revision that the one before made. */
const queues = new Map<number, Promise<unknown>>();
/** The same for how each model is looked at, and for what its report holds. */
const views = new Map<number, Promise<unknown>>();
const reports = new Map<number, Promise<unknown>>();
let newest = 0;

/** Gestures on a model. */
export function useGestures(modelId: number) {
  const queries = useQueryClient();

  const send = (request: (revision: number) => Promise<ModelState>) => {
    const mine = ++newest;
    const before = queues.get(modelId) ?? Promise.resolve();
    const work = before.then(async () => {
      const current = queries.getQueryData<ModelState>(["model", modelId]);
      if (!current) return null;
      const begun = performance.now();
      useDesk.setState({ saving: true });
      try {
        // An answer that was asked for before this gesture must not arrive after it and show the model as it was.
        await queries.cancelQueries({ queryKey: ["model", modelId] });
        const state = await request(current.revision.id);
        queries.setQueryData(["model", modelId], state);
        const made = state.revision.id > current.revision.id ? state.revision.id : null;
        useDesk.setState({ elapsed: performance.now() - begun, complaint: null, made, moves: [] });
        void queries.invalidateQueries({ queryKey: ["trail", modelId] });
        return state;
      } catch (error) {
        const problem = error instanceof ProblemAnswer ? error.problems[0]?.message : undefined;
        complain(problem ?? (error instanceof Error ? error.message : String(error)));
        if (error instanceof ProblemAnswer && error.status === 409) {
          await queries.invalidateQueries({ queryKey: ["model", modelId] });
        }
        return null;
      } finally {
        if (mine === newest) useDesk.setState({ saving: false });
      }
    });
    queues.set(modelId, work);
    return work;
  };

  /** A gesture that may have changed the data too: everything that shows them follows, once they are others. */
  const withData = async (sent: Promise<ModelState | null>) => {
    const before = queries.getQueryData<ModelState>(["model", modelId])?.revision.data_version_id;
    const state = await sent;
    if (state && state.revision.data_version_id !== before) {
      await Promise.all(
        ["project", "steps", "screening", "cases"].map((key) =>
          queries.invalidateQueries({ queryKey: [key] }),
        ),
      );
    }
    return state;
  };
  const path = { params: { path: { model_id: modelId } } };
  const put = async (pins: Pins) => {
    const board = await attempt(() =>
      take(api.PUT("/api/models/{model_id}/pins", { ...path, body: { pins } })),
    );
    if (board === null) return;
    queries.setQueryData<ModelState>(["model", modelId], (old) => (old ? { ...old, board } : old));
  };
  const shown = (change: (old: ModelState) => Partial<ModelState>) =>
    queries.setQueryData<ModelState>(["model", modelId], (old) => (old ? { ...old, ...change(old) } : old));
  /** One after the other: of two that overtook one another the older would be shown. */
  const inTurn = <T>(waiting: Map<number, Promise<unknown>>, work: () => Promise<T>) => {
    const sent = (waiting.get(modelId) ?? Promise.resolve()).then(work);
    waiting.set(modelId, sent);
    return { sent, last: () => waiting.get(modelId) === sent };
  };
  const see = async (body: View) => {
    const { sent } = inTurn(views, () =>
      attempt(() => take(api.PATCH("/api/models/{model_id}/view", { ...path, body }))),
    );
    const seen = await sent;
    if (seen) {
      shown((old) =>
        seen.version > old.view_version
          ? { view: seen.view, view_version: seen.version, board: seen.board }
          : {},
      );
    }
    return seen;
  };
  /** What is chosen is shown at once; what came of it, with what other windows chose, when the last answer is here. */
  const choose = async (report: ReportOptions, body: ReportPatch) => {
    shown(() => ({ report }));
    const { sent, last } = inTurn(reports, () =>
      attempt(() => take(api.PATCH("/api/models/{model_id}/report-choices", { ...path, body }))),
    );
    const kept = await sent;
    if (kept && last()) shown(() => ({ report: kept.report, report_version: kept.version }));
    if (kept === null) await queries.invalidateQueries({ queryKey: ["model", modelId] });
    await queries.invalidateQueries({ queryKey: ["report", modelId] });
    return kept;
  };
  return {
    /** One revision; steps of the data that belong to it are recorded with it, and everything that shows data follows. */
    change: (changes: Change[], reason?: string, prompted: "own" | "data" = "own", steps: Step[] = []) => {
      const sent = send((parent) =>
        take(
          api.POST("/api/models/{model_id}/revisions", {
            ...path,
            body: { parent, changes, reason: reason ?? null, prompted, steps },
          }),
        ),
      );
      return steps.length > 0 ? withData(sent) : sent;
    },
    /** The lines of the text: those that read become part of the model; `read` is told how each was read. */
    write: (rows: string[], read: (rows: Schemas["RowPart"][]) => void) =>
      send(async (parent) => {
        const kept = await take(
          api.PUT("/api/models/{model_id}/sentences", { ...path, body: { parent, rows } }),
        );
        read(kept.rows);
        return kept.state;
      }),
    /** The model stands at another of its revisions. */
    back: (revision: number) =>
      send((parent) =>
        take(api.POST("/api/models/{model_id}/back", { ...path, body: { parent, revision } })),
      ),
    undo: () => {
      const { moves } = useDesk.getState();
      const before = moves[moves.length - 1];
      if (before) {
        useDesk.setState({ moves: moves.slice(0, -1) });
        return put(before);
      }
      return withData(
        send((parent) => take(api.POST("/api/models/{model_id}/undo", { ...path, body: { parent } }))),
      );
    },
    redo: () =>
      withData(
        send((parent) => take(api.POST("/api/models/{model_id}/redo", { ...path, body: { parent } }))),
      ),
    settings: (settings: Settings) =>
      send((parent) =>
        take(api.PUT("/api/models/{model_id}/settings", { ...path, body: { parent, settings } })),
      ),
    /** Cards are where somebody put them; `before` is kept so that the move can be undone. */
    pin: (pins: Pins, before: Pins) => {
      useDesk.setState(({ moves }) => ({ moves: [...moves.slice(-49), before] }));
      return put(pins);
    },
    /** How the model is looked at. */
    look: see,
    /** What the report holds, and how it looks: what differs from before is sent. */
    report: async (change: (now: ReportOptions) => ReportOptions) => {
      const now = queries.getQueryData<ModelState>(["model", modelId])?.report;
      if (!now) return null;
      const next = change(now);
      const patch = patchBetween(now, next);
      return Object.keys(patch).length > 0 ? choose(next, patch) : null;
    },
    /** Words of the report as somebody wrote them; those that were written elsewhere meanwhile stay, these stand beside. */
    words: (key: string, edit: Parameters<typeof edited>[2]) => {
      const now = queries.getQueryData<ModelState>(["model", modelId])?.report;
      if (!now) return Promise.resolve(null);
      const { next, patch } = edited(now, key, edit);
      return choose(next, patch);
    },
    /** Which figures the readout of a family shows; none asked for are its own. */
    figures: async (family: string, keys: string[]) => {
      if ((await see({ figures: { [family]: keys } })) !== null)
        await queries.invalidateQueries({ queryKey: ["model", modelId] });
    },
  };
}

export type Gestures = ReturnType<typeof useGestures>;
