import { useState } from "react";
import type { ModelState, Project } from "../api/client";
import type { Gestures } from "../api/hooks";
import { useDesk } from "./desk";

interface Props {
  project: Project;
  model: ModelState;
  gestures: Gestures;
}

/** Drawing a path by keyboard: type the first letters of the other end, Enter. */
export function PathPrompt({ project, model, gestures }: Props) {
  const start = useDesk((desk) => desk.pathFrom);
  if (!start) return null;
  return <Prompt key={`${start.name}${start.direction}`} {...{ project, model, gestures }} />;
}

function Prompt({ project, model, gestures }: Props) {
  const { pathFrom, setPathFrom, select } = useDesk();
  const [typed, setTyped] = useState("");
  const [at, setAt] = useState(0);
  if (!pathFrom) return null;
  const { name, direction } = pathFrom;
  const owned = new Set(
    model.constructs.flatMap((c) => [...c.indicators, ...c.aside.map((a) => a.indicator)]),
  );
  const existing = new Set(
    model.paths
      .filter((p) => (direction === "out" ? p.source : p.target) === name)
      .map((p) => (direction === "out" ? p.target : p.source)),
  );
  const columns = project.columns.filter((c) => c.numeric && !owned.has(c.name) && c.level !== "identifier");
  const all = [
    ...new Set([...model.constructs.map((c) => c.name), ...model.observed, ...columns.map((c) => c.name)]),
  ];
  const wanted = typed.trim().toLowerCase();
  const open = all.filter((other) => other !== name && !existing.has(other));
  const matching = [
    ...open.filter((other) => other.toLowerCase().startsWith(wanted)),
    ...open.filter(
      (other) => !other.toLowerCase().startsWith(wanted) && other.toLowerCase().includes(wanted),
    ),
  ];
  const close = () => setPathFrom(null);
  const choose = (other: string | undefined) => {
    if (!other) return;
    const path = direction === "out" ? { source: name, target: other } : { source: other, target: name };
    void gestures.change([{ type: "add_path", ...path }]);
    select({ kind: "path", ...path });
    close();
  };
  return (
    <div
      className="absolute left-1/2 top-4 z-20 w-72 -translate-x-1/2 rounded-box bg-card p-3 shadow-lg"
      role="dialog"
      aria-label="New path"
    >
      <label className="flex items-center gap-2">
        <span className="max-w-32 truncate font-serif font-semibold">
          {direction === "out" ? `${name} →` : `→ ${name}`}
        </span>
        <input
          autoFocus
          className="input input-sm flex-1"
          aria-label={direction === "out" ? `Target of a path from ${name}` : `Source of a path to ${name}`}
          value={typed}
          onChange={(event) => {
            setTyped(event.target.value);
            setAt(0);
          }}
          onBlur={(event) => {
            if (!event.relatedTarget?.closest("[role=dialog]")) close();
          }}
          onKeyDown={(event) => {
            if (event.key === "Escape") close();
            else if (event.key === "Enter") choose(matching[at]);
            else if (event.key === "ArrowDown") setAt(Math.min(at + 1, matching.length - 1));
            else if (event.key === "ArrowUp") setAt(Math.max(at - 1, 0));
            else return;
            event.preventDefault();
          }}
        />
      </label>
      <ul className="mt-2 max-h-52 overflow-y-auto">
        {matching.map((other, index) => (
          <li key={other}>
            <button
              className={`w-full rounded-md px-2 py-1 text-left ${index === at ? "bg-base-200 font-semibold" : ""}`}
              onClick={() => choose(other)}
            >
              {other}
            </button>
          </li>
        ))}
        {matching.length === 0 && <li className="px-2 py-1 text-quiet">Nothing of that name is left.</li>}
      </ul>
    </div>
  );
}
