import type { Block, Change, Column, ModelState, Project } from "../client/client";
import { name } from "./desk";

/** Columns on their way from the shelf to the board. */
export interface ColumnsInHand {
  stem: string | null;
  columns: string[];
}

/** Indicators on their way from one card to another, or to another place on theirs. */
export interface ItemsInHand {
  construct: string;
  items: string[];
}

/** For each column in use or set aside, its construct. */
export function owners(model: ModelState): Map<string, string> {
  const found = new Map<string, string>();
  for (const construct of model.constructs) {
    for (const one of construct.indicators) found.set(one, construct.name);
    for (const { indicator } of construct.aside) found.set(indicator, construct.name);
  }
  return found;
}

/** A name for a construct made of a block: the stem, unless a construct or column is already called so. */
export function constructName(stem: string, model: ModelState, project: Project): string {
  const taken = new Set([
    ...model.constructs.map((c) => c.name),
    ...model.observed,
    ...project.columns.map((c) => c.name),
  ]);
  const base = stem.charAt(0).toUpperCase() + stem.slice(1);
  let found = base;
  for (let number = 2; taken.has(found); number += 1) found = `${base} ${number}`;
  return found;
}

/** Asks for the name of a construct of some columns, then makes it. */
export function nameConstruct(
  columns: string[],
  stem: string | null,
  model: ModelState,
  project: Project,
  mode: "reflective" | "formative" = "reflective",
) {
  const blocks = project.blocks.filter((b) => b.stem !== null && columns.every((c) => b.columns.includes(c)));
  const base = stem ?? blocks[0]?.stem ?? (columns[0] ? `${columns[0]} construct` : "New construct");
  name({
    suggestion: constructName(base, model, project),
    make: (chosen): Change[] => [{ type: "add_construct", name: chosen, indicators: columns, mode }],
  });
}

/** The columns of a block that could still be taken. */
export function freeOf(block: Block, owner: Map<string, string>, byName: Map<string, Column>): string[] {
  return block.columns.filter((one) => !owner.has(one) && byName.get(one)?.numeric);
}
