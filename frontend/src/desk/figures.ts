import type { Effect, Schemas } from "../client/client";
import usual from "../client/usual_figure.json";

export type ReportOptions = Schemas["ReportOptions"];
/** A choice, from what is chosen by now. */
export type Choosing = (now: ReportOptions) => ReportOptions;
export type NamedFigure = Schemas["NamedFigure"];
export type FigureOptions = Schemas["FigureOptions"];

/** A figure drawn as unless something is chosen. */
export const USUAL = usual as unknown as FigureOptions;

/** The figure of one mediation. */
export const mediationOf = (source: string, outcome: string): NamedFigure => ({
  key: `${source} → ${outcome}`,
  kind: "mediation",
  source,
  outcome,
  options: USUAL,
});

/** Figures that could be added: another of the whole model, mediations, and importance where a family has it. */
export function addable(
  figures: NamedFigure[],
  effects: Effect[],
  outcomes: string[],
): { words: string; figure: NamedFigure }[] {
  const taken = new Set(figures.map((one) => one.key));
  let number = 2;
  while (taken.has(`figure ${number}`)) number += 1;
  const whole: NamedFigure = {
    key: taken.has("figure") ? `figure ${number}` : "figure",
    kind: "model",
    source: null,
    outcome: null,
    options: USUAL,
  };
  const pairs = effects
    .filter((one) => one.kind === "total indirect")
    .map((one) => [one.from, one.to] as const);
  const found = [
    { words: "the model once more", figure: whole },
    ...pairs.map(([source, outcome]) => ({
      words: `what ${source} does to ${outcome}`,
      figure: mediationOf(source, outcome),
    })),
    ...outcomes.map((outcome) => ({
      words: `importance and performance for ${outcome}`,
      figure: {
        key: `importance ${outcome}`,
        kind: "importance" as const,
        source: null,
        outcome,
        options: USUAL,
      },
    })),
  ];
  return found.filter((one) => !taken.has(one.figure.key));
}

/** The parts as they were last chosen, which the report that was last made may not know yet: in their order, with their titles, shown
 * or not; those that nothing was chosen for stay where they are. */
export function asChosen(
  offered: Schemas["OfferedPart"][],
  parts: Schemas["PartChoice"][],
): Schemas["OfferedPart"][] {
  const place = new Map(parts.map((one, at) => [one.key, at]));
  const known = offered.filter((one) => place.has(one.key));
  const ordered = known.toSorted((a, b) => (place.get(a.key) ?? 0) - (place.get(b.key) ?? 0)).values();
  return offered.map((one) => {
    if (!place.has(one.key)) return one;
    const next = ordered.next().value ?? one;
    return { ...next, ...parts[place.get(next.key) ?? 0] };
  });
}

/** The parts in another order, as choices that are kept: one moved by so many places among those that are there. */
export function movedBy(offered: Schemas["OfferedPart"][], key: string, to: number): Schemas["PartChoice"][] {
  const there = offered.filter((one) => one.there);
  const from = there.findIndex((one) => one.key === key);
  const [part] = there.splice(from, 1);
  if (part) there.splice(Math.max(0, Math.min(there.length, to)), 0, part);
  return [...there, ...offered.filter((one) => !one.there)].map(choiceOf);
}

export const choiceOf = (one: Schemas["OfferedPart"]): Schemas["PartChoice"] => ({
  key: one.key,
  shown: one.shown,
  title: one.title,
});
