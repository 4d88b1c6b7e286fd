import type { Station } from "../shared/station";
import { Dialog, DialogPanel, DialogTitle } from "@headlessui/react";
import { Search } from "lucide-react";
import { useMemo, useRef, useState, type KeyboardEvent } from "react";
import { useNavigate } from "react-router";
import type { ModelState, Project } from "../client/client";
import type { Gestures } from "../api/gestures";
import { useChoices, useCriteria } from "../api/hooks";
import { changeKey, KEYS, keysOf, piecesOf, pressed, useChangedKeys, type KeyId } from "../shared/keys";
import { WhatIf } from "../shared/WhatIf";
import { find, useDesk } from "../desk/desk";
import { TextButton } from "../shared/controls";
import { entries, type Entry } from "./entries";
import { fit, pieces, shared } from "./matching";

interface Props {
  project: Project;
  model: ModelState;
  gestures: Gestures;
  station: string;
  stations: Pick<Station, "key" | "label">[];
}

const ROOM = 12; // lines that can be seen at once
const KINDS: { kind: Entry["kind"]; most: number; unasked: number }[] = [
  { kind: "do", most: 6, unasked: 7 },
  { kind: "in this model", most: 5, unasked: 0 },
  { kind: "go to", most: 4, unasked: 6 },
  { kind: "learn", most: 4, unasked: 0 },
  { kind: "not here", most: 2, unasked: 0 },
];

