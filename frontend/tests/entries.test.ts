// @vitest-environment jsdom
// What the finder knows: everything that can be done, seen, gone to and read, by name, and what cannot be done and why.
import { beforeEach, describe, expect, test, vi } from "vitest";
import type { Change, ModelState, Project } from "../src/client/client";
import type { Gestures } from "../src/api/gestures";
import { entries, type Entry } from "../src/finder/entries";
import { fit } from "../src/finder/matching";
import { NOT_HERE, OTHER_NAMES } from "../src/finder/otherNames";
import { changeKey, piecesOf } from "../src/shared/keys";
import { STATIONS } from "../src/frame/stations";
import { select, useDesk, type Selection } from "../src/desk/desk";
import { EXPORTS } from "../src/shared/exports";

vi.hoisted(() => {
  localStorage.setItem("dusk-arrow-theme", "dusk-day"); // no display here to ask for its preference
});

const model = {
  id: 3,
  estimated: true,
  can_undo: true,
  can_redo: false,
  revision: { id: 9, words: "ef5 set aside" },
  settings: { family: "covariance", estimator: "ml", errors: "expected", missing: "listwise" },
  traits: { tests: true, errors: true, holds: true, factors: true, predicts: false, page: "estimation" },
  view: { arcs: false },
  constructs: [
    { name: "Training", mode: "reflective", indicators: ["tr1", "tr2"], aside: [], kept: ["tr2"] },
    {
      name: "Efficacy",
      mode: "reflective",
      indicators: ["ef1"],
      aside: [{ indicator: "ef5", reason: "asks about tools" }],
      kept: [],
    },
  ],
  observed: ["age"],
  controls: [],
  paths: [{ source: "Training", target: "Efficacy", fixed: null }],
  board: {
    arcs: [],
    cards: [{ name: "Training", pinned: false, rows: [{ indicator: "tr1", value: 0.714 }] }],
  },
} as unknown as ModelState;
const project = {
  id: 1,
  columns: ["tr1", "tr2", "ef1", "ef5", "age", "years"].map((name) => ({ name, label: null, numeric: true })),
  blocks: [],
  models: [
    { id: 3, name: "Model 1" },
    { id: 4, name: "No shortcut" },
  ],
} as unknown as Project;
const choices = {
  families: [
    {
      key: "covariance",
      options: [
        {
          name: "missing",
          label: "A missing answer",
          choices: [
            { value: "listwise", words: "leave the case out", hint: "" },
            { value: "full-information", words: "full information", hint: "Every case counts." },
          ],
        },
        {
          name: "errors",
          label: "Standard errors",
          choices: [{ value: "bootstrap", words: "bootstrap", hint: "" }],
        },
      ],
    },
  ],
};
const criteria = [
  { key: "cfi", label: "CFI", definition: "Comparative fit", page: "fit" },
  { key: "composite_reliability", label: "composite reliability", definition: "Of the sum", page: "quality" },
  {
    key: "vif_full",
    label: "VIF on all others",
    definition: "A sign of common-method variance",
    page: "quality",
  },
];

let made: Change[][] = [];
let gone: string[] = [];
const settings = vi.fn();
const gestures = {
  change: (changes: Change[]) => {
    made.push(changes);
    return Promise.resolve(null);
  },
  settings,
  undo: vi.fn(),
} as unknown as Gestures;

function all(selection: Selection = null, other: Partial<ModelState> = {}): Entry[] {
  return entries({
    project,
    model: { ...model, ...other } as ModelState,
    gestures,
    station: "data",
    stations: STATIONS,
    selection,
    criteria: criteria as never,
    choices: choices as never,
    go: (station) => gone.push(station),
  });
}

function entry(words: string, found: Entry[] = all()): Entry {
  const one = found.find((e) => e.words === words);
  if (!one) throw new Error(`nothing is called “${words}”: ${found.map((e) => e.words).join(", ")}`);
  return one;
}

beforeEach(() => {
  made = [];
  gone = [];
  settings.mockClear();
  select(null);
  useDesk.setState({ proposal: null, pathFrom: null, focus: null });
});

describe("everything has a name", () => {
  test("and each its own, so that a list can be walked", () => {
    const found = all({ kind: "construct", name: "Training" });
    expect(new Set(found.map((e) => e.id)).size).toBe(found.length);
    expect(found.every((e) => e.words.length > 1)).toBe(true);
  });

  test("constructs, items, what is aside, observed variables, paths and columns of the shelf", () => {
    const here = all().filter((e) => e.kind === "in this model");
    expect(here.map((e) => e.words)).toEqual([
      "Training",
      "Efficacy",
      "tr1",
      "tr2",
      "ef1",
      "ef5, set aside",
      "age",
      "Training → Efficacy",
      "years",
    ]);
    expect(entry("tr1").detail).toBe("Training · .71");
  });

  test("stations, other models, figures and pages", () => {
    for (const station of STATIONS) expect(entry(station.label).kind).toBe("go to");
    expect(all().some((e) => e.words === "Model 1")).toBe(false);
    expect(entry("No shortcut").kind).toBe("go to");
    expect(entry("CFI").detail).toBe("Comparative fit");
    expect(entry("All methods").kind).toBe("learn");
  });

  test("every file that can be saved", () => {
    for (const one of EXPORTS) expect(entry(`Save ${one.words}`).detail).toBe(`.${one.ending}`);
    expect(entry("Save Figure", all(null, { estimated: false })).barred).toBe("the model is not estimated");
  });

  test("keys are those that do it", () => {
    expect(entry("Undo").keys).toEqual(piecesOf("Mod+z"));
    expect(entry("Unfold the trail: what was changed and why").keys).toEqual(["T"]);
    changeKey("trail", "w");
    expect(entry("Unfold the trail: what was changed and why").keys).toEqual(["W"]);
    changeKey("trail", null);
  });
});

