// @vitest-environment jsdom
// What is found by a few letters, and which keys do what.
import { beforeEach, describe, expect, test } from "vitest";
import { fit, pieces, shared } from "../src/finder/matching";
import { changeKey, inText, KEYS, keysOf, piecesOf, pressed } from "../src/shared/keys";

describe("finding", () => {
  test("takes every word, in any order, wherever it stands", () => {
    expect(fit("set asi", "Set st3 aside…")).not.toBeNull();
    expect(fit("aside set", "Set st3 aside…")).not.toBeNull();
    expect(fit("set away", "Set st3 aside…")).toBeNull();
    expect(fit("efficacy", "ef5", "Efficacy · .28")).not.toBeNull();
    expect(fit("", "anything")).not.toBeNull();
  });

  test("prefers beginnings to middles, names to what is said beside them, short to long", () => {
    const order = ["Undo", "Redo", "Do it", "Window"].sort(
      (a, b) => (fit("do", a) ?? 9) - (fit("do", b) ?? 9),
    );
    expect(order[0]).toBe("Do it");
    expect(fit("eo", "Eo")).toBeLessThan(fit("eo", "Set eo1 aside…") ?? 0);
    expect(fit("tr", "Training")).toBeLessThan(fit("tr", "years", "trained for") ?? 0);
    expect(fit("model", "All models")).toBeLessThan(fit("model", "remodelled") ?? 0);
  });

  test("gives every kind its share of the lines, and the rest of the room to whoever has more", () => {
    const letters = (from: string, count: number) => Array.from({ length: count }, (_, i) => `${from}${i}`);
    const kinds = (...counts: number[]) =>
      counts.map((count, i) => ({ own: letters("abc"[i] ?? "", count), share: 3 }));
    expect(shared(kinds(9, 1, 0), 6)).toEqual(["a0", "a1", "a2", "a3", "a4", "b0"]);
    expect(shared(kinds(9, 9, 9), 6)).toHaveLength(9);
    expect(shared(kinds(1, 9, 1), 6)).toEqual(["a0", "b0", "b1", "b2", "b3", "c0"]);
    expect(shared(kinds(9, 0, 0), 0)).toHaveLength(3);
    expect(shared([], 6)).toEqual([]);
  });

  test("shows what was found, and loses no letter", () => {
    expect(pieces("set asi", "Set st3 aside")).toEqual([
      { text: "Set", found: true },
      { text: " st3 ", found: false },
      { text: "asi", found: true },
      { text: "de", found: false },
    ]);
    for (const typed of ["", "a", "e t", "zzz"]) {
      expect(
        pieces(typed, "Set st3 aside")
          .map((p) => p.text)
          .join(""),
      ).toBe("Set st3 aside");
    }
  });
});

function event(
  key: string,
  held: Partial<Record<"ctrlKey" | "altKey" | "shiftKey" | "metaKey", boolean>> = {},
) {
  return new KeyboardEvent("keydown", { key, ...held });
}

describe("keys", () => {
  beforeEach(() => {
    for (const one of KEYS) changeKey(one.id, null);
  });

  test.each([
    [event("k", { ctrlKey: true }), "Mod+k"],
    [event("K", { metaKey: true }), "Mod+k"],
    [event("Z", { ctrlKey: true, shiftKey: true }), "Mod+Shift+z"],
    [event("?", { shiftKey: true }), "?"],
    [event("+", { shiftKey: true }), "+"],
    [event("ArrowUp", { ctrlKey: true }), "Mod+ArrowUp"],
    [event("ArrowLeft", { altKey: true }), "Alt+ArrowLeft"],
    [event("Delete"), "Delete"],
  ])("are read with what is held: %#", (given, text) => {
    expect(pressed(given)).toBe(text);
  });

  test("belong to one action each", () => {
    const all = KEYS.flatMap((one) => [...one.keys]);
    expect(new Set(all).size).toBe(all.length);
    expect(new Set(KEYS.map((one) => one.id)).size).toBe(KEYS.length);
  });

  test("can be changed; whoever had the key loses it, and gets it back", () => {
    changeKey("trail", "s");
    expect(keysOf("trail")).toEqual(["s"]);
    expect(keysOf("sentences")).toEqual([]);
    expect(JSON.parse(localStorage.getItem("dusk-arrow-keys") ?? "{}")).toMatchObject({ trail: ["s"] });
    changeKey("trail", null);
    changeKey("sentences", null);
    expect(keysOf("trail")).toEqual(["t"]);
    expect(keysOf("sentences")).toEqual(["s"]);
  });

  test("are shown in pieces", () => {
    expect(piecesOf("Mod+Shift+z").slice(1)).toEqual(["Shift", "Z"]);
    expect(piecesOf("Alt+ArrowLeft")).toEqual(["Alt", "←"]);
    expect(piecesOf("+")).toEqual(["+"]);
  });

  test("are letters while somebody writes", () => {
    document.body.innerHTML = `<input id="a"><input id="b" type="checkbox"><select id="c"></select><p id="d"></p>
      <div id="e" contenteditable="true"></div>`;
    const at = (id: string) => inText(document.getElementById(id));
    expect(["a", "b", "c", "d", "e"].map(at)).toEqual([true, false, true, false, true]);
    expect(inText(null)).toBe(false);
  });
});
