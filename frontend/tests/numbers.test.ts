// Numbers are written alike wherever they stand: the same table is put to the server's words (tests/results/test_analysis.py).
import { expect, test } from "vitest";
import cases from "../../tests/numbers.json";
import {
  coefficient,
  containsZero,
  ends,
  interval,
  plain,
  plainInterval,
  pValue,
  pWords,
} from "../src/shared/numbers";
import { judge } from "../src/shared/verdict";
import type { Criterion } from "../src/client/client";

type Case = [number | null, string];

test.each(cases.coefficient as Case[])("a coefficient of %s is written %s", (value, text) => {
  expect(coefficient(value)).toBe(text);
});

test.each(cases.p as Case[])("a p of %s is written %s", (value, text) => {
  expect(pValue(value)).toBe(text);
});

test.each(cases.p_words as Case[])("a p of %s reads %s", (value, text) => {
  expect(pWords(value)).toBe(text);
});

test.each(cases.plain as Case[])("a number of %s is written %s", (value, text) => {
  expect(plain(value, 3)).toBe(text);
});

test("intervals have both ends, and none is empty", () => {
  expect(interval([-0.04, 0.183])).toBe("[−.04, .18]");
  expect(interval(null)).toBe("");
  expect(plainInterval([1, 2.5], 1)).toBe("[1.0, 2.5]");
  expect(plainInterval(undefined)).toBe("–");
  expect(ends(-3, 2.25)).toBe("−3 to 2.25");
  expect(ends(null, 2)).toBe("");
});

test.each([
  [[-0.1, 0.1], true],
  [[0, 0.1], true],
  [[-0.2, 0], true],
  [[0.001, 0.1], false],
  [[-0.3, -0.2], false],
  [null, false],
] as [number[] | null, boolean][])("whether %s contains zero: %s", (bounds, contains) => {
  // An arrow is dashed by this; an interval that ends at zero does not exclude it.
  expect(containsZero(bounds)).toBe(contains);
});

function criterion(part: Partial<Criterion>): Criterion {
  return {
    good: 0.7,
    tolerable: 0.5,
    better: "higher",
    strict: false,
    if_reliable: null,
    ...part,
  } as Criterion;
}

test.each([
  [criterion({}), 0.7, "meets"],
  [criterion({}), 0.699999, "borderline"],
  [criterion({}), 0.5, "borderline"],
  [criterion({}), 0.49, "misses"],
  [criterion({ better: "lower", good: 3, tolerable: 5, strict: true }), 3, "borderline"],
  [criterion({ better: "lower", good: 3, tolerable: 5, strict: true }), 2.99, "meets"],
  [criterion({ better: "lower", good: 3, tolerable: 5, strict: true }), 5, "misses"],
  [criterion({ better: "lower", good: 0.08, tolerable: null }), 0.081, "misses"],
  [criterion({ good: null }), 0.9, "none"],
  [criterion({ better: "none" }), 0.9, "none"],
  [criterion({}), null, "none"],
  [undefined, 0.9, "none"],
] as const)("the verdict on the unrounded figure: %#", (sheet, value, verdict) => {
  expect(judge(sheet, value)).toBe(verdict);
});

test.each([
  [0.61, "borderline"],
  [0.6, "misses"],
  [null, "misses"],
] as const)("an AVE of .45 is tolerable only beside a reliability above .60: %#", (reliability, verdict) => {
  const ave = criterion({ good: 0.5, tolerable: 0.4, if_reliable: 0.6 });
  expect(judge(ave, 0.45, reliability)).toBe(verdict);
  expect(judge(ave, 0.55, reliability)).toBe("meets");
});
