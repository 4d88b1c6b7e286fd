import { Transaction } from "@codemirror/state";
import { EditorView } from "@codemirror/view";
import { useQuery } from "@tanstack/react-query";
import { X } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { api, take, type ModelState, type Project } from "../client/client";
import type { Gestures } from "../api/gestures";
import { focusOn, select, useDesk, write, type Selection } from "../desk/desk";
import { Action, Symbol } from "../shared/controls";
import { extensions, readingsField, rowsOf, setAbout, setReadings, type RowPart } from "./editor";
import { keepTyped, sendLeaving, typedBefore } from "../desk/typed";
import { asTyped, asWritten, difference, draftsOf, linesOf, withDrafts, type Draft } from "./merging";
import "./sentences.css";
import { keys } from "../client/queryKeys";

interface Props {
  project: Project;
  model: ModelState;
  gestures: Gestures;
}

const EXAMPLE = ["Training shows in tr1..tr4", "Efficacy shows in ef1..ef4", "Training leads to Efficacy"];

function keptDrafts(model: number): Draft[] {
  try {
    return JSON.parse(localStorage.getItem(`dusk-arrow-draft-${model}`) ?? "[]") as Draft[];
  } catch {
    return [];
  }
}

function keepDrafts(model: number, drafts: Draft[]) {
  if (drafts.length > 0) localStorage.setItem(`dusk-arrow-draft-${model}`, JSON.stringify(drafts));
  else localStorage.removeItem(`dusk-arrow-draft-${model}`);
}

/** What a caret in a line means on the board: the path it states, else the construct or item under it. */
function meant(line: string, word: string, model: ModelState): Selection {
  const path = /^\s*"?([^",]+?)"?\s+leads to\s+"?([^",]+?)"?\s*(#.*)?$/i.exec(line);
  const [, source, target] = path ?? [];
  if (source && target && model.paths.some((p) => p.source === source && p.target === target)) {
    return { kind: "path", source, target };
  }
  const named = (name: string): Selection => {
    if (model.constructs.some((c) => c.name === name)) return { kind: "construct", name };
    const owner = model.constructs.find((c) => c.indicators.includes(name));
    if (owner) return { kind: "indicator", construct: owner.name, name };
    return model.observed.includes(name) ? { kind: "observed", name } : null;
  };
  const first = /^\s*"?([^",]+?)"?\s+(?:shows?|is|are)\b/i.exec(line)?.[1];
  return named(word) ?? (first ? named(first) : null);
}

function namesOf(selection: Selection): string[] {
  if (selection === null) return [];
  if (selection.kind === "path") return [selection.source, selection.target];
  if (selection.kind === "covariance") return [selection.first, selection.second];
  return [selection.name];
}