/** Every action, construct, column, figure and page by its name, and the keys beside them. */
export default function Finder({ project, model, gestures, station, stations }: Props) {
  const mode = useDesk((desk) => desk.finding);
  const selection = useDesk((desk) => desk.selection);
  const navigate = useNavigate();
  const choices = useChoices();
  const criteria = useCriteria();
  const [typed, setTyped] = useState("");
  const [pointed, setAt] = useState<number | null>(null);
  const [first, lookFirst] = useState<string | null>(null);
  const results = useRef<HTMLDivElement>(null);
  const everything = useMemo(
    () =>
      entries({
        project,
        model,
        gestures,
        station,
        stations,
        selection,
        choices,
        criteria: [...criteria.values()],
        go: (key) => {
          if (key !== station) void navigate(`/projects/${project.id}/${key}`);
        },
      }),
    [project, model, gestures, station, stations, selection, choices, criteria, navigate],
  );
  const found = useMemo(() => {
    const judged = everything.flatMap((entry) => {
      const cost = fit(typed, entry.words, entry.detail, entry.also);
      return cost === null ? [] : [{ entry, cost }];
    });
    const asked = typed.trim() !== "";
    if (asked) judged.sort((a, b) => a.cost - b.cost);
    const kinds = KINDS.map((one) => ({
      own: judged.filter(({ entry }) => entry.kind === one.kind).map(({ entry }) => entry),
      share: asked ? one.most : one.unasked,
    }));
    return shared(kinds, asked ? ROOM : 0);
  }, [everything, typed]);
  // What fits best is chosen to begin with, whatever kind it is of.
  const best = useMemo(() => {
    const costs = found.map((entry) => fit(typed, entry.words, entry.detail, entry.also) ?? Infinity);
    return typed.trim() ? costs.indexOf(Math.min(...costs)) : 0;
  }, [found, typed]);
  const at = Math.max(0, Math.min(pointed ?? best, found.length - 1));
  const chosen = found[at];
  const close = () => find(null);
  const run = (entry: Entry) => {
    if (entry.barred) return;
    close();
    // The dialog gives the focus back first; whatever is done then may move it.
    requestAnimationFrame(() => requestAnimationFrame(() => entry.run()));
  };
  const move = (to: number) => {
    const next = Math.max(0, Math.min(found.length - 1, to));
    setAt(next);
    lookFirst(null);
    results.current?.querySelector(`[data-at="${next}"]`)?.scrollIntoView({ block: "nearest" });
  };
  const onKey = (event: KeyboardEvent) => {
    if (event.key === "ArrowDown") move(at + 1);
    else if (event.key === "ArrowUp") move(at - 1);
    else if (event.key === "Enter" && chosen) run(chosen);
    else if (event.key === "Tab" && !event.shiftKey && chosen?.changes && model.estimated) {
      lookFirst(first === chosen.id ? null : chosen.id);
    } else return;
    event.preventDefault();
  };
  const nearest = typed.trim() && found.length === 0 ? nearestWords(typed, everything) : [];
  const selected =
    selection === null
      ? ""
      : selection.kind === "path"
        ? `${selection.source} → ${selection.target} is selected`
        : selection.kind === "covariance"
          ? `${selection.first} & ${selection.second} is selected`
          : `${selection.name} is selected`;
  return (
    <Dialog open onClose={close} className="relative z-50">
      <div className="fixed inset-0 bg-scrim" aria-hidden="true" />
      <div className="fixed inset-0 flex items-start justify-center p-6 pt-[84px]">
        <DialogPanel className="grid h-[576px] w-[980px] grid-cols-[minmax(0,1fr)_308px] overflow-hidden rounded-[1.1rem] bg-card shadow-2xl">
          <div className="flex min-h-0 flex-col px-4 pt-5">
            <DialogTitle className="sr-only">Find or do</DialogTitle>
            <div className="flex items-center gap-3 px-2.5">
              <Search size={18} className="text-ember" aria-hidden="true" />
              <input
                autoFocus={mode === "actions"}
                className="min-w-0 flex-1 bg-transparent text-[22px] outline-none!"
                role="combobox"
                aria-label="Find or do"
                aria-expanded="true"
                aria-controls="found"
                aria-activedescendant={chosen ? `found-${chosen.id}` : undefined}
                placeholder="an action, a name, a figure…"
                value={typed}
                onChange={(event) => {
                  setTyped(event.target.value);
                  setAt(null);
                  lookFirst(null);
                }}
                onKeyDown={onKey}
              />
              <span className="text-sm text-quiet">{selected}</span>
            </div>
            <div className="mx-0.5 mb-1 mt-1 flex items-end border-b-2 border-ember/35">
              <svg width="20" height="10" viewBox="0 0 18 9" className="ml-2" aria-hidden="true">
                <path d="M0 9a9 9 0 0 1 18 0z" className="fill-ember" />
              </svg>
            </div>
            <div
              ref={results}
              id="found"
              role="listbox"
              aria-label="What was found"
              className="min-h-0 flex-1 overflow-y-auto pb-2"
            >
              {KINDS.map(({ kind }) => {
                const own = found.filter((entry) => entry.kind === kind);
                if (own.length === 0) return null;
                return (
                  <div key={kind} role="group" aria-label={kind}>
                    <p className="px-2.5 pb-0.5 pt-2 text-sm text-quiet" aria-hidden="true">
                      {kind}
                    </p>
                    {own.map((entry) => {
                      const index = found.indexOf(entry);
                      return (
                        <Line
                          key={entry.id}
                          entry={entry}
                          typed={typed}
                          index={index}
                          on={entry === chosen}
                          point={() => setAt(index)}
                          run={() => run(entry)}
                        />
                      );
                    })}
                  </div>
                );
              })}
              {typed.trim() && found.length === 0 && (
                <div className="px-2.5 pt-4">
                  <p>Nothing is called so.</p>
                  {nearest.length > 0 && (
                    <p className="mt-1">
                      Near it:{" "}
                      {nearest.map((word) => (
                        <TextButton key={word} className="mr-3" onClick={() => setTyped(word)}>
                          {word}
                        </TextButton>
                      ))}
                    </p>
                  )}
                  <p className="mt-1">
                    <a
                      className="font-semibold text-ember hover:underline"
                      href="/methods/README"
                      target="_blank"
                    >
                      Look in the methods
                    </a>
                  </p>
                </div>
              )}
            </div>
            {first !== null && chosen?.changes && (
              <WhatIf model={model} question={chosen.words.replace(/…$/, "?")} changes={chosen.changes} />
            )}
            <p className="flex gap-4 px-2.5 py-2.5 text-sm text-quiet">
              <span>
                <Key>↑</Key> <Key>↓</Key> choose
              </span>
              <span>
                <Key>Enter</Key> do it
              </span>
              <span>
                <Key>Tab</Key> look first
              </span>
              <span>
                <Key>Esc</Key> close
              </span>
            </p>
          </div>
          <Sheet focused={mode === "keys"} />
        </DialogPanel>
      </div>
    </Dialog>
  );
}

function Line(props: {
  entry: Entry;
  typed: string;
  index: number;
  on: boolean;
  point: () => void;
  run: () => void;
}) {
  const { entry, typed, index, on, point, run } = props;
  return (
    <div
      id={`found-${entry.id}`}
      data-at={index}
      role="option"
      aria-selected={on}
      aria-disabled={entry.barred !== undefined}
      className={`flex h-8 cursor-pointer items-center gap-3 rounded-[0.6rem] px-2.5 ${on ? "bg-ember/15" : ""} ${entry.barred ? "text-quiet" : ""}`}
      onPointerMove={point}
      onClick={run}
    >
      <span className="shrink-0 font-semibold">
        {pieces(typed, entry.words).map((piece, i) =>
          piece.found ? (
            <span key={i} className="underline decoration-gold decoration-2 underline-offset-[5px]">
              {piece.text}
            </span>
          ) : (
            <span key={i}>{piece.text}</span>
          ),
        )}
      </span>
      <span className="min-w-0 flex-1 truncate text-right text-sm text-quiet">
        {entry.barred ?? entry.detail}
      </span>
      <span className="flex w-16 justify-end gap-1">
        {(entry.keys ?? []).map((key) => (
          <Key key={key}>{key}</Key>
        ))}
      </span>
    </div>
  );
}

