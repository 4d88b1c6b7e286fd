import type { Trail, TrailRevision } from "../client/client";

/** A revision in its place: how many came before it on its way, and the branch it is on (0: the one to the present). */
export interface Dot {
  revision: TrailRevision;
  number: number;
  column: number;
  branch: number;
  present: boolean;
  ahead: boolean;
}

/**
 * Where the dots of a trail stand. The way to the present revision, and on from it by the newest of what came after, is the first
 * line; every other branch gets a line of its own under it, the same line again where it is free.
 */
export function dotsOf({ revisions, head }: Pick<Trail, "revisions" | "head">): Dot[] {
  const byId = new Map(revisions.map((r) => [r.id, r]));
  const children = new Map<number | null, TrailRevision[]>();
  for (const r of revisions) children.set(r.parent, [...(children.get(r.parent) ?? []), r]);
  const main = new Set<number>();
  const behind = new Set<number>();
  for (let at = byId.get(head); at; at = at.parent === null ? undefined : byId.get(at.parent)) {
    main.add(at.id);
    behind.add(at.id);
  }
  for (let next = newest(children.get(head)); next; next = newest(children.get(next.id))) main.add(next.id);

  const dots: Dot[] = [];
  const ends: number[] = []; // for each branch the last column that is taken
  const chains = (children.get(null) ?? []).map((first) => ({ first, column: 0 }));
  for (const { first, column } of chains) {
    let branch = dots.length === 0 ? 0 : 1;
    while (dots.length > 0 && (ends[branch] ?? -1) >= column - 1) branch += 1;
    let at: TrailRevision | undefined = first;
    for (let here = column; at; here += 1) {
      ends[branch] = here;
      const ahead = main.has(at.id) && !behind.has(at.id);
      dots.push({ revision: at, number: 0, column: here, branch, present: at.id === head, ahead });
      const after: TrailRevision[] = children.get(at.id) ?? [];
      const next: TrailRevision | undefined = after.find((r) => main.has(r.id)) ?? newest(after);
      for (const other of after) if (other !== next) chains.push({ first: other, column: here + 1 });
      at = next;
    }
  }
  const order = new Map(revisions.map((r, i) => [r.id, i + 1]));
  return dots.map((dot) => ({ ...dot, number: order.get(dot.revision.id) ?? 0 }));
}

function newest(revisions: TrailRevision[] | undefined): TrailRevision | undefined {
  return revisions?.reduce<TrailRevision | undefined>((a, b) => (!a || b.id > a.id ? b : a), undefined);
}

/** The pieces of the index's line on the way to the present and on: broken where the data are other ones. */
export function lineOf(dots: Dot[], key: string): Dot[][] {
  const pieces: Dot[][] = [];
  let piece: Dot[] = [];
  for (const dot of dots.filter((d) => d.branch === 0).sort((a, b) => a.column - b.column)) {
    const known = typeof dot.revision.figures?.values?.[key] === "number";
    if ((!known || dot.revision.other_data) && piece.length > 0) {
      pieces.push(piece);
      piece = [];
    }
    if (known) piece.push(dot);
  }
  return piece.length > 0 ? [...pieces, piece] : pieces;
}
