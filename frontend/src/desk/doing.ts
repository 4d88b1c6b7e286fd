import type { Change, ModelState, Parameter, Project, Schemas } from "../client/client";
import { constructName } from "./columns";
import type { Naming, Proposal, Selected } from "./desk";

type ParameterKey = Schemas["ParameterKey"];

/** A parameter as a change names it. */
export function parameterKey(p: Pick<Parameter, "kind" | "from" | "to">): ParameterKey {
  return { kind: p.kind, source: p.from, target: p.to, group: null };
}

/** Names as a sentence has them: `a, b and c`. */
export function listed(names: string[]): string {
  if (names.length < 2) return names.join("");
  return `${names.slice(0, -1).join(", ")} and ${names[names.length - 1]}`;
}

/** Items that leave the estimation and stay with their construct, with the reason among what is said of them. */
export function setAside(construct: string, items: string[]): Proposal {
  const changes = (reason: string | null): Change[] =>
    items.map((indicator) => ({ type: "set_aside", construct, indicator, reason }));
  return {
    question: `Set ${listed(items)} aside?`,
    verb: "Set aside",
    changes: changes(null),
    withReason: changes,
    then: items.length === 1 && items[0] ? { kind: "indicator", construct, name: items[0] } : null,
  };
}

function changesOf(one: Selected): Change[] {
  switch (one.kind) {
    case "path":
      return [{ type: "remove_path", source: one.source, target: one.target }];
    case "covariance":
      return [{ type: "set_covariance", first: one.first, second: one.second, free: false }];
    case "construct":
      return [{ type: "remove_construct", name: one.name }];
    case "observed":
      return [{ type: "remove_observed", name: one.name }];
    default:
      return [];
  }
}

function wordsOf(one: Selected): string {
  if (one.kind === "path") return `the path ${one.source} → ${one.target}`;
  if (one.kind === "covariance") return `the covariance of ${one.first} and ${one.second}`;
  return one.name;
}

/** Taking things out of the model; an indicator is set aside first, because that keeps it and its reason. */
export function removal(selected: Selected[], model: ModelState): Proposal | null {
  const items = selected.flatMap((one) => (one.kind === "indicator" ? [one] : []));
  const first = items[0];
  if (first && items.length === selected.length) {
    const owner = model.constructs.find((c) => c.name === first.construct);
    const own = items.filter((i) => i.construct === first.construct).map((i) => i.name);
    if (own.every((name) => owner?.indicators.includes(name))) return setAside(first.construct, own);
    return {
      question: `Remove ${listed(own)} from ${first.construct}?`,
      verb: "Remove",
      changes: own.map((indicator) => ({
        type: "remove_indicator",
        construct: first.construct,
        indicator,
      })),
    };
  }
  const rest = selected.filter((one) => one.kind !== "column" && one.kind !== "indicator");
  if (rest.length === 0) return null;
  const defaults = rest.flatMap((one) => {
    // A covariance that only a sentence states goes with its sentence; a default one has to be ruled out.
    if (one.kind !== "covariance") return changesOf(one);
    const arc = model.board.arcs.find((a) => a.from === one.first && a.to === one.second);
    const free = arc?.said ? null : false;
    return [{ type: "set_covariance" as const, first: one.first, second: one.second, free }];
  });
  return { question: `Remove ${listed(rest.map(wordsOf))}?`, verb: "Remove", changes: defaults };
}

/** Another construct like this one, waiting for columns. */
export function duplicate(of: string, model: ModelState, project: Project): Naming {
  return {
    suggestion: constructName(of, model, project),
    make: (to) => [{ type: "duplicate_construct", name: of, to }],
  };
}

/** A construct that shows in other constructs. */
export function gathered(constructs: string[], model: ModelState, project: Project): Naming {
  return {
    suggestion: constructName("General", model, project),
    make: (name) => [{ type: "add_construct", name, indicators: constructs, mode: "reflective" }],
  };
}

/** Items that say nearly the same become their mean: a recorded step of the data, and the model with it in their place. */
export function combination(
  construct: string,
  items: string[],
  model: ModelState,
  project: Project,
): Proposal {
  const wanted = items.join("_");
  const taken = (name: string) =>
    project.columns.some((column) => column.name === name) || model.constructs.some((c) => c.name === name);
  let name = wanted;
  for (let i = 2; taken(name); i++) name = `${wanted}_${i}`;
  return {
    question: `Combine ${listed(items)} into their mean, ${name}?`,
    verb: "Combine",
    changes: [{ type: "replace_indicators", construct, indicators: items, by: name }],
    steps: [{ type: "combine", name, columns: items, how: "mean", least: null, on: true }],
    prompted: "data",
    then: { kind: "indicator", construct, name },
  };
}

/** One construct's items and paths going over to another that the data cannot tell from it. */
export function merging(name: string, into: string): Proposal {
  return {
    question: `Merge ${name} into ${into}?`,
    verb: "Merge",
    changes: [{ type: "merge_constructs", name, into }],
    prompted: "data",
  };
}

/** An item marked as essential, so that its removal is never proposed, or no longer. */
export function keeping(construct: string, indicator: string, essential: boolean): Change {
  return { type: "keep", construct, indicator, essential, reason: null };
}

/** An observed variable becomes a control of everything that is explained, or is none any more. */
export function control(name: string, model: ModelState): Change {
  const others = model.controls.filter((one) => one !== name);
  return { type: "set_controls", names: model.controls.includes(name) ? others : [...others, name] };
}
