import { create } from "zustand";

/** What is selected: the lens shows what is known about it. */
export type Selection =
  | { kind: "construct"; name: string }
  | { kind: "observed"; name: string }
  | { kind: "indicator"; construct: string; name: string }
  | { kind: "path"; source: string; target: string }
  | { kind: "column"; name: string }
  | null;

/** Where a path is being drawn from by keyboard: out of the name, or into it. */
export interface PathStart {
  name: string;
  direction: "out" | "in";
}

interface Desk {
  selection: Selection;
  pathFrom: PathStart | null;
  renaming: string | null;
  saving: boolean;
  elapsed: number | null;
  complaint: string | null;
  run: { id: number; modelId: number } | null;
  modelOf: Record<number, number>;
  listing: boolean;
  select: (selection: Selection) => void;
  setPathFrom: (start: PathStart | null) => void;
  setRenaming: (name: string | null) => void;
  setSaving: (saving: boolean) => void;
  setElapsed: (elapsed: number) => void;
  setComplaint: (complaint: string | null) => void;
  setRun: (run: Desk["run"]) => void;
  setModelOf: (project: number, model: number) => void;
  setListing: (listing: boolean) => void;
}

/** The state of the desk: nothing of it is worth keeping over a reload. */
export const useDesk = create<Desk>((set) => ({
  selection: null,
  pathFrom: null,
  renaming: null,
  saving: false,
  elapsed: null,
  complaint: null,
  run: null,
  modelOf: {},
  listing: false,
  select: (selection) => set({ selection }),
  setPathFrom: (pathFrom) => set({ pathFrom }),
  setRenaming: (renaming) => set({ renaming }),
  setSaving: (saving) => set({ saving }),
  setElapsed: (elapsed) => set({ elapsed }),
  setComplaint: (complaint) => set({ complaint }),
  setRun: (run) => set({ run }),
  setModelOf: (project, model) => set((desk) => ({ modelOf: { ...desk.modelOf, [project]: model } })),
  setListing: (listing) => set({ listing }),
}));

/** The name from which a path would start, if the selection is something that can have paths. */
export function pathStart(selection: Selection): string | null {
  if (selection?.kind === "construct" || selection?.kind === "observed" || selection?.kind === "column") {
    return selection.name;
  }
  return null;
}
