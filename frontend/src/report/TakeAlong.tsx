import { Download } from "lucide-react";
import { useState } from "react";
import type { ModelState } from "../client/client";
import { EXPORTS, type Export } from "../shared/exports";
import { figureAddress } from "./Page";
import type { ReportOptions } from "../desk/figures";
import { Finished } from "./Finished";

const LINES = ["to write", "the figure", "the numbers", "to hand over"] as const;
const LAST = "dusk-arrow-last-export";

/** Files to take along: one click saves; the filled button does again what was saved last. */
export function TakeAlong(props: {
  model: ModelState;
  options: ReportOptions;
  stamp: string;
  figure: string | undefined;
}) {
  const { model, options, stamp, figure } = props;
  const [last, setLast] = useState(localStorage.getItem(LAST) ?? "report-docx");
  const drawn = options.figures.find((one) => one.key === figure)?.options;
  const address = (one: Export) =>
    one.offered === "the figure" && figure
      ? figureAddress(model, figure, one.ending, drawn, stamp)
      : one.href(model);
  const remember = (one: Export) => {
    localStorage.setItem(LAST, one.key);
    setLast(one.key);
  };
  const again = EXPORTS.find((one) => one.key === last && one.offered !== "estimates") ?? EXPORTS[0];
  return (
    <section className="shrink-0 border-t border-line pt-1.5" aria-label="Take it along">
      <h2 className="mb-1 font-serif text-lg font-semibold">Take it along</h2>
      {LINES.map((line) => (
        <div key={line} className="flex gap-2 py-0.5 text-sm">
          <span className="w-22 shrink-0 text-quiet">{line}</span>
          <span className="flex flex-wrap gap-x-3">
            {EXPORTS.filter((one) => one.offered === line).map((one) => (
              <a
                key={one.key}
                className="font-semibold text-ember hover:underline"
                href={address(one)}
                download
                title={one.holds ?? one.words}
                aria-label={`${one.words}, .${one.ending}`}
                data-testid={`save-${one.key}`}
                onClick={() => remember(one)}
              >
                {one.name ?? one.ending}
              </a>
            ))}
          </span>
        </div>
      ))}
      <details className="ml-24 text-sm text-quiet">
        <summary className="cursor-pointer">which holds what</summary>
        <dl className="mb-1 text-xs leading-[15px]">
          {EXPORTS.filter((one) => one.holds).map((one) => (
            <div key={one.key}>
              <dt className="inline font-semibold text-base-content">{one.name}: </dt>
              <dd className="inline">{one.holds}</dd>
            </div>
          ))}
        </dl>
      </details>
      <Finished model={model} />
      <p className="mt-1.5 flex items-center gap-3 text-sm">
        {again && (
          <a className="btn btn-primary btn-sm" href={address(again)} download data-testid="save-again">
            <Download size={14} /> {again.words}
          </a>
        )}
        <a
          className="font-semibold text-ember hover:underline"
          href={`data:application/json,${encodeURIComponent(JSON.stringify(options))}`}
          download="report-options.json"
          title="for ./dusk fit --report-options"
        >
          All choices
        </a>
      </p>
    </section>
  );
}
