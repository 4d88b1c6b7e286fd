// Paths of several models on one scale: the zero line is always there, and nothing lies beyond the ends.
import { describe, expect, test } from "vitest";
import { gapWords, scaleOf } from "../src/compare/scale";

const path = (standardized: (number | null)[], interval: ([number, number] | null)[] = []) => ({
  from: "A",
  to: "B",
  standardized,
  interval: standardized.map((_, at) => interval[at] ?? null),
  p_value: standardized.map(() => null),
});

describe("the scale of paths", () => {
  test("holds every value, every end of an interval, and zero", () => {
    const { low, high, ticks } = scaleOf([
      path([0.43, 0.48], [[0.31, 0.55], null]),
      path([-0.35], [[-0.47, -0.2]]),
    ]);
    expect(low).toBeLessThanOrEqual(-0.47);
    expect(high).toBeGreaterThanOrEqual(0.55);
    expect(ticks).toContain(0);
  });

  test("begins at zero where nothing is negative", () => {
    expect(scaleOf([path([0.2, 0.4])]).low).toBe(0);
    expect(scaleOf([path([null, 0.02])]).high).toBeGreaterThanOrEqual(0.2);
  });

  test("has few ticks, at round places", () => {
    for (const values of [[-0.9, 1.1], [0.1], [-0.2, 0.3], [1.4, -1.3]]) {
      const { ticks } = scaleOf([path(values)]);
      expect(ticks.length).toBeLessThanOrEqual(9);
      ticks.forEach((tick) => expect(Math.abs(tick * 10 - Math.round(tick * 10))).toBeLessThan(1e-9));
    }
  });
});

describe("the distance from the first model", () => {
  test("is told where two decimals show it, and is the same otherwise", () => {
    expect(gapWords(0.48, 0.42)).toBe("+.06");
    expect(gapWords(0.11, 0.14)).toBe("−.03");
    expect(gapWords(0.431, 0.433)).toBe("same");
    expect(gapWords(0.5, null)).toBe("");
  });
});
