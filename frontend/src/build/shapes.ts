import type { Change } from "../client/client";

/** A shape to begin from: who takes part, and which paths it has. */
export interface Shape {
  key: "simple" | "parallel" | "serial" | "growth";
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
  {
    key: "growth",
    words: "Growth over occasions",
    hint: "one measure at several times: where it begins, how it goes on",
    mediators: false,
  },
];

/** Who stands where in a shape; controls lead to everything that something leads to. */
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
  const { antecedents, mediators, outcomes } = roles;
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

export function asChanges(
  paths: { source: string; target: string }[],
  controls: string[] = [],
  known: string[] = [],
): Change[] {
  const drawn: Change[] = paths.map((path) => ({ type: "add_path", ...path }));
  const fresh = controls.filter((name) => !known.includes(name));
  return fresh.length > 0 ? [...drawn, { type: "set_controls", names: [...known, ...fresh] }] : drawn;
}

/** Linear growth over equally spaced occasions, in sentences: what everybody begins with, and what is added each time. */
export function growthOf(occasions: string[], level: string, slope: string): Change[] {
  const quoted = (name: string) => `"${name.replaceAll('"', '""')}"`;
  const items = occasions.map(quoted).join(", ");
  const said = [level, slope].map((name) => `${quoted(name)} shows in ${items}`);
  occasions.forEach((name, at) => {
    said.push(
      `hold ${quoted(level)} > ${quoted(name)} at 1`,
      `hold ${quoted(slope)} > ${quoted(name)} at ${at}`,
    );
    said.push(`hold intercept of ${quoted(name)} at 0`);
  });
  said.push(`release intercept of ${quoted(level)}`, `release intercept of ${quoted(slope)}`);
  return said.map((sentence) => ({ type: "add_sentence", sentence }));
}
