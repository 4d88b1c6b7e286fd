// Where the dots of a trail stand: no revision is lost, no branch lies on another.
import { describe, expect, test } from "vitest";
import type { TrailRevision } from "../src/client/client";
import { dotsOf, lineOf } from "../src/trail/branches";

function revision(id: number, parent: number | null, part: Partial<TrailRevision> = {}): TrailRevision {
  return {
    id,
    parent,
    words: `revision ${id}`,
    reason: null,
    name: null,
    note: null,
    prompted: "own",
    created: "2026-11-24T16:12:00Z",
    other_data: false,
    figures: {
      version: "1",
      estimated: true,
      values: { cfi: 0.9 + id / 1000 },
      df: 1,
      p_value: 0.5,
      n_used: 100,
    },
    ...part,
  } as TrailRevision;
}

const places = (revisions: TrailRevision[], head: number) =>
  Object.fromEntries(dotsOf({ revisions, head }).map((d) => [d.revision.id, [d.column, d.branch]]));

describe("dots", () => {
  test("follow each other on one line", () => {
    expect(places([revision(1, null), revision(2, 1), revision(3, 2)], 3)).toEqual({
      1: [0, 0],
      2: [1, 0],
      3: [2, 0],
    });
  });

  test("of the way to the present are the first line, whichever was newer", () => {
    const revisions = [revision(1, null), revision(2, 1), revision(3, 1), revision(4, 2)];
    expect(places(revisions, 4)).toEqual({ 1: [0, 0], 2: [1, 0], 4: [2, 0], 3: [1, 1] });
    expect(places(revisions, 3)).toEqual({ 1: [0, 0], 3: [1, 0], 2: [1, 1], 4: [2, 1] });
  });

  test("after the present stay, as what lies ahead", () => {
    const dots = dotsOf({ revisions: [revision(1, null), revision(2, 1), revision(3, 2)], head: 1 });
    expect(dots.map((d) => [d.revision.id, d.present, d.ahead, d.branch])).toEqual([
      [1, true, false, 0],
      [2, false, true, 0],
      [3, false, true, 0],
    ]);
  });

  test("of branches never share a place, however many there are", () => {
    // A tree by a fixed rule: every revision hangs on one of the three before it.
    const revisions = [revision(1, null)];
    for (let id = 2; id <= 80; id += 1) revisions.push(revision(id, Math.max(1, id - 1 - ((id * 7) % 3))));
    for (const head of [1, 40, 80]) {
      const dots = dotsOf({ revisions, head });
      expect(dots).toHaveLength(80);
      expect(new Set(dots.map((d) => `${d.column} ${d.branch}`)).size).toBe(80);
      const column = new Map(dots.map((d) => [d.revision.id, d.column]));
      for (const { revision: one } of dots) {
        if (one.parent !== null) expect(column.get(one.id)).toBe((column.get(one.parent) ?? NaN) + 1);
      }
      expect(dots.filter((d) => d.present).map((d) => d.revision.id)).toEqual([head]);
      expect(dots.map((d) => d.number).sort((a, b) => a - b)).toEqual(
        [...Array(80).keys()].map((i) => i + 1),
      );
    }
  });
});

describe("the line", () => {
  test("breaks where the data are others, and where nothing was estimated", () => {
    const revisions = [
      revision(1, null, { figures: null }),
      revision(2, 1),
      revision(3, 2),
      revision(4, 3, { other_data: true }),
      revision(5, 4, { figures: { version: "1", estimated: false, values: {} } as TrailRevision["figures"] }),
      revision(6, 5),
      revision(7, 2),
    ];
    const pieces = lineOf(dotsOf({ revisions, head: 6 }), "cfi");
    expect(pieces.map((piece) => piece.map((d) => d.revision.id))).toEqual([[2, 3], [4], [6]]);
    expect(lineOf(dotsOf({ revisions, head: 6 }), "srmr")).toEqual([]);
  });
});
