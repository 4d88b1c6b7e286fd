import {
  autocompletion,
  completionKeymap,
  startCompletion,
  type Completion,
  type CompletionContext,
  type CompletionResult,
} from "@codemirror/autocomplete";
import { defaultKeymap, history, undo, undoDepth } from "@codemirror/commands";
import { search, searchKeymap } from "@codemirror/search";
import {
  EditorState,
  RangeSetBuilder,
  StateEffect,
  StateField,
  Transaction,
  type Extension,
  type Text,
} from "@codemirror/state";
import {
  Decoration,
  EditorView,
  keymap,
  lineNumbers,
  ViewPlugin,
  WidgetType,
  type DecorationSet,
  type ViewUpdate,
} from "@codemirror/view";
import type { Schemas } from "../client/client";

export type RowPart = Schemas["RowPart"];

/** Names that can be completed, the model's own words, and what is selected on the board. */
export interface Known {
  constructs: string[];
  columns: string[];
  keywords: string[];
}

export const setReadings = StateEffect.define<RowPart[]>();
export const setAbout = StateEffect.define<string[]>();

/** How each line was read when it was asked last; a line that is changed has not been read. */
export const readingsField = StateField.define<(RowPart | null)[]>({
  create: () => [],
  update(value, transaction) {
    for (const effect of transaction.effects) if (effect.is(setReadings)) return effect.value;
    if (!transaction.docChanged) return value;
    return moved(value, transaction);
  },
});

function moved(value: (RowPart | null)[], transaction: Transaction): (RowPart | null)[] {
  const next: (RowPart | null)[] = Array.from({ length: transaction.newDoc.lines }, () => null);
  value.forEach((part, index) => {
    if (index + 1 > transaction.startState.doc.lines) return;
    const old = transaction.startState.doc.line(index + 1);
    const at = transaction.changes.mapPos(old.from, 1);
    const line = transaction.newDoc.lineAt(at);
    if (line.text === old.text) next[line.number - 1] = part;
  });
  return next;
}

const aboutField = StateField.define<string[]>({
  create: () => [],
  update(value, transaction) {
    for (const effect of transaction.effects) if (effect.is(setAbout)) return effect.value;
    return value;
  },
});

/** What stands under a line that does not read: why, and the name that was probably meant, as a button. */
class Fault extends WidgetType {
  constructor(
    readonly row: RowPart,
    readonly line: number,
  ) {
    super();
  }

  override eq(other: Fault): boolean {
    return other.line === this.line && other.row.message === this.row.message;
  }

  override toDOM(view: EditorView): HTMLElement {
    const box = document.createElement("div");
    box.className = "cm-fault";
    box.setAttribute("role", "alert");
    const words = document.createElement("p");
    words.textContent = this.row.message;
    box.append(words);
    const [first] = this.row.nearest;
    if (first) {
      const button = document.createElement("button");
      button.type = "button";
      button.className = "btn btn-primary btn-xs";
      button.textContent = `Write ${first}`;
      button.onclick = () => mend(view, this.line);
      const or = document.createElement("span");
      or.textContent =
        this.row.nearest.length > 1 ? "Ctrl . writes it, Tab lists others" : "Ctrl . writes it";
      box.append(button, or);
    }
    return box;
  }

  override ignoreEvent(): boolean {
    return true;
  }
}

/** Puts the nearest name in the place of the one that is not known. */
export function mend(view: EditorView, number: number, name?: string): boolean {
  const row = view.state.field(readingsField)[number - 1];
  const word = name ?? row?.nearest[0];
  if (!row || !word) return false;
  const line = view.state.doc.line(number);
  const change = { from: line.from + row.begin, to: line.from + row.end, insert: word };
  view.dispatch({ changes: change, selection: { anchor: change.from + word.length } });
  return true;
}

const faults = StateField.define<DecorationSet>({
  create: () => Decoration.none,
  update: (_, transaction) => decorate(transaction.state),
  provide: (field) => EditorView.decorations.from(field),
});

function mentions(text: string, name: string): boolean {
  const plain = name.replace(/[.*+?^${}()|[\]\\]/g, "\\$&");
  return new RegExp(`(?<![\\w.])"?${plain}"?(?![\\w.])`, "u").test(text);
}

