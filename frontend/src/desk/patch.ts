import type { Schemas } from "../client/client";
import type { Typed } from "./typed";
import type { FigureOptions, NamedFigure, ReportOptions } from "./figures";

export type ReportPatch = Schemas["ReportPatch"];
type Places = FigureOptions["places"];

const same = (one: unknown, other: unknown) => JSON.stringify(one) === JSON.stringify(other);

/** What became other between two sets of places: null where a piece is no longer put by hand. */
function movedPlaces(before: Places = {}, after: Places = {}) {
  const names = new Set([...Object.keys(before), ...Object.keys(after)]);
  return Object.fromEntries(
    [...names].filter((name) => !same(before[name], after[name])).map((name) => [name, after[name] ?? null]),
  );
}

function changedOptions(before: FigureOptions, after: FigureOptions) {
  const found: Record<string, unknown> = {};
  for (const key of Object.keys(after) as (keyof FigureOptions)[]) {
    if (same(before[key], after[key])) continue;
    const places = key === "places" || key === "label_places";
    found[key] = places ? movedPlaces(before[key], after[key]) : after[key];
  }
  return found;
}

function changedFigures(before: NamedFigure[], after: NamedFigure[]) {
  const found: NonNullable<ReportPatch["figures"]> = {};
  for (const one of after) {
    const old = before.find((other) => other.key === one.key);
    if (!old) {
      const { kind, source, outcome, options } = one;
      found[one.key] = { kind, source, outcome, options };
    } else if (!same(old, one)) found[one.key] = { options: changedOptions(old.options, one.options) };
  }
  for (const one of before) if (!after.some((other) => other.key === one.key)) found[one.key] = null;
  return found;
}

/** The choices that differ, each for itself: what another window changed meanwhile is not sent back as it was. */
export function patchBetween(before: ReportOptions, after: ReportOptions): ReportPatch {
  const patch: ReportPatch = {};
  if (before.title !== after.title) patch.title = after.title;
  if (before.decimals !== after.decimals) patch.decimals = after.decimals;
  if (before.leading_zero !== after.leading_zero) patch.leading_zero = after.leading_zero;
  if (before.n_in_chi_square !== after.n_in_chi_square) patch.n_in_chi_square = after.n_in_chi_square;
  const figures = changedFigures(before.figures, after.figures);
  if (Object.keys(figures).length > 0) patch.figures = figures;
  const old = new Map(before.parts.map((part) => [part.key, part]));
  const parts = after.parts.filter((part) => !same(old.get(part.key), part));
  if (parts.length > 0) {
    patch.parts = Object.fromEntries(
      parts.map((part) => {
        const was = old.get(part.key);
        const shown = was?.shown === part.shown ? {} : { shown: part.shown };
        return [part.key, { ...shown, ...(was?.title === part.title ? {} : { title: part.title }) }];
      }),
    );
  }
  const kept = (options: ReportOptions) =>
    options.parts.map((part) => part.key).filter((key) => figures[key] !== null);
  if (!same(kept(before), kept(after))) patch.order = kept(after);
  return patch;
}

/** Somebody's words for a part: what they had before them, what they wrote, and what of other windows is not wanted. */
export function edited(
  options: ReportOptions,
  key: string,
  edit: { text: string | null; seen: string | null; computed: string; dropped?: string[] },
): { next: ReportOptions; patch: ReportPatch } {
  const { text, seen, computed, dropped = [] } = edit;
  const others = Object.fromEntries(Object.entries(options.edits).filter(([other]) => other !== key));
  const beside = (options.edits[key]?.beside ?? []).filter((one) => !dropped.includes(one));
  const edits =
    text === null && beside.length === 0 ? others : { ...others, [key]: { text, computed, beside } };
  return { next: { ...options, edits }, patch: { edits: { [key]: { text, seen, computed, dropped } } } };
}

/** The words over which somebody has typed: those that stand there now, but before a reload those of then, unless what was typed
 * has become what stands there. */
export function seenBefore(typed: Typed | null, now: string | null) {
  return typed && typed.text.trim() !== now ? typed.before || null : now;
}
