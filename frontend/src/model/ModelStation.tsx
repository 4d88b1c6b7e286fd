import { ReactFlowProvider } from "@xyflow/react";
import { lazy, Suspense, useEffect } from "react";
import type { ModelState } from "../api/client";
import type { Gestures } from "../api/hooks";
import { Board } from "../board/Board";
import type { StationProps } from "../frame/stations";
import { Lens } from "../lens/Lens";
import { list, pathStart, rename, select, startPath, useDesk } from "./desk";
import { PathPrompt } from "./PathPrompt";
import { Shelf } from "./Shelf";

const Details = lazy(() => import("../parameters/Details"));

/** The board with the shelf and the lens beside it. */
export default function ModelStation({ project, model, gestures }: StationProps) {
  const listing = useDesk((desk) => desk.listing);
  useBoardKeys(model, gestures);
  return (
    <div className="flex h-full gap-2 px-4 pb-2 pt-1">
      <Shelf project={project} model={model} gestures={gestures} />
      <div className="relative min-w-0 flex-1">
        <ReactFlowProvider>
          <Board project={project} model={model} gestures={gestures} />
        </ReactFlowProvider>
        <PathPrompt project={project} model={model} gestures={gestures} />
      </div>
      <Lens project={project} model={model} gestures={gestures} />
      {listing && (
        <Suspense>
          <Details model={model} gestures={gestures} close={() => list(false)} />
        </Suspense>
      )}
    </div>
  );
}

/** Whether keys pressed there are meant for the board: on it, on the shelf, or nowhere in particular. */
function onBoard(target: HTMLElement): boolean {
  return target === document.body || target.closest("[aria-label='Board'], [aria-label='Shelf']") !== null;
}

/** Keys of the board: P lists all parameters, → and ← start a path, F2 renames, Delete removes, Escape lets go. */
function useBoardKeys(model: ModelState, gestures: Gestures) {
  useEffect(() => {
    function onKey(event: KeyboardEvent) {
      const target = event.target as HTMLElement;
      const { selection, listing } = useDesk.getState();
      if (target.closest("input, textarea, select") || event.ctrlKey || event.metaKey || event.altKey) return;
      // Keys belong to what has the focus: what lies over the board keeps them, and nothing hidden is changed by them.
      if (listing ? event.key.toLowerCase() !== "p" : !onBoard(target)) return;
      const start = pathStart(selection);
      if (event.key === "ArrowRight" && start) startPath({ name: start, direction: "out" });
      else if (event.key === "ArrowLeft" && start) startPath({ name: start, direction: "in" });
      else if (event.key.toLowerCase() === "p" && model.estimated) list(!listing);
      else if (event.key === "F2" && selection?.kind === "construct") rename(selection.name);
      else if (event.key === "Escape") {
        startPath(null);
        select(null);
      } else if ((event.key === "Delete" || event.key === "Backspace") && selection) {
        if (selection.kind === "path") {
          void gestures.change([{ type: "remove_path", source: selection.source, target: selection.target }]);
        } else if (selection.kind === "construct") {
          void gestures.change([{ type: "remove_construct", name: selection.name }]);
        } else if (selection.kind === "observed") {
          void gestures.change([{ type: "remove_observed", name: selection.name }]);
        } else return;
        select(null);
      } else return;
      event.preventDefault();
    }
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [gestures, model]);
}
