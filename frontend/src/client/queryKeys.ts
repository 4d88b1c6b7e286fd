import type { QueryClient, QueryKey } from "@tanstack/react-query";

type Id = number | undefined | null;

/** Where each part of the server's state is kept. The first word is the kind; what follows says which one. */
export const keys = {
  choices: ["choices"],
  projects: ["projects"],
  project: (project: number) => ["project", project],
  criteria: (project: string | null) => ["criteria", project],
  steps: (project: number) => ["steps", project],
  cases: (project: number, version: number, sort: unknown, page: number) => [
    "cases",
    project,
    version,
    sort,
    page,
  ],
  screening: (project: number, version: number) => ["screening", project, version],
  proposals: (project: number, version: number) => ["proposals", project, version],
  comparisons: ["comparison"],
  comparison: (project: number, chosen: unknown, revision: number) => [
    "comparison",
    project,
    chosen,
    revision,
  ],
  /** A file as it would be read, and what it would change in a project. */
  preview: (file: File, ways: unknown) => ["preview", file.name, file.size, file.lastModified, ways],
  nextFile: (project: number | null, file: File, ways: unknown) => [
    "next-file",
    project,
    file.name,
    file.size,
    file.lastModified,
    ways,
  ],
  model: (model: Id) => ["model", model],
  trail: (model: number) => ["trail", model],
  keywords: (model: number) => ["keywords", model],
  published: (model: number) => ["published", model],
  report: (model: number, ...shown: unknown[]) => ["report", model, ...shown],
  figureProposal: (model: number, revision: number, figure: string, options: string) => [
    "figure-proposal",
    model,
    revision,
    figure,
    options,
  ],
  /** A part of a document that never changes. */
  part: (model: number, ...shown: unknown[]) => ["part", model, ...shown],
  whatIf: (model: number, revision: number, ...changed: unknown[]) => [
    "what-if",
    model,
    revision,
    ...changed,
  ],
  itemWhatIfs: (model: number, revision: number) => ["item-what-ifs", model, revision],
  leftOut: (model: number, revision: number) => ["left-out-what-ifs", model, revision],
  pathsAtZero: (model: number, revision: number) => ["paths-at-zero", model, revision],
  effect: (model: number, revision: number) => ["effect", model, revision],
  pace: (model: number, revision: number) => ["pace", model, revision],
  run: (run: Id) => ["run", run],
} satisfies Record<string, QueryKey | ((...which: never[]) => QueryKey)>;

/** What shows something else after a change, by the first word of its key. */
export const FOLLOWS = {
  data: ["project", "steps", "screening", "cases", "proposals"],
  steps: ["project", "screening", "cases", "proposals", "model", "trail"],
  criteria: ["model", "item-what-ifs", "left-out-what-ifs", "what-if"],
} as const;

/** Fetches anew everything that a change has made old. */
export const refresh = (queries: QueryClient, after: keyof typeof FOLLOWS) =>
  Promise.all(FOLLOWS[after].map((kind) => queries.invalidateQueries({ queryKey: [kind] })));
