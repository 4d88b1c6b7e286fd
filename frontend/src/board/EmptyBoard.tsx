import { useState } from "react";
import type { ModelState, Project } from "../client/client";
import type { Gestures } from "../api/gestures";
import { BuildHelp } from "../build/BuildHelp";
import { nameConstruct } from "../desk/columns";
import { Action, Primary } from "../shared/controls";

interface Props {
  project: Project;
  model: ModelState;
  gestures: Gestures;
}

/** What to do first, in one sentence and one button; or more at once, by proposals from the names and by shapes. */
export function EmptyBoard({ project, model, gestures }: Props) {
  const [helping, help] = useState(false);
  const numeric = new Set(project.columns.filter((c) => c.numeric).map((c) => c.name));
  const first = project.blocks.find((b) => b.stem !== null && b.columns.every((name) => numeric.has(name)));
  return (
    <div className="pointer-events-none absolute inset-0 z-10 grid place-content-center justify-items-center gap-4 text-center">
      <svg width="150" height="60" viewBox="0 0 150 60" aria-hidden="true">
        <path d="M45 44a30 30 0 0 1 60 0z" className="fill-gold" />
        <path d="M4 44h142" className="stroke-ember" strokeWidth="1.5" />
      </svg>
      <p className="max-w-80 text-[15px]">
        {first
          ? "Drag a block of columns from the shelf onto this plain: it becomes a construct, measured by its columns."
          : "Pick a column on the shelf and press → to lead it to another: columns can be used as they are."}
      </p>
      <div className="pointer-events-auto flex flex-wrap justify-center gap-2">
        {first && (
          <Primary type="button" onClick={() => nameConstruct(first.columns, first.stem, model, project)}>
            Make a construct of {first.columns[0]}–{first.columns[first.columns.length - 1]}
          </Primary>
        )}
        <Action onClick={() => help(true)}>Help me begin…</Action>
      </div>
      <BuildHelp open={helping} close={() => help(false)} {...{ project, model, gestures }} />
    </div>
  );
}