describe("the words people type", () => {
  const first = (typed: string) => {
    const costs = all().map((e) => [fit(typed, e.words, e.detail, e.also) ?? Infinity, e] as const);
    return costs.reduce((best, one) => (one[0] < best[0] ? one : best))[1];
  };

  test.each([
    ["CR", "composite reliability"],
    ["omega", "composite reliability"],
    ["CFA", "Estimation and standard errors"],
    ["sem", "Estimation and standard errors"],
    ["PLS", "Composites (partial least squares)"],
    ["mediation", "Effects, mediation and the bootstrap"],
    ["common method", "VIF on all others"],
    ["removed", "What was removed, and why"],
  ])("%s finds %s first", (typed, words) => {
    expect(first(typed).words).toBe(words);
    expect(first(typed).barred).toBeUndefined();
  });

  test.each([
    "multi-group",
    "multigr",
    "power",
    "moderation",
    "ordinal",
    "EFA",
    "multilevel",
    "Bayes",
    "imputation",
  ])("%s is said not to be here, and what can be done instead", (typed) => {
    expect(first(typed).kind).toBe("not here");
    expect(first(typed).barred).toMatch(/^not here: .+/);
  });

  test("no other name leads to two places that are not here, and none is a name already", () => {
    const others = NOT_HERE.flatMap((one) => one.also).map((one) => one.toLowerCase());
    expect(new Set(others).size).toBe(others.length);
    const known = new Set(
      Object.values(OTHER_NAMES)
        .flat()
        .map((one) => one.toLowerCase()),
    );
    expect(others.filter((one) => known.has(one))).toEqual([]);
  });
});

describe("what is done", () => {
  test("goes to the board first, and asks before it removes", () => {
    entry("Set ef1 aside…").run();
    expect(gone).toEqual(["model"]);
    expect(made).toEqual([]);
    expect(useDesk.getState().proposal?.question).toBe("Set ef1 aside?");
  });

  test("takes back what is aside, with its reason in sight", () => {
    const back = entry("Take ef5 back from aside");
    expect(back.detail).toBe("“asks about tools”");
    back.run();
    expect(made).toEqual([[{ type: "take_back", construct: "Efficacy", indicator: "ef5" }]]);
  });

  test("is barred with its reason where it cannot be done", () => {
    expect(entry("Set tr2 aside…").barred).toBe("tr2 is kept as essential");
    expect(entry("Undo").barred).toBeUndefined();
    expect(entry("Undo").detail).toBe("ef5 set aside");
    expect(entry("Redo").barred).toBe("there is nothing to redo");
    expect(entry("All parameters", all(null, { estimated: false })).barred).toBe(
      "the model is not estimated",
    );
  });

  test("begins with what is selected", () => {
    const [first] = all({ kind: "indicator", construct: "Training", name: "tr1" });
    expect(first?.words).toBe("Set tr1 aside…");
    const path = all({ kind: "path", source: "Training", target: "Efficacy" });
    expect(path[0]?.words).toBe("Remove the path Training → Efficacy…");
    expect(path[0]?.changes).toEqual([{ type: "remove_path", source: "Training", target: "Efficacy" }]);
    expect(all({ kind: "column", name: "years" })[0]?.words).toBe("Undo");
  });

  test("of a construct: paths, covariances, its mode, another like it", () => {
    const found = all({ kind: "construct", name: "Training" });
    entry("Draw a path from Training…", found).run();
    expect(useDesk.getState().pathFrom).toEqual({ name: "Training", direction: "out" });
    entry("Let Training covary with…", found).run();
    expect(useDesk.getState().pathFrom).toEqual({ name: "Training", direction: "with" });
    entry("Make Training formative", found).run();
    expect(made).toEqual([[{ type: "set_mode", name: "Training", mode: "formative" }]]);
  });

  test("of an observed variable: a control, and none again", () => {
    entry("Control for age", all({ kind: "observed", name: "age" })).run();
    entry(
      "age is no longer a control",
      all({ kind: "observed", name: "age" }, { controls: ["sex", "age"] }),
    ).run();
    expect(made).toEqual([
      [{ type: "set_controls", names: ["age"] }],
      [{ type: "set_controls", names: ["sex"] }],
    ]);
  });

  test("of an item: the scale, and that it is essential", () => {
    entry("tr2 is no longer essential", all({ kind: "indicator", construct: "Training", name: "tr2" })).run();
    expect(made[0]).toEqual([
      { type: "keep", construct: "Training", indicator: "tr2", essential: false, reason: null },
    ]);
    entry(
      "Let tr2 carry the scale of Training",
      all({ kind: "indicator", construct: "Training", name: "tr2" }),
    ).run();
    expect(made[1]).toEqual([{ type: "make_marker", construct: "Training", indicator: "tr2" }]);
  });

  test("offers every other value of a setting, and not the one there is", () => {
    expect(all().some((e) => e.words.endsWith("leave the case out"))).toBe(false);
    expect(all().some((e) => e.words === "Standard errors: bootstrap")).toBe(false);
    entry("A missing answer: full information").run();
    expect(settings).toHaveBeenCalledWith({
      ...model.settings,
      missing: "full-information",
      errors: "observed",
    });
  });
});

test("what is found in the model is looked at on the board", () => {
  entry("Efficacy").run();
  expect(gone).toEqual(["model"]);
  expect(useDesk.getState().selection).toEqual({ kind: "construct", name: "Efficacy" });
  expect(useDesk.getState().focus).toBe("Efficacy");
  entry("Training → Efficacy").run();
  expect(useDesk.getState().selection).toEqual({ kind: "path", source: "Training", target: "Efficacy" });
});
