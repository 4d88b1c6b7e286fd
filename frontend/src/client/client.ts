import createClient from "openapi-fetch";
import type { Readable } from "openapi-typescript-helpers";
import { answersAgain, gone } from "./server";
import type { components, paths } from "./schema";

const ATTEMPTS = 12;

/** What changes a model waits for a server that is away, as whoever did it has gone on; what only reads is asked for again anyway. */
const waits = (request: Request) => request.method !== "GET" && request.url.includes("/api/models/");

/** While the database is being started again the server answers 503: the request waits and goes out once more. */
async function patient(request: Request): Promise<Response> {
  for (let attempt = 1; ; attempt++) {
    let answer: Response;
    try {
      answer = await fetch(request.clone());
    } catch (error) {
      if (request.signal.aborted) throw error;
      gone();
      if (!waits(request)) throw error;
      await answersAgain();
      continue;
    }
    if (answer.status !== 503 || attempt === ATTEMPTS) return answer;
    await new Promise((resolve) => setTimeout(resolve, 1000));
  }
}

export const api = createClient<paths>({ baseUrl: "", fetch: patient });

type Written = components["schemas"];
/** The parts of the API's vocabulary as answers bring them, by their names in its document. */
export type Schemas = { [Name in keyof Written]: Readable<Written[Name]> };
export type ModelState = Schemas["ModelState"];
export type Shown = Schemas["Shown"];
export type Parameter = Schemas["ParameterPart"];
export type Effect = Schemas["EffectPart"];
export type Problem = Schemas["ProblemPart"];
export type ProblemDocument = Schemas["ProblemDocument"];
export type Project = Schemas["ProjectPart"];
export type ProjectLine = Schemas["ProjectLine"];
export type Column = Schemas["ColumnPart"];
export type Block = Schemas["BlockPart"];
export type Construct = Schemas["ConstructLine"];
export type Card = Schemas["CardPart"];
export type BoardArrow = Schemas["ArrowPart"];
export type BoardArc = Schemas["ArcPart"];
export type Trail = Schemas["Trail"];
export type TrailRevision = Schemas["TrailRevision"];
export type Board = Schemas["Board"];
export type ReadoutFigure = Schemas["ReadoutFigure"];
export type Criterion = Schemas["CriterionPart"];
export type WhatIfResult = Schemas["WhatIfResult"];
export type Created = Schemas["Created"];
export type Run = Schemas["RunPart"];
export type Change = Schemas["NewRevision"]["changes"][number];
export type Verdict = ReadoutFigure["verdict"];
export type Step = Schemas["NewSteps"]["steps"][number];
export type StepsPart = Schemas["StepsPart"];
export type Settings = Schemas["Settings"];
export type Repaired = NonNullable<Problem["repairs"][number]["change"]>;
/** A low and a high end. */
export type Interval = number[];

/** An answer that says what is wrong, in words. */
export class ProblemAnswer extends Error {
  problems: Problem[];
  status: number;

  constructor(document: ProblemDocument) {
    super(document.title);
    this.problems = document.problems;
    this.status = document.status;
  }
}

const UNREACHABLE: ProblemDocument = {
  type: "about:blank",
  title: "The server does not answer. Is it still running? Nothing that was saved is lost.",
  status: 0,
  problems: [],
};

function isProblem(error: unknown): error is ProblemDocument {
  return typeof error === "object" && error !== null && "problems" in error;
}

/** How long the server worked for what it answered, in milliseconds. */
const worked = new WeakMap<object, number>();
export const workedFor = (data: object) => worked.get(data) ?? null;

function timed(data: unknown, response: Response | undefined) {
  const told = /\bdur=([\d.]+)/.exec(response?.headers.get("Server-Timing") ?? "")?.[1];
  if (told && typeof data === "object" && data !== null) worked.set(data, Number(told));
}

interface Answer<T> {
  data?: T;
  error?: unknown;
  response?: Response;
}

/** The data of an answer, in the type that the API's document gives it, or its problems as an exception. */
export async function take<T>(answer: Promise<Answer<T>>): Promise<T> {
  let found: Answer<T>;
  try {
    found = await answer;
  } catch {
    throw new ProblemAnswer(UNREACHABLE);
  }
  timed(found.data, found.response);
  if (found.data !== undefined) return found.data;
  throw new ProblemAnswer(isProblem(found.error) ? found.error : UNREACHABLE);
}
