// Lines that do not read yet keep their place among those that do, whatever happens to these.
import { describe, expect, test } from "vitest";
import { written } from "../src/sentences/editor";
import { asWritten, difference, draftsOf, linesOf, withDrafts } from "../src/sentences/merging";

const SAID = ["A shows in a1, a2", "B shows in b1, b2", "A leads to B"];

describe("drafts", () => {
  test("stay where they were written", () => {
    const rows = ["A shows in a1, a2", "A leads", "B shows in b1, b2", "A leads to B", "oops"];
    const drafts = draftsOf(rows, [true, false, true, true, false]);
    expect(drafts).toEqual([
      { after: 1, text: "A leads" },
      { after: 3, text: "oops" },
    ]);
    expect(withDrafts(SAID, drafts)).toEqual(rows);
  });

  test("are kept when lines around them come and go", () => {
    const drafts = [
      { after: 1, text: "A leads" },
      { after: 3, text: "oops" },
    ];
    expect(withDrafts(SAID.slice(0, 1), drafts)).toEqual(["A shows in a1, a2", "A leads", "oops"]);
    expect(withDrafts([], drafts)).toEqual(["A leads", "oops"]);
    expect(withDrafts([...SAID, "x leads to B"], drafts)).toEqual([
      "A shows in a1, a2",
      "A leads",
      "B shows in b1, b2",
      "A leads to B",
      "oops",
      "x leads to B",
    ]);
    expect(withDrafts(SAID, [])).toEqual(SAID);
  });

  test("are left alone while what reads is written as the model says it", () => {
    const rows = ["a shows IN a1,a2", "A leads", "# remark"];
    expect(asWritten(rows, [true, false, true], ["a shows in a1, a2", "# remark"])).toEqual([
      "a shows in a1, a2",
      "A leads",
      "# remark",
    ]);
    expect(asWritten(["x", ""], [true, true], ["x"])).toEqual(["x", ""]);
  });
});

test.each([
  [SAID, SAID, null],
  [SAID, [...SAID, "x leads to B"], { from: 3, to: 3, lines: ["x leads to B"] }],
  [SAID, ["x", ...SAID], { from: 0, to: 0, lines: ["x"] }],
  [SAID, [SAID[0], SAID[2]], { from: 1, to: 2, lines: [] }],
  [SAID, [SAID[0], "new", SAID[2]], { from: 1, to: 2, lines: ["new"] }],
  [SAID, [], { from: 0, to: 3, lines: [] }],
  [[], ["a"], { from: 0, to: 0, lines: ["a"] }],
  [["a", "a"], ["a"], { from: 1, to: 2, lines: [] }],
] as [string[], string[], unknown][])("the smallest run of lines that differs: %#", (old, now, wanted) => {
  // The caret must not jump because a line elsewhere changed.
  const found = difference(old, now);
  expect(found).toEqual(wanted);
  if (found) expect([...old.slice(0, found.from), ...found.lines, ...old.slice(found.to)]).toEqual(now);
});

test("the break at the end of a text begins no line", () => {
  expect(linesOf("a\nb\n")).toEqual(["a", "b"]);
  expect(linesOf("")).toEqual([]);
  expect(linesOf("a\n\n")).toEqual(["a", ""]);
});

test.each([
  ["Training", "Training"],
  ["st1.2", "st1.2"],
  ["Zufriedenheit_ä", "Zufriedenheit_ä"],
  ["Use of time", '"Use of time"'],
  ["in", '"in"'],
  ['the "new" one', '"the ""new"" one"'],
])("the name %s is completed as %s", (name, text) => {
  expect(written(name, ["in", "shows"])).toBe(text);
});