/** The model as text beside the board: both are live, and what one says the other shows. */
export default function Sentences({ project, model, gestures }: Props) {
  const host = useRef<HTMLDivElement>(null);
  const editor = useRef<EditorView | null>(null);
  const [unread, setUnread] = useState(0);
  const [total, setTotal] = useState(0);
  const [empty, setEmpty] = useState(false);
  const drafts = useRef<Draft[]>(keptDrafts(model.id));
  const synced = useRef<string[]>([]);
  const own = useRef<string | null>(null);
  const latest = useRef({ model, gestures, project });
  const keywords = useQuery({
    queryKey: keys.keywords(model.id),
    staleTime: Infinity,
    queryFn: () =>
      take(
        api.POST("/api/models/{model_id}/sentences/readings", {
          params: { path: { model_id: model.id } },
          body: { rows: [] },
        }),
      ),
  }).data?.keywords;
  const words = useRef<string[]>([]);
  useEffect(() => {
    latest.current = { model, gestures, project };
    words.current = keywords ?? [];
  });

  useEffect(() => {
    if (!host.current) return;
    let timer: number | undefined;
    const rows = () => (editor.current ? rowsOf(editor.current.state.doc) : []);
    const shown = (parts: RowPart[], current: string[]) => {
      const reads = parts.map((part) => part.reads);
      drafts.current = draftsOf(current, reads);
      keepDrafts(latest.current.model.id, drafts.current);
      setUnread(reads.filter((one) => !one).length);
      setTotal(current.filter((row) => row.trim() && !row.trim().startsWith("#")).length);
      setEmpty(current.every((row) => !row.trim()));
    };
    /** What was written is read on the server without becoming part of the model, so that faults show while typing. */
    const look = async () => {
      const asked = rows();
      const found = await take(
        api.POST("/api/models/{model_id}/sentences/readings", {
          params: { path: { model_id: latest.current.model.id } },
          body: { rows: asked },
        }),
      ).catch(() => null);
      if (!found || !editor.current || rows().join("\n") !== asked.join("\n")) return;
      editor.current.dispatch({ effects: setReadings.of(found.rows) });
      shown(found.rows, asked);
    };
    const commit = () => {
      window.clearTimeout(timer);
      const sent = rows();
      if (sent.join("\n") === synced.current.join("\n")) {
        keepTyped(latest.current.model.id.toString(), null);
        return;
      }
      synced.current = sent;
      let parts: RowPart[] = [];
      void latest.current.gestures
        .write(sent, (read) => {
          parts = read;
        })
        .then((state) => {
          const view = editor.current;
          if (!state) {
            synced.current = [];
            return;
          }
          keepTyped(state.id.toString(), null);
          own.current = state.sentences;
          if (!view || rows().join("\n") !== sent.join("\n")) return;
          const reads = parts.map((part) => part.reads);
          const now = asWritten(sent, reads, linesOf(state.sentences));
          replace(view, sent, now);
          synced.current = now;
          view.dispatch({ effects: setReadings.of(parts) });
          shown(parts, now);
        });
    };
    const view = new EditorView({
      parent: host.current,
      doc: "",
      extensions: extensions({
        known: () => ({
          constructs: latest.current.model.constructs.map((c) => c.name),
          columns: latest.current.project.columns.map((c) => c.name),
          keywords: words.current,
        }),
        left: commit,
        typed: () => {
          window.clearTimeout(timer);
          timer = window.setTimeout(() => void look(), 450);
          const { id, sentences } = latest.current.model;
          keepTyped(id.toString(), { before: sentences, text: rows().join("\n") });
          setEmpty(rows().every((row) => !row.trim()));
        },
        dirty: () => rows().join("\n") !== synced.current.join("\n"),
        undo: () => void latest.current.gestures.undo(),
        redo: () => void latest.current.gestures.redo(),
        leave: () => {
          const first = latest.current.model.board.cards[0]?.name;
          const { selection } = useDesk.getState();
          if (selection?.kind === "construct" || selection?.kind === "observed") focusOn(selection.name);
          else if (first) focusOn(first);
          else view.contentDOM.blur();
        },
        caret: (line, word) => {
          const selection = meant(line, word, latest.current.model);
          if (selection) select(selection, true);
        },
      }),
    });
    editor.current = view;
    const begun = withDrafts(linesOf(latest.current.model.sentences), drafts.current);
    replace(view, [""], begun.length > 0 ? begun : [""]);
    synced.current = rows();
    own.current = latest.current.model.sentences;
    const typed = typedBefore(latest.current.model.id.toString());
    if (typed) {
      const wanted = asTyped(typed, latest.current.model.sentences);
      replace(view, rows(), wanted.length > 0 ? wanted : [""]);
      if (rows().join("\n") === synced.current.join("\n"))
        keepTyped(latest.current.model.id.toString(), null);
    }
    void look();
    view.focus();
    /** The page goes away: what was typed becomes part of the model where it reads, and waits in the browser where it does not. */
    const leaving = () => {
      const sent = rows();
      if (sent.join("\n") === synced.current.join("\n")) return;
      const { id, revision } = latest.current.model;
      sendLeaving(`/api/models/${id}/sentences`, "PUT", { parent: revision.id, rows: sent });
    };
    window.addEventListener("pagehide", leaving);
    return () => {
      window.removeEventListener("pagehide", leaving);
      commit();
      view.destroy();
      editor.current = null;
    };
  }, []);

  // What was changed on the board, by undo, or in another window comes into the text, drafts stay where they are.
  useEffect(() => {
    const view = editor.current;
    if (!view || model.sentences === own.current) return;
    own.current = model.sentences;
    const current = rowsOf(view.state.doc);
    const now = withDrafts(linesOf(model.sentences), drafts.current);
    const wanted = now.length > 0 ? now : [""];
    replace(view, current, wanted);
    synced.current = wanted;
    const kept = new Map(drafts.current.map((draft) => [draft.text, draft]));
    const readings = view.state.field(readingsField);
    const parts = wanted.map(
      (text, at): RowPart =>
        readings[at] ?? { reads: !kept.has(text), message: "", begin: 0, end: 0, nearest: [] },
    );
    view.dispatch({ effects: setReadings.of(parts) });
    setTotal(wanted.filter((row) => row.trim() && !row.trim().startsWith("#")).length);
    setEmpty(wanted.every((row) => !row.trim()));
  }, [model.sentences]);

  const selection = useDesk((desk) => desk.selection);
  useEffect(() => {
    editor.current?.dispatch({ effects: setAbout.of(namesOf(selection)) });
    // Words and names are coloured anew once they are known.
  }, [selection, keywords, model.constructs]);

  const begin = () => {
    const stems = project.blocks.filter((b) => b.stem !== null && b.columns.length > 1).slice(0, 2);
    const [first, second] = stems;
    const title = (stem: string) => stem.charAt(0).toUpperCase() + stem.slice(1);
    const lines =
      first?.stem && second?.stem
        ? [
            `${title(first.stem)} shows in ${first.columns.join(", ")}`,
            `${title(second.stem)} shows in ${second.columns.join(", ")}`,
            `${title(first.stem)} leads to ${title(second.stem)}`,
            "",
          ]
        : [...EXAMPLE, ""];
    const view = editor.current;
    if (!view) return;
    view.dispatch({
      changes: { from: 0, to: view.state.doc.length, insert: lines.join("\n") },
      selection: { anchor: lines.join("\n").length },
    });
    view.focus();
  };
  return (
    <aside aria-label="Sentences" className="flex w-[388px] shrink-0 flex-col rounded-box bg-card shadow-sm">
      <div className="flex h-9 shrink-0 items-center gap-2 pl-3.5 pr-2">
        <h2 className="flex-1 font-serif text-[16px] font-semibold">Sentences</h2>
        <span
          className={`text-sm ${unread > 0 ? "font-semibold" : "text-quiet"}`}
          data-testid="sentences-read"
        >
          {unread > 0 ? `${total - unread} of ${total} statements read` : `${total} statements`}
        </span>
        <Symbol label="Close the sentences" size="xs" onClick={() => write(false)}>
          <X size={14} />
        </Symbol>
      </div>
      {empty && (
        <div className="mx-3.5 mb-2 rounded-md bg-base-200 px-3 py-2 text-sm text-quiet">
          {EXAMPLE.map((line) => (
            <p key={line}>{line}</p>
          ))}
          <Action size="xs" className="mt-1.5" onClick={begin}>
            Write something like these
          </Action>
        </div>
      )}
      <div ref={host} className="sentences min-h-0 flex-1 overflow-hidden" data-testid="sentences" />
      <p className="flex shrink-0 flex-wrap gap-x-3 border-t border-line/60 px-3.5 py-1 text-xs text-quiet">
        <span>Ctrl Space completes</span>
        <span>Ctrl F finds and replaces</span>
        {unread > 0 && <span>F8 next fault</span>}
        <a className="text-ember hover:underline" href="/methods/sentences" target="_blank">
          all sentences
        </a>
      </p>
    </aside>
  );
}

/** Brings other lines into the editor without moving the caret more than it must. */
function replace(view: EditorView, current: string[], now: string[]) {
  const found = difference(current, now);
  if (!found) return;
  const { doc } = view.state;
  const { from, to, lines } = found;
  const insert = lines.join("\n");
  let change: { from: number; to: number; insert: string };
  if (to > from) {
    change = { from: doc.line(from + 1).from, to: doc.line(to).to, insert };
    if (lines.length === 0) {
      // The lines go with one of the breaks around them.
      if (change.to < doc.length) change.to += 1;
      else if (change.from > 0) change.from -= 1;
    }
  } else if (from < doc.lines) {
    change = { from: doc.line(from + 1).from, to: doc.line(from + 1).from, insert: `${insert}\n` };
  } else {
    change = { from: doc.length, to: doc.length, insert: `\n${insert}` };
  }
  view.dispatch({
    changes: change,
    annotations: [Transaction.remote.of(true), Transaction.addToHistory.of(false)],
  });
}
