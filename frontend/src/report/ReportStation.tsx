import { Download } from "lucide-react";
import type { StationProps } from "../frame/stations";
import { NothingYet } from "../shared/controls";
import { EXPORTS } from "./exports";

/** The figure for a paper as it will be saved, and the results document. */
export default function ReportStation({ model }: StationProps) {
  if (!model.estimated) {
    return (
      <NothingYet title="Nothing to report yet">
        Once the model is estimated, its figure and results can be saved here.
      </NothingYet>
    );
  }
  const figure = `/api/models/${model.id}/figure.svg?revision=${model.revision.id}&run=${model.shown?.so_far ? "" : (model.shown?.run ?? "")}`;
  return (
    <div className="flex h-full flex-col gap-3 px-4 pb-3 pt-4">
      <div className="flex items-center gap-3">
        <h1 className="font-serif text-lg font-semibold">The figure as it is saved</h1>
        <span className="flex-1" />
        {EXPORTS.filter((one) => one.offered === "report").map((one, at) => (
          <a
            key={one.key}
            className={`btn btn-sm ${at === 0 ? "btn-primary" : ""}`}
            href={one.href(model)}
            download
            data-testid={`save-${one.key}`}
          >
            <Download size={14} /> {one.words} ({one.ending.toUpperCase()})
          </a>
        ))}
      </div>
      <div className="min-h-0 flex-1 overflow-hidden rounded-box bg-white p-4">
        <img
          src={figure}
          alt="Path diagram with standardized estimates"
          className="h-full w-full object-contain"
        />
      </div>
      <p className="text-sm text-quiet">
        Ellipses are constructs, rectangles are columns. Tables, text and other formats for documents are not
        built yet.
      </p>
    </div>
  );
}
