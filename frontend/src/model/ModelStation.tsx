import { ReactFlowProvider } from "@xyflow/react";
import { X } from "lucide-react";
import { lazy, Suspense, useEffect } from "react";
import { Board } from "../board/Board";
import type { StationProps } from "../shared/station";
import { Lens } from "../lens/Lens";
import { Trail } from "../trail/Trail";
import { useBoardKeys } from "../board/boardKeys";
import { Symbol } from "../shared/controls";
import { Dragging } from "../shared/Dragging";
import { typedBefore } from "../desk/typed";
import { list, select, useDesk, write } from "../desk/desk";
import { NamePrompt } from "./NamePrompt";
import { PathPrompt } from "../board/PathPrompt";
import { Proposal } from "../shared/Proposal";
import { Shelf } from "./Shelf";

const Details = lazy(() => import("../parameters/Details"));
const Sentences = lazy(() => import("../sentences/Sentences"));

/** The board with the shelf (or the sentences) and the lens beside it, and the trail under it. */
export default function ModelStation({ project, model, gestures }: StationProps) {
  const listing = useDesk((desk) => desk.listing);
  const writing = useDesk((desk) => desk.writing);
  const looking = useDesk((desk) => !desk.quiet && (desk.selection !== null || desk.group.length > 0));
  useBoardKeys(project, model, gestures);
  // Sentences that were typed and not left when the page went away are shown again.
  useEffect(() => {
    if (typedBefore(model.id.toString())) write(true);
  }, [model.id]);
  return (
    <div className="flex h-full flex-col">
      <Dragging>
        <div className="relative flex min-h-0 flex-1 gap-2 px-4 pb-1 pt-1">
          {writing ? (
            <Suspense fallback={<div className="w-[388px] shrink-0" />}>
              <Sentences key={model.id} {...{ project, model, gestures }} />
            </Suspense>
          ) : (
            <Shelf project={project} model={model} />
          )}
          <div className="relative min-w-0 flex-1">
            <ReactFlowProvider>
              <Board project={project} model={model} gestures={gestures} />
            </ReactFlowProvider>
            <PathPrompt project={project} model={model} gestures={gestures} />
          </div>
          {(!writing || looking) && (
            <div
              className={
                writing
                  ? "absolute bottom-14 right-6 z-30 flex max-h-[62%] rounded-box border border-line bg-base-100 py-3 pl-2 pr-3 shadow-xl"
                  : "flex"
              }
            >
              <Lens project={project} model={model} gestures={gestures} />
              {writing && (
                <span className="absolute right-2 top-2">
                  <Symbol label="Close the lens" size="xs" onClick={() => select(null)}>
                    <X size={14} />
                  </Symbol>
                </span>
              )}
            </div>
          )}
        </div>
      </Dragging>
      <Trail model={model} gestures={gestures} />
      <NamePrompt gestures={gestures} />
      <Proposal model={model} gestures={gestures} />
      {listing && (
        <Suspense>
          <Details model={model} gestures={gestures} close={() => list(false)} />
        </Suspense>
      )}
    </div>
  );
}
