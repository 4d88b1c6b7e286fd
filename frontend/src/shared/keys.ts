import { useEffect, useRef } from "react";
import { create } from "zustand";

/** Something that keys can do: its words on the sheet of keys, where it works, and its keys unless they were changed. */
export interface KeyAction {
  id: string;
  words: string;
  group:
    | "anywhere"
    | "on the board"
    | "with an item"
    | "on Quality"
    | "on Effects"
    | "on Report"
    | "in the sentences";
  keys: string[];
}

/** Every key of the application. Adding one is adding a line here and a handler under its id. */
export const KEYS = [
  { id: "find", words: "find or do", group: "anywhere", keys: ["Mod+k"] },
  { id: "undo", words: "undo", group: "anywhere", keys: ["Mod+z"] },
  { id: "redo", words: "redo", group: "anywhere", keys: ["Mod+y", "Mod+Shift+z"] },
  { id: "go", words: "go to a station, by its first letter", group: "anywhere", keys: ["g"] },
  { id: "night", words: "day or night", group: "anywhere", keys: ["n"] },
  { id: "keys", words: "these keys", group: "anywhere", keys: ["?"] },
  { id: "card-left", words: "card to the left", group: "on the board", keys: ["Alt+ArrowLeft"] },
  { id: "card-right", words: "card to the right", group: "on the board", keys: ["Alt+ArrowRight"] },
  { id: "card-up", words: "card above", group: "on the board", keys: ["Alt+ArrowUp"] },
  { id: "card-down", words: "card below", group: "on the board", keys: ["Alt+ArrowDown"] },
  { id: "into", words: "into its items, and among them", group: "on the board", keys: ["ArrowDown"] },
  { id: "path-out", words: "draw a path from it", group: "on the board", keys: ["ArrowRight"] },
  { id: "path-in", words: "draw a path to it", group: "on the board", keys: ["ArrowLeft"] },
  { id: "covary", words: "let it covary with", group: "on the board", keys: ["c"] },
  { id: "rename", words: "rename", group: "on the board", keys: ["F2"] },
  { id: "duplicate", words: "another one like it", group: "on the board", keys: ["d"] },
  { id: "fold", words: "fold or unfold", group: "on the board", keys: ["f"] },
  { id: "remove", words: "remove", group: "on the board", keys: ["Delete", "Backspace"] },
  { id: "new", words: "new construct", group: "on the board", keys: ["Shift+n"] },
  { id: "sentences", words: "sentences", group: "on the board", keys: ["s"] },
  { id: "trail", words: "trail", group: "on the board", keys: ["t"] },
  { id: "back", words: "revision before", group: "on the board", keys: ["["] },
  { id: "forward", words: "revision after", group: "on the board", keys: ["]"] },
  { id: "parameters", words: "all parameters", group: "on the board", keys: ["p"] },
  { id: "covariances", words: "show covariances", group: "on the board", keys: ["v"] },
  { id: "arrange", words: "arrange", group: "on the board", keys: ["r"] },
  { id: "whole", words: "whole model", group: "on the board", keys: ["0"] },
  { id: "larger", words: "larger", group: "on the board", keys: ["+", "="] },
  { id: "smaller", words: "smaller", group: "on the board", keys: ["-"] },
  { id: "deselect", words: "deselect", group: "on the board", keys: ["Escape"] },
  { id: "aside", words: "set aside, or take back", group: "with an item", keys: ["a"] },
  { id: "essential", words: "keep as essential", group: "with an item", keys: ["e"] },
  { id: "marker", words: "carry the scale", group: "with an item", keys: ["m"] },
  { id: "item-up", words: "move up in its card", group: "with an item", keys: ["Mod+ArrowUp"] },
  { id: "item-down", words: "move down in its card", group: "with an item", keys: ["Mod+ArrowDown"] },
  { id: "next-item", words: "next item", group: "on Quality", keys: ["j"] },
  { id: "item-before", words: "item before", group: "on Quality", keys: ["k"] },
  { id: "question-1", words: "do the answers show their construct?", group: "on Quality", keys: ["1"] },
  { id: "question-2", words: "are they apart?", group: "on Quality", keys: ["2"] },
  { id: "question-3", words: "do predictors overlap?", group: "on Quality", keys: ["3"] },
  { id: "question-4", words: "where does the fit hurt?", group: "on Quality", keys: ["4"] },
  { id: "question-5", words: "what if one were set aside?", group: "on Quality", keys: ["5"] },
  { id: "source", words: "pick the source", group: "on Effects", keys: ["x"] },
  { id: "outcome", words: "pick the outcome", group: "on Effects", keys: ["y"] },
  { id: "difference", words: "pick the other route", group: "on Effects", keys: ["o"] },
  { id: "save-again", words: "save the last file again", group: "on Report", keys: ["Mod+s"] },
  { id: "to-the-page", words: "to the page", group: "on Report", keys: ["l"] },
] as const satisfies KeyAction[];

