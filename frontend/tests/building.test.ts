// @vitest-environment jsdom
// Shapes, selections, removals: what a gesture means before anything is sent.
import { beforeEach, describe, expect, test } from "vitest";
import type { Column, ModelState, Project } from "../src/client/client";
import { asChanges, growthOf, pathsOf } from "../src/build/shapes";
import { withHeldOut, withoutHeldOut } from "../src/desk/steps";
import { withChoice } from "../src/shared/settings";
import { beside } from "../src/board/boardKeys";
import { constructName, freeOf, owners } from "../src/desk/columns";
import { isSelected, pathStart, select, selectMore, useDesk } from "../src/desk/desk";
import { duplicate, gathered, listed, parameterKey, removal, setAside } from "../src/desk/doing";
import { isChange, isChoice, isReadAgain, isStep } from "../src/shared/repairs";

const NOBODY = { antecedents: [], mediators: [], outcomes: [], controls: [] };
const words = (paths: { source: string; target: string }[]) => paths.map((p) => `${p.source}>${p.target}`);

describe("shapes", () => {
  test("of mediators side by side lead through each and directly", () => {
    const roles = {
      ...NOBODY,
      antecedents: ["X"],
      mediators: ["M", "N"],
      outcomes: ["Y"],
      controls: ["age"],
    };
    expect(words(pathsOf("parallel", roles, []))).toEqual(["X>M", "X>N", "M>Y", "N>Y", "X>Y"]);
    expect(asChanges([], roles.controls, ["years"])).toEqual([
      { type: "set_controls", names: ["years", "age"] },
    ]);
    expect(asChanges([], ["age"], ["age"])).toEqual([]);
  });

  test("of growth are sentences that any name can stand in", () => {
    const said = growthOf(["y 1", "y2", 'y"3'], "Level", "Slope").map(
      (c) => (c as { sentence: string }).sentence,
    );
    expect(said[0]).toBe('"Level" shows in "y 1", "y2", "y""3"');
    expect(said).toContain('hold "Slope" > "y""3" at 2');
    expect(said.filter((one) => one.startsWith("release"))).toHaveLength(2);
    expect(said).toHaveLength(2 + 3 * 3 + 2);
  });

  test("of mediators in a row lead to all that come after", () => {
    const roles = { ...NOBODY, antecedents: ["X"], mediators: ["M", "N"], outcomes: ["Y"] };
    expect(words(pathsOf("serial", roles, []))).toEqual(["X>M", "X>N", "X>Y", "M>N", "M>Y", "N>Y"]);
  });

  test("without mediators leave them out, and draw nothing twice", () => {
    const roles = { antecedents: ["X", "Y"], mediators: ["M"], outcomes: ["Y"], controls: ["X"] };
    expect(words(pathsOf("simple", roles, []))).toEqual(["X>Y"]);
    expect(pathsOf("simple", roles, [{ source: "X", target: "Y" }])).toEqual([]);
    expect(asChanges([{ source: "X", target: "Y" }])).toEqual([
      { type: "add_path", source: "X", target: "Y" },
    ]);
  });
});

const model = {
  constructs: [
    { name: "Training", mode: "reflective", indicators: ["tr1", "tr2"], aside: [], kept: [] },
    {
      name: "Tr",
      mode: "reflective",
      indicators: ["su1"],
      aside: [{ indicator: "su2", reason: null }],
      kept: [],
    },
  ],
  observed: ["age"],
  paths: [{ source: "Training", target: "Tr", fixed: null }],
  board: {
    arcs: [
      { from: "tr1", to: "tr2", said: true },
      { from: "Training", to: "age", said: false },
    ],
    cards: [
      { name: "Training", box: { x: 0, y: 0, width: 100, height: 100 } },
      { name: "Tr", box: { x: 200, y: 10, width: 100, height: 100 } },
      { name: "age", box: { x: 0, y: 200, width: 100, height: 40 } },
    ],
  },
} as unknown as ModelState;
const project = {
  columns: ["tr1", "tr2", "su1", "su2", "su3", "age", "note"].map((name) => ({
    name,
    numeric: name !== "note",
  })),
  blocks: [{ stem: "su", columns: ["su1", "su2", "su3"] }],
} as unknown as Project;

describe("names and owners", () => {
  test("a new construct has a name of its own", () => {
    expect(constructName("su", model, project)).toBe("Su");
    expect(constructName("tr", model, project)).toBe("Tr 2");
    expect(constructName("age", { ...model, observed: ["Age"] }, project)).toBe("Age 2");
    expect(duplicate("Training", model, project).suggestion).toBe("Training 2");
    expect(gathered(["Training", "Tr"], model, project).make("G")).toEqual([
      { type: "add_construct", name: "G", indicators: ["Training", "Tr"], mode: "reflective" },
    ]);
  });

  test("what is set aside is not free", () => {
    const owner = owners(model);
    expect(owner.get("su2")).toBe("Tr");
    const byName = new Map(project.columns.map((c: Column) => [c.name, c]));
    expect(freeOf({ stem: "su", columns: ["su1", "su2", "su3", "note"] }, owner, byName)).toEqual(["su3"]);
  });
});

