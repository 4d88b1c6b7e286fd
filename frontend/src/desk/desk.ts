import { create } from "zustand";
import type { Change, Schemas, Step } from "../client/client";

/** What is selected: the lens shows what is known about it. */
export type Selection =
  | { kind: "construct"; name: string }
  | { kind: "observed"; name: string }
  | { kind: "indicator"; construct: string; name: string }
  | { kind: "path"; source: string; target: string }
  | { kind: "covariance"; first: string; second: string }
  | { kind: "column"; name: string }
  | null;
export type Selected = NonNullable<Selection>;

/** Where a line is being drawn from by keyboard: a path out of the name or into it, or a covariance. */
export interface PathStart {
  name: string;
  direction: "out" | "in" | "with";
}

/** A change that removes or correlates, before it is made: what it would do, an optional reason, done. */
export interface Proposal {
  question: string;
  verb: string;
  changes: Change[];
  /** Steps of the data that belong to it: one revision carries both. */
  steps?: Step[];
  settings?: Schemas["Choose"][];
  /** Whether the idea is the user's own or was proposed from these data. */
  prompted?: "own" | "data";
  /** Sees to the reason where it belongs into the change itself. */
  withReason?: (reason: string | null) => Change[];
  then?: Selection;
  /** What is done in the place of the changes, where it is none of the model. */
  act?: () => void;
}

/** A construct that is about to be made and still wants a name. */
export interface Naming {
  suggestion: string;
  make: (name: string) => Change[];
}

interface Desk {
  selection: Selection;
  /** Whether the selection only follows the caret in the sentences, so that nothing has to be shown of it. */
  quiet: boolean;
  /** All that is selected, where it is more than one thing. */
  group: Selected[];
  pathFrom: PathStart | null;
  renaming: string | null;
  naming: Naming | null;
  proposal: Proposal | null;
  saving: boolean;
  /** Whether something was typed that is saved only when it is left. */
  typing: boolean;
  /** How long the server worked for the last gesture, in milliseconds. */
  elapsed: number | null;
  complaint: string | null;
  /** The revision that was made last here, so that it can be taken back where it is told. */
  made: number | null;
  run: { id: number; modelId: number } | null;
  modelOf: Record<number, number>;
  listing: boolean;
  writing: boolean;
  trail: boolean;
  finding: "actions" | "keys" | null;
  /** Whether the sheet of cut-offs is open. */
  sheet: boolean;
  /** The card or row that is to get the focus once it is drawn. */
  focus: string | null;
  /** Where cards stood before they were moved by hand, the last move last. */
  moves: Record<string, { x: number; y: number }>[];
  /** Revisions that were sent to Compare. */
  comparing: { model: number; revisions: number[] } | null;
  labels: Labels;
}

/** How numbers on the board are written. */
export interface Labels {
  standardized: boolean;
  decimals: 2 | 3;
  intervals: boolean;
}

const KEPT = "dusk-arrow-labels";
const PLAIN: Labels = { standardized: true, decimals: 2, intervals: true };

function keptLabels(): Labels {
  try {
    return { ...PLAIN, ...(JSON.parse(localStorage.getItem(KEPT) ?? "{}") as Partial<Labels>) };
  } catch {
    return PLAIN;
  }
}

/** The state of the desk, read slice by slice: nothing of it but the labels is worth keeping over a reload. */
export const useDesk = create<Desk>(() => ({
  selection: null,
  quiet: false,
  group: [],
  pathFrom: null,
  renaming: null,
  naming: null,
  proposal: null,
  saving: false,
  typing: false,
  elapsed: null,
  complaint: null,
  made: null,
  run: null,
  modelOf: {},
  listing: false,
  writing: false,
  trail: false,
  finding: null,
  sheet: false,
  focus: null,
  moves: [],
  comparing: null,
  labels: keptLabels(),
}));

/** What is done on the desk. These never change, so that nothing has to be drawn anew for them. */
export const select = (selection: Selection, quiet = false) =>
  useDesk.setState({ selection, quiet, group: [] });
export const startPath = (pathFrom: PathStart | null) => useDesk.setState({ pathFrom });
export const rename = (renaming: string | null) => useDesk.setState({ renaming });
export const name = (naming: Naming | null) => useDesk.setState({ naming });
export const propose = (proposal: Proposal | null) => useDesk.setState({ proposal });
export const complain = (complaint: string | null) => useDesk.setState({ complaint });
export const follow = (run: Desk["run"]) => useDesk.setState({ run });
export const list = (listing: boolean) => useDesk.setState({ listing });
export const write = (writing: boolean) => useDesk.setState({ writing });
export const unfoldTrail = (trail: boolean) => useDesk.setState({ trail });
export const find = (finding: Desk["finding"]) => useDesk.setState({ finding });
export const sheetOpen = (sheet: boolean) => useDesk.setState({ sheet });
export const focusOn = (focus: string | null) => useDesk.setState({ focus });
export const openModel = (project: number, model: number) =>
  useDesk.setState((desk) => ({ modelOf: { ...desk.modelOf, [project]: model } }));
export const setLabels = (part: Partial<Labels>) =>
  useDesk.setState((desk) => {
    const labels = { ...desk.labels, ...part };
    localStorage.setItem(KEPT, JSON.stringify(labels));
    return { labels };
  });

export function keyOf(selected: Selected): string {
  return Object.values(selected).join("\u0000");
}

/** One thing more (or less) among what is selected. */
export function selectMore(one: Selected) {
  useDesk.setState(({ selection, group }) => {
    const all = group.length > 0 ? group : selection ? [selection] : [];
    const rest = all.filter((other) => keyOf(other) !== keyOf(one));
    const next = rest.length < all.length ? rest : [...all, one];
    return { quiet: false, group: next.length > 1 ? next : [], selection: next[next.length - 1] ?? null };
  });
}

/** Whether something is selected, alone or among others. */
export function isSelected(desk: Desk, one: Selected): boolean {
  if (desk.group.length > 0) return desk.group.some((other) => keyOf(other) === keyOf(one));
  return desk.selection !== null && keyOf(desk.selection) === keyOf(one);
}

/** The name from which a path would start, if the selection is something that can have paths. */
export function pathStart(selection: Selection): string | null {
  if (selection?.kind === "construct" || selection?.kind === "observed" || selection?.kind === "column") {
    return selection.name;
  }
  return null;
}
