import type { ModelState } from "../client/client";

/** A file that can be saved of a model: what it is called, in which format, and where it comes from. */
export interface Export {
  key: string;
  words: string;
  ending: string;
  /** What it is called in a line of the report, if not by its ending. */
  name?: string;
  /** What is in it, where that is not plain from its name. */
  holds?: string;
  /** In which line of the report it is offered, or beside the tables of the estimates. */
  offered: "to write" | "the figure" | "the numbers" | "to hand over" | "estimates";
  /** Whether only common factors have it. */
  factors?: boolean;
  href: (model: ModelState) => string;
}

const of = (file: string) => (model: ModelState) => `/api/models/${model.id}/${file}`;
const document = (ending: string, words: string, offered: Export["offered"] = "to write"): Export => ({
  key: `report-${ending}`,
  words,
  ending,
  offered,
  href: of(`report.${ending}`),
});
const figure = (ending: string, words: string): Export => ({
  key: ending === "svg" ? "figure" : `figure-${ending}`,
  words,
  ending,
  offered: "the figure",
  href: of(`figure.${ending}`),
});

/** Every file of a model. Adding one is adding a line here and a route on the server. */
export const EXPORTS: Export[] = [
  document("docx", "Report to write on"),
  document("pdf", "Report to print"),
  document("html", "Report as a page"),
  document("tex", "Report for LaTeX"),
  document("md", "Report as Markdown"),
  figure("svg", "Figure"),
  figure("pdf", "Figure as PDF"),
  figure("png", "Figure as PNG"),
  figure("pptx", "Figure as a slide"),
  figure("odg", "Figure as a drawing"),
  figure("graphml", "Figure as a graph"),
  figure("dot", "Figure as a graph in DOT"),
  document("xlsx", "Tables as a workbook", "the numbers"),
  document("zip", "Tables as text", "the numbers"),
  document("bib", "Literature", "the numbers"),
  {
    key: "project",
    words: "The whole project, for a supervisor",
    name: "for a supervisor",
    ending: "zip",
    holds: "all of it: data, every model, their trails and bootstraps; opened here it is as you left it",
    offered: "to hand over",
    href: (model) => `/api/projects/${model.project_id}/project.zip`,
  },
  {
    key: "capsule",
    words: "Capsule for an archive",
    name: "for an archive",
    ending: "zip",
    holds: "this model with its data, trail and results: ./dusk fit repeats every number",
    offered: "to hand over",
    href: of("capsule.zip"),
  },
  {
    key: "capsule-without-data",
    words: "Capsule without the answers",
    name: "without the answers",
    ending: "zip",
    holds: "the same with covariances in the place of cases: bootstraps are on record, not repeated",
    offered: "to hand over",
    href: of("capsule.zip?data=false"),
  },
  {
    key: "results",
    words: "Results",
    name: "results",
    ending: "json",
    holds: "every number of this model, for a program",
    offered: "to hand over",
    href: of("results.json"),
  },
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
