// @vitest-environment jsdom
import { describe, expect, it } from "vitest";
import type { Effect, Schemas } from "../src/client/client";
import { addable, asChosen, mediationOf, movedBy, USUAL } from "../src/desk/figures";
import { asHtml, asTabs } from "../src/shared/clipboard";

const part = (key: string, there = true) =>
  ({
    key,
    kind: "table",
    words: key,
    title: null,
    number: null,
    shown: true,
    there,
  }) as Schemas["OfferedPart"];
const total = (from: string, to: string) => ({ from, to, kind: "total indirect" }) as Effect;

describe("parts of a report", () => {
  it("move among those that are there, and none is lost", () => {
    const offered = [part("a"), part("gone", false), part("b"), part("c")];
    const order = (to: number, key = "a") => movedBy(offered, key, to).map((one) => one.key);
    expect(order(1)).toEqual(["b", "a", "c", "gone"]);
    expect(order(99)).toEqual(["b", "c", "a", "gone"]);
    expect(order(-5, "c")).toEqual(["c", "a", "b", "gone"]);
  });

  it("are as last chosen before the next report is there", () => {
    const offered = [part("a"), part("new"), part("b"), part("c")];
    const parts = movedBy(offered, "c", 0).filter((one) => one.key !== "new");
    const twice = parts.map((one) => (one.key === "b" ? { ...one, shown: false, title: "B" } : one));
    const found = asChosen(offered, [...twice, { key: "gone", shown: true, title: null }]);
    expect(found.map((one) => one.key)).toEqual(["c", "new", "a", "b"]);
    expect(found.map((one) => one.shown)).toEqual([true, true, true, false]);
    expect(found[3]?.title).toBe("B");
    expect(asChosen(offered, [])).toEqual(offered);
  });

  it("can be joined by figures that are not there yet, each once", () => {
    const whole = { key: "figure", kind: "model" as const, source: null, outcome: null, options: USUAL };
    const found = addable([whole, mediationOf("X", "Y")], [total("X", "Y"), total("X", "Z")], ["Z"]);
    expect(found.map((one) => one.figure.key)).toEqual(["figure 2", "X → Z", "importance Z"]);
    expect(addable([], [], []).map((one) => one.figure.key)).toEqual(["figure"]);
  });
});

describe("a copied table", () => {
  it("is text with tabs for a spreadsheet: no cell breaks a line", () => {
    expect(asTabs(["a", "b"], [["1\t2", "x\ny"]])).toBe("a\tb\n1 2\tx y");
  });

  it("is a table for a word processor: names that look like markup stay names", () => {
    const html = asHtml(["<b>"], [['R&D "x"']], [true], "T <1>", "n & m");
    expect(html).toContain("&lt;b&gt;");
    expect(html).toContain("R&amp;D &quot;x&quot;");
    expect(html).toContain("T &lt;1&gt;");
    expect(html).not.toContain("<1>");
    const place = document.createElement("div");
    place.innerHTML = html;
    expect(place.querySelectorAll("td")).toHaveLength(1);
    expect(place.querySelector("td")?.textContent).toBe('R&D "x"');
  });
});