export type KeyId = (typeof KEYS)[number]["id"];
const KEPT = "dusk-arrow-keys";

function kept(): Partial<Record<KeyId, string[]>> {
  try {
    return JSON.parse(localStorage.getItem(KEPT) ?? "{}") as Partial<Record<KeyId, string[]>>;
  } catch {
    return {};
  }
}

/** Keys that the user has changed, remembered on this machine. */
export const useChangedKeys = create<{ changed: Partial<Record<KeyId, string[]>> }>(() => ({
  changed: kept(),
}));

/** Gives an action another key; null gives it its own back. Whoever had that key loses it. */
export function changeKey(id: KeyId, key: string | null) {
  const before = useChangedKeys.getState().changed;
  const changed: Partial<Record<KeyId, string[]>> = {};
  for (const one of KEYS) if (one.id !== id && before[one.id]) changed[one.id] = before[one.id];
  if (key !== null) {
    for (const other of KEYS) {
      const keys = keysOf(other.id);
      if (other.id !== id && keys.includes(key)) changed[other.id] = keys.filter((one) => one !== key);
    }
    changed[id] = [key];
  }
  localStorage.setItem(KEPT, JSON.stringify(changed));
  useChangedKeys.setState({ changed });
}

/** The keys that do something now. */
export function keysOf(id: KeyId): readonly string[] {
  return useChangedKeys.getState().changed[id] ?? KEYS.find((one) => one.id === id)?.keys ?? [];
}

/** A pressed key with what was held, as it is written in the table: `Mod+Shift+z`. */
export function pressed(event: KeyboardEvent): string {
  const name = event.key.length === 1 ? event.key.toLowerCase() : event.key;
  const letter = event.key.length === 1 && event.key.toLowerCase() !== event.key.toUpperCase();
  const shift = event.shiftKey && (letter || event.key.length > 1);
  const held = [event.ctrlKey || event.metaKey ? "Mod" : "", event.altKey ? "Alt" : "", shift ? "Shift" : ""];
  return [...held.filter(Boolean), name].join("+");
}

const APPLE = /Mac|iPhone|iPad/.test(navigator.platform);
const SHOWN: Record<string, string> = {
  Mod: APPLE ? "⌘" : "Ctrl",
  ArrowLeft: "←",
  ArrowRight: "→",
  ArrowUp: "↑",
  ArrowDown: "↓",
  Escape: "Esc",
};

/** A key as it is shown, in pieces: what is held, then the key. */
export function piecesOf(key: string): string[] {
  if (key === "+") return ["+"];
  return key.split("+").map((piece) => SHOWN[piece] ?? (piece.length === 1 ? piece.toUpperCase() : piece));
}

export function inText(target: EventTarget | null): boolean {
  return (
    target instanceof HTMLElement &&
    target.closest("input:not([type=checkbox]), textarea, select, [contenteditable=true]") !== null
  );
}

type Handlers = Partial<Record<KeyId, (event: KeyboardEvent) => unknown>>;

/**
 * Listens for keys. A handler that answers false lets the key pass. Single letters do nothing while somebody writes; `where` says
 * whether keys pressed at a place are meant here.
 */
export function useKeys(handlers: Handlers, where: (target: HTMLElement) => boolean = () => true) {
  const latest = useRef({ handlers, where });
  useEffect(() => {
    latest.current = { handlers, where };
  });
  useEffect(() => {
    function onKey(event: KeyboardEvent) {
      if (event.defaultPrevented) return;
      const key = pressed(event);
      const target = event.target instanceof HTMLElement ? event.target : document.body;
      if (inText(target) && key !== "Mod+k") return;
      if (!latest.current.where(target)) return;
      for (const { id } of KEYS) {
        const handle = latest.current.handlers[id];
        if (!handle || !keysOf(id).includes(key)) continue;
        if (handle(event) !== false) event.preventDefault();
        return;
      }
    }
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, []);
}
