import { useState } from "react";
import { useReport } from "../api/hooks";
import { useKeys } from "../shared/keys";
import type { StationProps } from "../shared/station";
import { NothingYet } from "../shared/controls";
import { Contents } from "./Contents";
import { FigureChoices } from "./FigureChoices";
import {
  asChosen,
  choiceOf,
  movedBy,
  type Choosing,
  type FigureOptions,
  type ReportOptions,
} from "../desk/figures";
import { Page } from "./Page";
import { PartChoices } from "./PartChoices";
import { TakeAlong } from "./TakeAlong";

/** What goes in, the page as it is printed, and how the selected part looks; below that, the files to take along. */
export default function ReportStation({ model, gestures }: StationProps) {
  const options = model.report;
  const [chosen, choose] = useState("figure");
  const report = useReport(model).data;
  useKeys({
    "save-again": () => document.querySelector<HTMLElement>("[data-testid=save-again]")?.click(),
    "to-the-page": () => document.querySelector<HTMLElement>("[aria-label='The page']")?.focus(),
  });
  if (!model.estimated) {
    return (
      <NothingYet title="Nothing to report yet">
        Estimate a model and its report is ready: figures, tables and words, on pages and as files.
      </NothingYet>
    );
  }
  /** From what is chosen by now, which may be more than what was drawn last. */
  const set = (change: Choosing) => void gestures.report(change);
  const figure = options.figures.find((one) => one.key === chosen);
  const setFigure = (key: string, drawn: FigureOptions) =>
    set((now) => ({
      ...now,
      figures: now.figures.map((one) => (one.key === key ? { ...one, options: drawn } : one)),
    }));
  const partsOf = (now: ReportOptions) => asChosen(report?.offered ?? [], now.parts);
  const offered = partsOf(options);
  const setPart = (key: string, change: { shown?: boolean; title?: string | null }) =>
    report &&
    set((now) => ({
      ...now,
      parts: partsOf(now).map((one) => ({ ...choiceOf(one), ...(one.key === key ? change : {}) })),
    }));
  const move = (key: string, to: number) => set((now) => ({ ...now, parts: movedBy(partsOf(now), key, to) }));
  const stamp = `${model.revision.id}-${model.shown?.so_far ? "" : (model.shown?.run ?? "")}`;
  const block = report?.blocks.find((one) => one.key === chosen);
  return (
    <div className="flex h-full gap-4 px-4 pt-3">
      <Contents {...{ model, options, set, setPart, move, chosen, choose }} offered={offered} />
      <Page {...{ model, report, options, gestures, setFigure, chosen, choose, stamp }} />
      <aside className="flex w-66 shrink-0 flex-col pb-2" aria-label="How it looks">
        <div className="min-h-0 flex-1 overflow-y-auto">
          {figure && block?.kind === "figure" ? (
            <FigureChoices
              {...{ model, block, stamp }}
              key={figure.key}
              figure={figure}
              set={(drawn) => setFigure(figure.key, drawn)}
            />
          ) : (
            <PartChoices {...{ options, set, setPart }} block={block} />
          )}
        </div>
        <TakeAlong {...{ model, options, stamp }} figure={figure?.key ?? options.figures[0]?.key} />
      </aside>
    </div>
  );
}