function Key({ children }: { children: string }) {
  return (
    <kbd className="inline-grid h-[18px] min-w-[18px] place-items-center rounded-[5px] bg-base-200 px-1.5 font-sans text-xs font-semibold text-base-content">
      {children}
    </kbd>
  );
}

/** The keys that work, by where they do; each can be given another. */
function Sheet({ focused }: { focused: boolean }) {
  const [changing, change] = useState(false);
  const [waiting, wait] = useState<KeyId | null>(null);
  const changed = useChangedKeys((state) => state.changed);
  const groups = [...new Set(KEYS.map((one) => one.group))];
  return (
    <section aria-label="Keys" className="flex min-h-0 flex-col bg-base-200 px-5 pb-3 pt-6">
      <h2 className="mb-1 font-serif text-[18px] font-semibold">Keys at hand</h2>
      <div className="min-h-0 flex-1 overflow-y-auto pr-1" tabIndex={0} role="region" aria-label="All keys">
        {groups.map((group) => (
          <div key={group}>
            <p className="pb-0.5 pt-2 text-sm text-quiet">{group}</p>
            {KEYS.filter((one) => one.group === group).map((one) => {
              const [key] = keysOf(one.id);
              return (
                <div key={one.id} className="flex h-[25px] items-center gap-2">
                  <span className="min-w-0 flex-1 truncate">{one.words}</span>
                  {changing && changed[one.id] && (
                    <TextButton className="text-xs text-ember-deep!" onClick={() => changeKey(one.id, null)}>
                      as it was
                    </TextButton>
                  )}
                  {changing ? (
                    <button
                      className="rounded-[5px] bg-card px-1.5 text-xs font-semibold ring-1 ring-line"
                      aria-label={`Key for “${one.words}”: ${key ? piecesOf(key).join(" ") : "none"}. Press to change.`}
                      onClick={() => wait(one.id)}
                      onBlur={() => wait(null)}
                      onKeyDown={(event) => {
                        if (waiting !== one.id) return;
                        event.preventDefault();
                        event.stopPropagation();
                        if (["Control", "Alt", "Shift", "Meta"].includes(event.key)) return;
                        if (event.key !== "Escape") changeKey(one.id, pressed(event.nativeEvent));
                        wait(null);
                      }}
                    >
                      {waiting === one.id ? "press a key" : key ? piecesOf(key).join(" ") : "none"}
                    </button>
                  ) : (
                    <span className="flex gap-1">
                      {(key ? piecesOf(key) : []).map((piece) => (
                        <kbd
                          key={piece}
                          className="inline-grid h-[18px] min-w-[18px] place-items-center rounded-[5px] bg-card px-1.5 font-sans text-xs font-semibold"
                        >
                          {piece}
                        </kbd>
                      ))}
                    </span>
                  )}
                </div>
              );
            })}
          </div>
        ))}
      </div>
      <p className="pt-2">
        <TextButton className="text-ember-deep!" autoFocus={focused} onClick={() => change(!changing)}>
          {changing ? "Done" : "Change keys…"}
        </TextButton>
      </p>
    </section>
  );
}

/** Words of what there is that come nearest to what was typed. */
function nearestWords(typed: string, everything: Entry[]): string[] {
  const wanted = typed.toLowerCase().trim();
  const pairs = (word: string) =>
    new Set(Array.from({ length: word.length - 1 }, (_, i) => word.slice(i, i + 2)));
  const own = pairs(wanted);
  const known = new Set(
    everything.flatMap((entry) => entry.words.split(/[\s…“”()]+/)).filter((word) => word.length > 2),
  );
  return [...known]
    .map((word) => {
      const other = pairs(word.toLowerCase());
      const shared = [...other].filter((pair) => own.has(pair)).length;
      return { word, share: (2 * shared) / (own.size + other.size || 1) };
    })
    .filter(({ share }) => share > 0.3)
    .sort((a, b) => b.share - a.share)
    .slice(0, 3)
    .map(({ word }) => word);
}
