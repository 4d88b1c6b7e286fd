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
}

/** The state of the desk, read slice by slice: nothing of it is worth keeping over a reload. */
export const useDesk = create<Desk>(() => ({
  selection: null,
  pathFrom: null,
  renaming: null,
  saving: false,
  elapsed: null,
  complaint: null,
  run: null,
  modelOf: {},
  listing: false,
}));

/** What is done on the desk. These never change, so that nothing has to be drawn anew for them. */
export const select = (selection: Selection) => useDesk.setState({ selection });
export const startPath = (pathFrom: PathStart | null) => useDesk.setState({ pathFrom });
export const rename = (renaming: string | null) => useDesk.setState({ renaming });
export const complain = (complaint: string | null) => useDesk.setState({ complaint });
export const follow = (run: Desk["run"]) => useDesk.setState({ run });
export const list = (listing: boolean) => useDesk.setState({ listing });
export const openModel = (project: number, model: number) =>
  useDesk.setState((desk) => ({ modelOf: { ...desk.modelOf, [project]: model } }));

/** The name from which a path would start, if the selection is something that can have paths. */
export function pathStart(selection: Selection): string | null {
  if (selection?.kind === "construct" || selection?.kind === "observed" || selection?.kind === "column") {
    return selection.name;
  }
  return null;
}
