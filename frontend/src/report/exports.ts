import type { ModelState } from "../api/client";

/** A file that can be saved of a model: what it is called, in which format, and where it comes from. */
export interface Export {
  key: string;
  words: string;
  ending: string;
  /** Where it is offered: with the figure, or beside the tables of the estimates. */
  offered: "report" | "estimates";
  /** Whether only common factors have it. */
  factors?: boolean;
  href: (model: ModelState) => string;
}

const of = (file: string) => (model: ModelState) => `/api/models/${model.id}/${file}`;

/** Every file of a model. Adding one is adding a line here and a route in server/downloads.py. */
export const EXPORTS: Export[] = [
  { key: "figure", words: "Figure", ending: "svg", offered: "report", href: of("figure.svg") },
  { key: "figure-pdf", words: "Figure as PDF", ending: "pdf", offered: "report", href: of("figure.pdf") },
  { key: "figure-png", words: "Figure as PNG", ending: "png", offered: "report", href: of("figure.png") },
  { key: "results", words: "Results", ending: "json", offered: "report", href: of("results.json") },
  {
    key: "covariances",
    words: "Covariances of the estimates",
    factors: true,
    ending: "csv",
    offered: "estimates",
    href: of("estimates.csv"),
  },
  {
    key: "scores",
    words: "Scores of the cases",
    ending: "csv",
    offered: "estimates",
    href: of("scores.csv"),
  },
];