function decorate(state: EditorState): DecorationSet {
  const found = new RangeSetBuilder<Decoration>();
  const readings = state.field(readingsField);
  const about = state.field(aboutField);
  for (let number = 1; number <= state.doc.lines; number += 1) {
    const line = state.doc.line(number);
    const row = readings[number - 1];
    const wrong = row !== null && row !== undefined && !row.reads;
    const names = about.length > 0 && about.every((name) => mentions(line.text, name));
    if (wrong || names) {
      found.add(line.from, line.from, Decoration.line({ class: wrong ? "cm-wrong" : "cm-about" }));
    }
    if (wrong) {
      const [from, to] = [line.from + row.begin, Math.min(line.from + row.end, line.to)];
      if (to > from) found.add(from, to, Decoration.mark({ class: "cm-unknown" }));
      found.add(
        line.to,
        line.to,
        Decoration.widget({ widget: new Fault(row, number), block: true, side: 1 }),
      );
    }
  }
  return found.finish();
}

const TOKEN = /#.*$|"(?:[^"]|"")*"|[\p{L}\p{N}_]+(?:\.[\p{L}\p{N}_]+)*/gu;

/** Keywords, reasons, comments, and the constructs that are said. */
function colours(known: () => Known): Extension {
  const build = (view: EditorView) => {
    const { constructs, keywords } = known();
    const words = new Set(keywords.map((word) => word.toLowerCase()));
    const names = new Set(constructs);
    const found = new RangeSetBuilder<Decoration>();
    for (const { from, to } of view.visibleRanges) {
      for (let at = from; at <= to;) {
        const line = view.state.doc.lineAt(at);
        for (const match of line.text.matchAll(TOKEN)) {
          const [text] = match;
          const bare = text.replaceAll('"', "");
          const kind = text.startsWith("#")
            ? "cm-remark"
            : names.has(bare)
              ? "cm-construct"
              : text.startsWith('"')
                ? "cm-reason"
                : words.has(text.toLowerCase())
                  ? "cm-word"
                  : null;
          if (kind) {
            const start = line.from + match.index;
            found.add(start, start + text.length, Decoration.mark({ class: kind }));
          }
        }
        at = line.to + 1;
      }
    }
    return found.finish();
  };
  return ViewPlugin.fromClass(
    class {
      decorations: DecorationSet;
      constructor(view: EditorView) {
        this.decorations = build(view);
      }
      update(update: ViewUpdate) {
        if (
          update.docChanged ||
          update.viewportChanged ||
          update.transactions.some((t) => t.effects.length)
        ) {
          this.decorations = build(update.view);
        }
      }
    },
    { decorations: (plugin) => plugin.decorations },
  );
}

/** A name as a sentence has it: quoted where it is no plain word. */
export function written(name: string, keywords: string[]): string {
  const plain = /^[\p{L}\p{N}_]+(?:\.[\p{L}\p{N}_]+)*$/u.test(name) && !keywords.includes(name.toLowerCase());
  return plain ? name : `"${name.replaceAll('"', '""')}"`;
}

