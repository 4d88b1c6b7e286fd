// What the Effects station works out by itself: the order of stations, what is held constant, where to begin, readings.
import { describe, expect, test } from "vitest";
import type { Effect, ModelState, Project } from "../src/client/client";
import { expectation, freeLabel } from "../src/effects/Expecting";
import { reading } from "../src/effects/Reading";
import { circular, controls, inOrder, stationsOf, telling, ticksOf } from "../src/effects/routes";
import { drawn, inScale, writing } from "../src/effects/scale";

function effect(
  route: string[],
  kind: Effect["kind"] = "specific indirect",
  more: Partial<Effect> = {},
): Effect {
  const via = kind.startsWith("total") ? null : route.slice(1, -1);
  return {
    from: route[0],
    to: route[route.length - 1],
    kind,
    via,
    estimate: 0.1,
    standardized: 0.2,
    ...more,
  } as Effect;
}

const ROUTES = [
  effect(["x", "y"], "direct"),
  effect(["x", "a", "y"]),
  effect(["x", "a", "b", "y"]),
  effect(["x", "y"], "total indirect"),
  effect(["x", "y"], "total"),
];

describe("routes", () => {
  test("stations stand in causal order, the outcome last", () => {
    expect(inOrder(ROUTES)).toEqual(["x", "a", "b", "y"]);
    expect(inOrder([effect(["x", "b", "y"]), effect(["x", "a", "b", "y"])])).toEqual(["x", "a", "b", "y"]);
    expect(stationsOf(ROUTES[2] as Effect)).toEqual(["x", "a", "b", "y"]);
    expect(inOrder([])).toEqual([]);
  });
  test("what else leads to mediators and outcome is held constant; what leads to the source is not", () => {
    const paths = [
      { source: "c", target: "a" },
      { source: "d", target: "y" },
      { source: "e", target: "x" },
      { source: "x", target: "a" },
      { source: "c", target: "y" },
    ];
    expect(controls(ROUTES, paths)).toEqual(["c", "d"]);
  });
  test("a circle is seen, a plain chain is not one", () => {
    expect(circular(ROUTES)).toBe(false);
    expect(circular([...ROUTES, effect(["y", "x"], "total")])).toBe(true);
  });
  test("one begins with the pair of most routes that can be taken in", () => {
    const many = Array.from({ length: 9 }, (_, i) => effect(["p", `m${i}`, "q"]));
    expect(telling([...many, ...ROUTES, effect(["a", "y"], "direct")])).toMatchObject({
      source: "x",
      target: "y",
    });
    expect(telling(many)).toMatchObject({ source: "p", target: "q" });
    expect(telling([])).toBeNull();
  });
  test.each([
    [0, 0.24, [0, 0.05, 0.1, 0.15, 0.2]],
    [-0.5, 0.5, [-0.4, -0.2, 0, 0.2, 0.4]],
    [0, 9, [0, 2, 4, 6, 8]],
  ])("ticks from %f to %f are round", (low, high, ticks) => {
    expect(ticksOf(low, high)).toEqual(ticks);
  });
});

describe("scales", () => {
  const boot = { headline: [0.1, 0.3], percentile: [0.1, 0.3] };
  const one = effect(["x", "y"], "direct", {
    interval: [0, 1],
    standardized_interval: [0.05, 0.35],
    standardized_bootstrap: boot as Effect["standardized_bootstrap"],
  });
  test("a row never mixes two scales, and the bootstrap comes before the error", () => {
    expect(drawn(one, "standardized")).toEqual([0.1, 0.3]);
    expect(drawn(one, "units")).toEqual([0, 1]);
    expect(inScale(one, "units").value).toBe(0.1);
    expect(inScale(one, "standardized").value).toBe(0.2);
    expect(drawn(effect(["x", "y"], "direct"), "units")).toBeNull();
  });
  test("numbers are rounded, not cut", () => {
    expect(writing("standardized", 2).number(0.167)).toBe(".17");
    expect(writing("units", 2).number(-0.167)).toBe("−0.17");
    expect(writing("units").range(null)).toBe("–");
  });
});

describe("expectations", () => {
  test("the first label that is free", () => {
    expect(freeLabel([])).toBe("H1");
    expect(freeLabel(["H1", "H3"])).toBe("H2");
  });
  test("names with blanks or quotes are quoted, as sentences want them", () => {
    expect(expectation(["x", "Safety climate", 'a "b"'], "positive", "H2")).toBe(
      'expect x > "Safety climate" > "a ""b""" positive as H2',
    );
  });
});

describe("readings in units", () => {
  const model = (part: object = {}, factors = true) =>
    ({
      constructs: [{ name: "Persistence", indicators: ["pe1", "pe2"] }],
      settings: { scaling: "marker", ...part },
      traits: { factors },
    }) as unknown as ModelState;
  const project = (labels: Record<string, string>) =>
    ({ columns: [{ name: "place", value_labels: labels }] }) as unknown as Project;
  const of = (from: string, estimate: number) => effect([from, "Persistence"], "total", { estimate });
  test("two labelled values are one against the other, by the distance of their codes", () => {
    expect(reading(project({ "1": "lowland", "3": "upland" }), model(), of("place", 0.25))).toBe(
      "upland against lowland: +0.50 points on Persistence (as pe1 is scored).",
    );
  });
  test("anything else is one point more", () => {
    expect(reading(project({ "1": "a", "2": "b", "3": "c" }), model(), of("place", -0.25))).toBe(
      "One point more of place: −0.25 points on Persistence (as pe1 is scored).",
    );
  });
  test("scores and standardized constructs have no unit", () => {
    expect(reading(project({}), model({}, false), of("place", 1))).toBeNull();
    expect(reading(project({}), model({ scaling: "unit-variance" }), of("place", 1))).toBeNull();
  });
});
