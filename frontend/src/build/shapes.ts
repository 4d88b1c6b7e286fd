import type { Change } from "../api/client";

/** A shape to begin from: who takes part, and which paths it has. */
export interface Shape {
  key: "simple" | "parallel" | "serial";
  words: string;
  hint: string;
  mediators: boolean;
}

export const SHAPES: Shape[] = [
  {
    key: "simple",
    words: "One leads to another",
    hint: "every antecedent to every outcome",
    mediators: false,
  },
  {
    key: "parallel",
    words: "Through mediators side by side",
    hint: "antecedent to each mediator, each mediator to the outcome, and directly",
    mediators: true,
  },
  {
    key: "serial",
    words: "Through mediators in a row",
    hint: "each leads to all that come after it",
    mediators: true,
  },
];

/** Who stands where in a shape; controls lead to mediators and outcomes beside the others. */
export interface Roles {
  antecedents: string[];
  mediators: string[];
  outcomes: string[];
  controls: string[];
}

/** The paths of a shape, without those that a model has already, and without any to itself. */
export function pathsOf(
  shape: Shape["key"],
  roles: Roles,
  existing: { source: string; target: string }[],
): { source: string; target: string }[] {
  const { antecedents, mediators, outcomes, controls } = roles;
  const found: [string, string][] = [];
  const all = (sources: string[], targets: string[]) =>
    sources.forEach((source) => targets.forEach((target) => found.push([source, target])));
  if (shape === "serial") {
    const stages = [antecedents, ...mediators.map((m) => [m]), outcomes];
    stages.forEach((stage, at) => all(stage, stages.slice(at + 1).flat()));
  } else {
    if (shape === "parallel") {
      all(antecedents, mediators);
      all(mediators, outcomes);
    }
    all(antecedents, outcomes);
  }
  all(controls, [...(shape === "simple" ? [] : mediators), ...outcomes]);
  const known = new Set(existing.map((p) => `${p.source}\u0000${p.target}`));
  const paths: { source: string; target: string }[] = [];
  for (const [source, target] of found) {
    const key = `${source}\u0000${target}`;
    if (source === target || known.has(key)) continue;
    known.add(key);
    paths.push({ source, target });
  }
  return paths;
}

export function asChanges(paths: { source: string; target: string }[]): Change[] {
  return paths.map((path) => ({ type: "add_path", ...path }));
}
