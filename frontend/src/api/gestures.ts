import { useQueryClient } from "@tanstack/react-query";
import { complain, useDesk } from "../desk/desk";
import { edited, patchBetween, type ReportPatch } from "../desk/patch";
import { attempt } from "./attempt";
import {
  api,
  ProblemAnswer,
  take,
  workedFor,
  type Change,
  type ModelState,
  type Schemas,
  type Settings,
  type Step,
} from "../client/client";
import { keys, refresh } from "../client/queryKeys";

type View = Schemas["ViewPatch"];
type ReportOptions = Schemas["ReportOptions"];
type Pins = Record<string, { x: number; y: number }>;

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
      const current = queries.getQueryData<ModelState>(keys.model(modelId));
      if (!current) return null;
      useDesk.setState({ saving: true });
      try {
        // An answer that was asked for before this gesture must not arrive after it and show the model as it was.
        await queries.cancelQueries({ queryKey: keys.model(modelId) });
        const state = await request(current.revision.id);
        queries.setQueryData(keys.model(modelId), state);
        const made = state.revision.id > current.revision.id ? state.revision.id : null;
        useDesk.setState({ elapsed: workedFor(state), complaint: null, made, moves: [] });
        void queries.invalidateQueries({ queryKey: keys.trail(modelId) });
        return state;
      } catch (error) {
        const problem = error instanceof ProblemAnswer ? error.problems[0]?.message : undefined;
        complain(problem ?? (error instanceof Error ? error.message : String(error)));
        if (error instanceof ProblemAnswer && error.status === 409) {
          await queries.invalidateQueries({ queryKey: keys.model(modelId) });
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
    const before = queries.getQueryData<ModelState>(keys.model(modelId))?.revision.data_version_id;
    const state = await sent;
    if (state && state.revision.data_version_id !== before) {
      await refresh(queries, "data");
    }
    return state;
  };
  const path = { params: { path: { model_id: modelId } } };
  const put = async (pins: Pins) => {
    const board = await attempt(() =>
      take(api.PUT("/api/models/{model_id}/pins", { ...path, body: { pins } })),
    );
    if (board === null) return;
    queries.setQueryData<ModelState>(keys.model(modelId), (old) => (old ? { ...old, board } : old));
  };
  const shown = (change: (old: ModelState) => Partial<ModelState>) =>
    queries.setQueryData<ModelState>(keys.model(modelId), (old) => (old ? { ...old, ...change(old) } : old));
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
    if (kept === null) await queries.invalidateQueries({ queryKey: keys.model(modelId) });
    await queries.invalidateQueries({ queryKey: keys.report(modelId) });
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
      const now = queries.getQueryData<ModelState>(keys.model(modelId))?.report;
      if (!now) return null;
      const next = change(now);
      const patch = patchBetween(now, next);
      return Object.keys(patch).length > 0 ? choose(next, patch) : null;
    },
    /** Words of the report as somebody wrote them; those that were written elsewhere meanwhile stay, these stand beside. */
    words: (key: string, edit: Parameters<typeof edited>[2]) => {
      const now = queries.getQueryData<ModelState>(keys.model(modelId))?.report;
      if (!now) return Promise.resolve(null);
      const { next, patch } = edited(now, key, edit);
      return choose(next, patch);
    },
    /** Which figures the readout of a family shows; none asked for are its own. */
    figures: async (family: string, shown: string[]) => {
      if ((await see({ figures: { [family]: shown } })) !== null)
        await queries.invalidateQueries({ queryKey: keys.model(modelId) });
    },
  };
}

export type Gestures = ReturnType<typeof useGestures>;