function complete(known: () => Known) {
  return (context: CompletionContext): CompletionResult | null => {
    const line = context.state.doc.lineAt(context.pos);
    const row = context.state.field(readingsField)[line.number - 1];
    if (context.explicit && row && !row.reads && row.nearest.length > 0) {
      return {
        from: line.from + row.begin,
        to: line.from + row.end,
        filter: false,
        options: row.nearest.map((label, i) => ({ label, type: "construct", boost: -i })),
      };
    }
    const word = context.matchBefore(/"?[\p{L}\p{N}_.]+/u);
    if (!word && !context.explicit) return null;
    if (line.text.slice(0, context.pos - line.from).includes("#")) return null;
    const { constructs, columns, keywords } = known();
    const whole = word?.text.replaceAll('"', "").toLowerCase();
    // A word that is written out wants no list, which would only take the next Enter for itself.
    const done = [...constructs, ...columns, ...keywords].some((one) => one.toLowerCase() === whole);
    if (done && !context.explicit) return null;
    const option =
      (type: string, boost: number) =>
      (name: string): Completion => ({
        label: name,
        apply: type === "word" ? name : written(name, keywords),
        type,
        boost,
      });
    return {
      from: word?.from ?? context.pos,
      options: [
        ...constructs.map(option("construct", 2)),
        ...keywords.map(option("word", 1)),
        ...columns.map(option("column", 0)),
      ],
    };
  };
}

/** The first line after the caret that does not read. */
function nextFault(view: EditorView): boolean {
  const readings = view.state.field(readingsField);
  const here = view.state.doc.lineAt(view.state.selection.main.head).number;
  const order = readings.map((_, i) => ((here + i) % readings.length) + 1);
  const next = order.find((number) => readings[number - 1]?.reads === false);
  if (next === undefined) return false;
  const line = view.state.doc.line(next);
  const row = readings[next - 1];
  view.dispatch({ selection: { anchor: line.from + (row?.begin ?? 0) }, scrollIntoView: true });
  return true;
}

export interface Doing {
  known: () => Known;
  /** The caret went to another line, the focus went elsewhere, or it was asked for: what was written is to be read. */
  left: () => void;
  typed: () => void;
  /** Whether something is written that is not part of the model or known not to read. */
  dirty: () => boolean;
  undo: () => void;
  redo: () => void;
  leave: () => void;
  caret: (line: string, word: string) => void;
}

/** Everything the editor is made of. */
export function extensions(doing: Doing): Extension {
  let line = 1;
  return [
    lineNumbers(),
    history(),
    EditorView.lineWrapping,
    EditorState.allowMultipleSelections.of(false),
    search({ top: true }),
    autocompletion({ override: [complete(doing.known)], icons: false }),
    readingsField,
    aboutField,
    faults,
    colours(doing.known),
    EditorView.contentAttributes.of({ "aria-label": "Sentences of the model", spellcheck: "false" }),
    keymap.of([
      {
        key: "Mod-z",
        run: (view) => {
          if (doing.dirty() && undoDepth(view.state) > 0) return undo(view);
          doing.undo();
          return true;
        },
      },
      { key: "Mod-y", run: () => (doing.redo(), true) },
      { key: "Mod-Shift-z", run: () => (doing.redo(), true) },
      {
        key: "Mod-.",
        run: (view) => mend(view, view.state.doc.lineAt(view.state.selection.main.head).number),
      },
      {
        key: "Tab",
        run: (view) => {
          const number = view.state.doc.lineAt(view.state.selection.main.head).number;
          const row = view.state.field(readingsField)[number - 1];
          return row !== undefined && row !== null && !row.reads && row.nearest.length > 0
            ? startCompletion(view)
            : false;
        },
      },
      { key: "F8", run: nextFault },
      { key: "Mod-Enter", run: () => (doing.left(), true) },
      { key: "Alt-ArrowLeft", run: () => (doing.undo(), true) },
      { key: "Alt-ArrowRight", run: () => (doing.redo(), true) },
      ...completionKeymap,
      ...searchKeymap,
      { key: "Escape", run: () => (doing.leave(), true) },
      ...defaultKeymap,
    ]),
    EditorView.updateListener.of((update) => {
      const remote = update.transactions.some((t) => t.annotation(Transaction.remote));
      const here = update.state.doc.lineAt(update.state.selection.main.head);
      if (update.docChanged && !remote) doing.typed();
      if (
        here.number !== line ||
        (update.docChanged && !remote && update.startState.doc.lines !== update.state.doc.lines)
      ) {
        line = here.number;
        if (!remote) doing.left();
      }
      if (update.selectionSet && !remote && update.view.hasFocus) {
        const column = update.state.selection.main.head - here.from;
        doing.caret(here.text, wordAt(here.text, column));
      }
      if (update.focusChanged && !update.view.hasFocus) doing.left();
    }),
  ];
}

function wordAt(text: string, column: number): string {
  for (const match of text.matchAll(TOKEN)) {
    if (match.index <= column && column <= match.index + match[0].length) return match[0].replaceAll('"', "");
  }
  return "";
}

export function rowsOf(doc: Text): string[] {
  return doc.toString().split("\n");
}
