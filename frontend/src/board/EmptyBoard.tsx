import type { ModelState, Project } from "../api/client";
import type { Gestures } from "../api/hooks";
import { rename } from "../model/desk";
import { Primary } from "../shared/controls";
import { constructName } from "../model/Shelf";

interface Props {
  project: Project;
  model: ModelState;
  gestures: Gestures;
}

/** What to do first, in one sentence and one button. */
export function EmptyBoard({ project, model, gestures }: Props) {
  const numeric = new Set(project.columns.filter((c) => c.numeric).map((c) => c.name));
  const first = project.blocks.find((b) => b.stem !== null && b.columns.every((name) => numeric.has(name)));
  const make = () => {
    if (!first?.stem) return;
    const name = constructName(first.stem, model, project);
    void gestures
      .change([{ type: "add_construct", name, indicators: first.columns, mode: "reflective" }])
      .then((state) => state && rename(name));
  };
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
      {first && (
        <Primary className="pointer-events-auto" onClick={make}>
          Make a construct of {first.columns[0]}–{first.columns[first.columns.length - 1]}
        </Primary>
      )}
    </div>
  );
}
