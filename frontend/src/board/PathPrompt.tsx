import { Combobox, ComboboxInput, ComboboxOption, ComboboxOptions } from "@headlessui/react";
import { useState } from "react";
import type { ModelState, Project } from "../client/client";
import type { Gestures } from "../api/gestures";
import { propose, select, startPath, useDesk, type PathStart } from "../desk/desk";

interface Props {
  project: Project;
  model: ModelState;
  gestures: Gestures;
}

/** Drawing a path by keyboard: type the first letters of the other end, Enter. */
export function PathPrompt({ project, model, gestures }: Props) {
  const start = useDesk((desk) => desk.pathFrom);
  if (!start) return null;
  return <Prompt key={`${start.name}${start.direction}`} {...{ project, model, gestures, start }} />;
}

/** What a path can still lead to, or come from: constructs, observed variables, and columns that nothing owns. */
function otherEnds({ name, direction }: PathStart, model: ModelState, project: Project): string[] {
  const owned = new Set(
    model.constructs.flatMap((c) => [...c.indicators, ...c.aside.map((a) => a.indicator)]),
  );
  if (direction === "with") return partners(name, model);
  const existing = new Set(
    model.paths
      .filter((p) => (direction === "out" ? p.source : p.target) === name)
      .map((p) => (direction === "out" ? p.target : p.source)),
  );
  const columns = project.columns.filter((c) => c.numeric && !owned.has(c.name) && c.level !== "identifier");
  const all = [...model.constructs.map((c) => c.name), ...model.observed, ...columns.map((c) => c.name)];
  return [...new Set(all)].filter((other) => other !== name && !existing.has(other));
}

/** What a name can covary with: indicators with indicators by their residuals, constructs and observed variables with each other. */
export function partners(name: string, model: ModelState): string[] {
  const said = new Set(
    model.board.arcs
      .filter((arc) => arc.said && arc.free)
      .flatMap((arc) => (arc.from === name ? [arc.to] : arc.to === name ? [arc.from] : [])),
  );
  const items = model.constructs.filter((c) => c.mode === "reflective").flatMap((c) => c.indicators);
  const nodes = [
    ...model.constructs.filter((c) => c.mode === "reflective").map((c) => c.name),
    ...model.observed,
  ];
  const kin = nodes.includes(name) ? nodes : items.includes(name) ? items : [];
  return [...new Set(kin)].filter((other) => other !== name && !said.has(other));
}

/** Letting two names covary, asked first like everything that correlates. */
export function proposeCovariance(first: string, second: string, prompted: "own" | "data" = "own") {
  propose({
    question: `Let ${first} and ${second} covary?`,
    verb: "Let them covary",
    changes: [{ type: "set_covariance", first, second, free: true }],
    prompted,
    then: { kind: "covariance", first, second },
  });
}

/** Names that begin with what was typed, then those that hold it. */
function matching(names: string[], typed: string): string[] {
  const wanted = typed.trim().toLowerCase();
  const begins = (name: string) => name.toLowerCase().startsWith(wanted);
  const holds = (name: string) => name.toLowerCase().includes(wanted);
  return [...names.filter(begins), ...names.filter((name) => !begins(name) && holds(name))];
}

function Prompt({ project, model, gestures, start }: Props & { start: PathStart }) {
  const [typed, setTyped] = useState("");
  const { name, direction } = start;
  const found = matching(otherEnds(start, model, project), typed);
  const close = () => startPath(null);
  const choose = (other: string | null) => {
    close();
    if (!other) return;
    if (direction === "with") return proposeCovariance(name, other);
    const path = direction === "out" ? { source: name, target: other } : { source: other, target: name };
    void gestures.change([{ type: "add_path", ...path }]);
    select({ kind: "path", ...path });
  };
  return (
    <div
      className="absolute left-1/2 top-4 z-20 w-72 -translate-x-1/2 rounded-box bg-card p-3 shadow-lg"
      role="dialog"
      aria-label={direction === "with" ? "New covariance" : "New path"}
    >
      <Combobox immediate onChange={choose} onClose={close}>
        <label className="flex items-center gap-2">
          <span className="max-w-32 truncate font-serif font-semibold">
            {direction === "out" ? `${name} →` : direction === "in" ? `→ ${name}` : `${name} &`}
          </span>
          <ComboboxInput
            autoFocus
            className="input input-sm flex-1"
            aria-label={
              direction === "out"
                ? `Target of a path from ${name}`
                : direction === "in"
                  ? `Source of a path to ${name}`
                  : `What ${name} covaries with`
            }
            onChange={(event) => setTyped(event.target.value)}
            onKeyDown={(event) => event.key === "Escape" && close()}
          />
        </label>
        <ComboboxOptions static className="mt-2 max-h-52 overflow-y-auto">
          {found.map((other) => (
            <ComboboxOption
              key={other}
              value={other}
              className="cursor-pointer rounded-md px-2 py-1 data-focus:bg-base-200 data-focus:font-semibold"
            >
              {other}
            </ComboboxOption>
          ))}
          {found.length === 0 && <p className="px-2 py-1 text-quiet">Nothing of that name is left.</p>}
        </ComboboxOptions>
      </Combobox>
    </div>
  );
}
