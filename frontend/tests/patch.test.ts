// Only what differs is sent: what another window chose meanwhile is not sent back as it was.
import { expect, test } from "vitest";
import { USUAL, type ReportOptions } from "../src/desk/figures";
import { edited, patchBetween, seenBefore } from "../src/desk/patch";
import { asTyped } from "../src/sentences/merging";

const BEGUN: ReportOptions = {
  title: null,
  parts: [
    { key: "fit", shown: true, title: null },
    { key: "paths", shown: true, title: "Paths" },
  ],
  figures: [{ key: "figure", kind: "model", source: null, outcome: null, options: USUAL }],
  decimals: 2,
  leading_zero: false,
  n_in_chi_square: true,
  edits: { method: { text: "Ours.", computed: "m", beside: ["Theirs."] } },
};

test("nothing where nothing differs", () => expect(patchBetween(BEGUN, structuredClone(BEGUN))).toEqual({}));

test("each choice for itself", () => {
  expect(patchBetween(BEGUN, { ...BEGUN, decimals: 3 })).toEqual({ decimals: 3 });
  expect(patchBetween(BEGUN, { ...BEGUN, title: "Ours" })).toEqual({ title: "Ours" });
  const [fit, paths] = BEGUN.parts ?? [];
  if (!fit || !paths) throw new Error("no parts");
  expect(patchBetween(BEGUN, { ...BEGUN, parts: [{ ...fit, shown: false }, paths] })).toEqual({
    parts: { fit: { shown: false } },
  });
  expect(patchBetween(BEGUN, { ...BEGUN, parts: [paths, fit] })).toEqual({ order: ["paths", "fit"] });
});

test("figures by what changes in them", () => {
  const [figure] = BEGUN.figures ?? [];
  if (!figure) throw new Error("no figure");
  const placed = {
    ...figure,
    options: { ...USUAL, labels: true, places: { A: [1, 2] as [number, number] } },
  };
  const after = { ...BEGUN, figures: [placed] };
  expect(patchBetween(BEGUN, after)).toEqual({
    figures: { figure: { options: { labels: true, places: { A: [1, 2] } } } },
  });
  expect(patchBetween(after, BEGUN)).toEqual({
    figures: { figure: { options: { labels: false, places: { A: null } } } },
  });
  expect(patchBetween(BEGUN, { ...BEGUN, figures: [] })).toEqual({ figures: { figure: null } });
  const { key, ...rest } = { ...figure, key: "figure 2" };
  expect(patchBetween(BEGUN, { ...BEGUN, figures: [figure, { ...rest, key }] })).toEqual({
    figures: { "figure 2": rest },
  });
});

test("words go with those that were seen, and what waits beside stays until it is dropped", () => {
  const mine = { text: "Mine.", seen: "Ours.", computed: "n" };
  const { next, patch } = edited(BEGUN, "method", mine);
  expect(next.edits?.method).toEqual({ text: "Mine.", computed: "n", beside: ["Theirs."] });
  expect(patch).toEqual({ edits: { method: { ...mine, dropped: [] } } });
  const gone = { text: null, seen: "Ours.", computed: "n", dropped: ["Theirs."] };
  expect(edited(BEGUN, "method", gone).next.edits).toEqual({});
});

test("what was typed before a reload goes on where it was", () => {
  const typed = { before: "A shows in a1, a2\n", text: "A shows in a1, a2\nA leads to B" };
  expect(asTyped(typed, "A shows in a1, a2\n")).toEqual(["A shows in a1, a2", "A leads to B"]);
  expect(asTyped(typed, "B shows in b1, b2\nA shows in a1, a2\n")).toEqual([
    "B shows in b1, b2",
    "A shows in a1, a2",
    "A leads to B",
  ]);
  expect(asTyped(typed, "A shows in a1, a2\nA leads to B\n")).toEqual(["A shows in a1, a2", "A leads to B"]);
});

test("words typed before a reload write nothing over that came meanwhile", () => {
  expect(seenBefore(null, "Ours.")).toBe("Ours.");
  expect(seenBefore({ before: "", text: "Mine." }, "Theirs.")).toBeNull();
  expect(seenBefore({ before: "Ours.", text: "Mine." }, "Theirs.")).toBe("Ours.");
  expect(seenBefore({ before: "", text: "Mine. " }, "Mine.")).toBe("Mine.");
});
