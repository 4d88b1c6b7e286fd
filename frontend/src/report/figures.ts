import type { Effect, Schemas } from "../api/client";
import usual from "../api/usual_figure.json";

export type ReportOptions = Schemas["ReportOptions"];
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
