import { Download } from "lucide-react";
import type { ModelState } from "../api/client";

/** The figure for a paper as it will be saved, and the results document. */
export function ReportStation({ model }: { model: ModelState }) {
  const base = `/api/models/${model.id}`;
  if (!model.results.converged) {
    return (
      <div className="grid h-full place-content-center gap-2 text-center">
        <h1 className="font-serif text-xl font-semibold">Nothing to report yet</h1>
        <p className="text-quiet">Once the model is estimated, its figure and results can be saved here.</p>
      </div>
    );
  }
  const drawn = model.results.bootstrap_summary?.seed ?? "plain";
  const figure = `${base}/figure.svg?revision=${model.revision.id}&drawn=${drawn}-${model.results.settings.bootstrap}`;
  return (
    <div className="flex h-full flex-col gap-3 px-4 pb-3 pt-4">
      <div className="flex items-center gap-3">
        <h1 className="font-serif text-lg font-semibold">The figure as it is saved</h1>
        <span className="flex-1" />
        <a className="btn btn-primary btn-sm" href={`${base}/figure.svg`} download data-testid="save-figure">
          <Download size={14} /> Figure (SVG)
        </a>
        <a className="btn btn-sm" href={`${base}/results.json`} download data-testid="save-results">
          <Download size={14} /> Results (JSON)
        </a>
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
