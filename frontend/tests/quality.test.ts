// @vitest-environment jsdom
// What Quality shows of many rows and points: extremes, differences, names that keep off each other.
import { describe, expect, test, vi } from "vitest";
import type { ModelState, Project, Schemas } from "../src/client/client";
import { combination } from "../src/desk/doing";
import { twinOf } from "../src/quality/Chosen";
import { labelHeights } from "../src/quality/labels";
import { extremes } from "../src/shared/tableText";
import { changeOf, differenceOf, signed, type ItemWhatIf } from "../src/quality/use";

vi.hoisted(() => {
  localStorage.setItem("dusk-arrow-theme", "dusk-day");
});

const row = {
  indicator: "ef5",
  figures: [
    {
      key: "cfi",
      about: null,
      now: 0.986,
      then: 0.9884,
      verdict_now: "meets",
      verdict_then: "meets",
      crosses: false,
    },
    {
      key: "ave",
      about: "Efficacy",
      now: 0.47,
      then: null,
      verdict_now: "misses",
      verdict_then: "none",
      crosses: false,
    },
  ],
} as unknown as ItemWhatIf;

describe("a row of what-ifs", () => {
  test("has a difference where both are known, and nothing otherwise", () => {
    expect(differenceOf(row, "cfi")).toBeCloseTo(0.0024, 10);
    expect(differenceOf(row, "ave")).toBeNull();
    expect(differenceOf(row, "rmsea")).toBeNull();
    expect(changeOf(row, "ave")?.about).toBe("Efficacy");
  });

  test("writes differences with their sign, and no sign before nothing", () => {
    expect(signed(0.0024)).toBe("+.002");
    expect(signed(-0.0104)).toBe("−.010");
    expect(signed(0.0004)).toBe(".000");
    expect(signed(-0.0004)).toBe(".000");
    expect(signed(1.25, 2)).toBe("+1.25");
    expect(signed(null)).toBe("–");
  });
});

describe("many rows", () => {
  test("keep both ends in view and lose none", () => {
    const rows = Array.from({ length: 60 }, (_, i) => i);
    const { top, between, bottom } = extremes(rows, 12);
    expect(top.length + bottom.length).toBe(12);
    expect(bottom).toEqual([57, 58, 59]);
    expect([...top, ...between, ...bottom]).toEqual(rows);
  });

  test("are all shown where there is room", () => {
    expect(extremes([1, 2, 3], 12)).toEqual({ top: [1, 2, 3], between: [], bottom: [] });
    expect(extremes([], 12)).toEqual({ top: [], between: [], bottom: [] });
  });
});

describe("names beside points", () => {
  test("stand at their own height where nothing is near", () => {
    const found = labelHeights([
      { name: "A", x: 0, y: 50 },
      { name: "B", x: 200, y: 50 },
    ]);
    expect([found.get("A"), found.get("B")]).toEqual([50, 50]);
  });

  test("never lie on each other, however many share a place", () => {
    const places = Array.from({ length: 7 }, (_, i) => ({ name: `n${i}`, x: 100 + i, y: 60 + i }));
    const heights = [...labelHeights(places).values()].sort((a, b) => a - b);
    expect(heights).toHaveLength(7);
    heights.slice(1).forEach((height, i) => {
      expect(height - (heights[i] ?? 0)).toBeGreaterThanOrEqual(14 - 1e-9);
    });
  });
});

describe("items that say the same", () => {
  const scoreTest = (from: string, to: string, index: number, standardized_change: number) =>
    ({
      kind: "covariance",
      from,
      to,
      release: false,
      index,
      expected_change: 1,
      standardized_change,
    }) as Schemas["ModificationPart"];
  const residuals: Schemas["Matrix"] = {
    rows: ["a", "b", "c"],
    columns: ["a", "b", "c"],
    values: [
      [0, 0.04, 0.2],
      [0.04, 0, -0.3],
      [0.2, -0.3, 0],
    ],
  };
  test("the twin is the one of the block that the score tests name first", () => {
    const left = [
      scoreTest("a", "z", 30, 0.4),
      scoreTest("b", "a", 12, 0.3),
      scoreTest("a", "c", 9, 0.5),
      scoreTest("b", "c", 20, -0.4),
    ];
    expect(twinOf("a", ["a", "b", "c"], left, residuals)).toBe("b");
    expect(twinOf("c", ["a", "b", "c"], left, residuals)).toBe("a");
  });
  test("without score tests it is what is left of the correlations, if that is notable", () => {
    expect(twinOf("a", ["a", "b", "c"], [], residuals)).toBe("c");
    expect(twinOf("b", ["a", "b", "c"], [], residuals)).toBeNull();
    expect(twinOf("a", ["a", "b"], [], undefined)).toBeNull();
  });
  test("their mean has a name that is free, and step and change speak of the same column", () => {
    const model = { constructs: [{ name: "a_b_2" }] } as unknown as ModelState;
    const project = { columns: [{ name: "a" }, { name: "b" }, { name: "a_b" }] } as unknown as Project;
    const made = combination("A", ["a", "b"], model, project);
    expect(made.steps).toMatchObject([{ type: "combine", name: "a_b_3", columns: ["a", "b"], how: "mean" }]);
    expect(made.changes).toEqual([
      { type: "replace_indicators", construct: "A", indicators: ["a", "b"], by: "a_b_3" },
    ]);
    expect(made.prompted).toBe("data");
  });
});