describe("removing", () => {
  test("an indicator is set aside, with its reason in what is said of it", () => {
    const proposal = removal([{ kind: "indicator", construct: "Training", name: "tr2" }], model);
    expect(proposal?.question).toBe("Set tr2 aside?");
    expect(proposal?.withReason?.("too long")).toEqual([
      { type: "set_aside", construct: "Training", indicator: "tr2", reason: "too long" },
    ]);
    expect(setAside("Training", ["tr1", "tr2"]).question).toBe("Set tr1 and tr2 aside?");
  });

  test("one that is aside already leaves the model", () => {
    const proposal = removal([{ kind: "indicator", construct: "Tr", name: "su2" }], model);
    expect(proposal?.changes).toEqual([{ type: "remove_indicator", construct: "Tr", indicator: "su2" }]);
  });

  test("a covariance that a sentence states goes with it; a default one is ruled out", () => {
    const said = removal([{ kind: "covariance", first: "tr1", second: "tr2" }], model);
    const given = removal([{ kind: "covariance", first: "Training", second: "age" }], model);
    expect(said?.changes).toEqual([{ type: "set_covariance", first: "tr1", second: "tr2", free: null }]);
    expect(given?.changes).toEqual([
      { type: "set_covariance", first: "Training", second: "age", free: false },
    ]);
  });

  test("several things go together, columns of the shelf never", () => {
    const both = removal(
      [
        { kind: "path", source: "Training", target: "Tr" },
        { kind: "observed", name: "age" },
      ],
      model,
    );
    expect(both?.question).toBe("Remove the path Training → Tr and age?");
    expect(both?.changes.map((c) => c.type)).toEqual(["remove_path", "remove_observed"]);
    expect(removal([{ kind: "column", name: "su3" }], model)).toBeNull();
    expect(removal([], model)).toBeNull();
    expect(listed(["a", "b", "c"])).toBe("a, b and c");
  });
});

describe("selecting", () => {
  beforeEach(() => select(null));
  const one = { kind: "construct", name: "A" } as const;
  const two = { kind: "construct", name: "B" } as const;

  test("one more, and one less", () => {
    select(one);
    selectMore(two);
    expect(useDesk.getState().group).toEqual([one, two]);
    expect(isSelected(useDesk.getState(), one)).toBe(true);
    selectMore(one);
    expect(useDesk.getState()).toMatchObject({ selection: two, group: [] });
    selectMore(two);
    expect(useDesk.getState().selection).toBeNull();
  });

  test("paths begin at what can have them", () => {
    expect(pathStart(one)).toBe("A");
    expect(pathStart({ kind: "indicator", construct: "A", name: "a1" })).toBeNull();
    expect(pathStart(null)).toBeNull();
  });

  test("cards are walked to by direction", () => {
    expect(beside(model, "Training", 1, 0)).toBe("Tr");
    expect(beside(model, "Training", 0, 1)).toBe("age");
    expect(beside(model, "Tr", -1, 0)).toBe("Training");
    expect(beside(model, "Training", -1, 0)).toBeNull();
    expect(beside(model, "nobody", 1, 0)).toBeNull();
  });
});

test("a parameter is named to the server without joined words", () => {
  expect(parameterKey({ kind: "loading", from: "A", to: "a1" })).toEqual({
    kind: "loading",
    source: "A",
    target: "a1",
    group: null,
  });
});

test("full information brings its own errors, where none were chosen", () => {
  const plain = { missing: "listwise", errors: "expected" } as ModelState["settings"];
  expect(withChoice(plain, "missing", "full-information")).toMatchObject({ errors: "observed" });
  const there = withChoice(plain, "missing", "full-information");
  expect(withChoice(there, "missing", "listwise")).toEqual(plain); // and back with what it came with
  expect(withChoice({ ...plain, errors: "sandwich" }, "missing", "full-information")).toMatchObject({
    errors: "sandwich",
  });
  expect(withChoice(plain, "estimator", "gls")).toMatchObject({ estimator: "gls", errors: "expected" });
});

test("repairs are told apart by their type", () => {
  const step = { type: "drop_columns", columns: ["a"], on: true } as Parameters<typeof isStep>[0];
  const change = { type: "remove_path", source: "a", target: "b" } as Parameters<typeof isStep>[0];
  const choice = { type: "choose", setting: "missing", value: "mean" } as Parameters<typeof isStep>[0];
  const again = { type: "read_again", options: {} } as Parameters<typeof isStep>[0];
  const kinds = [isStep, isChange, isChoice, isReadAgain];
  expect([step, change, choice, again].map((one) => kinds.map((is) => is(one)))).toEqual([
    [true, false, false, false],
    [false, true, false, false],
    [false, false, true, false],
    [false, false, false, true],
  ]);
});

test("cases are held out with those of one reason, and taken back one by one", () => {
  const first = withHeldOut([], [7, 3], "careless");
  const second = withHeldOut(first, [5, 3], "careless");
  expect(second).toEqual([{ type: "hold_out", cases: [3, 5, 7], reason: "careless", on: true }]);
  const third = withHeldOut(second, [9], null);
  expect(third).toHaveLength(2);
  expect(withoutHeldOut(third, 9)).toEqual(second);
  expect(withoutHeldOut(withoutHeldOut(withoutHeldOut(second, 3), 5), 7)).toEqual([]);
});
