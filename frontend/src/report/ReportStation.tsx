import { Download } from "lucide-react";
import { useState } from "react";
import { useEstimates } from "../api/hooks";
import type { StationProps } from "../frame/stations";
import { NothingYet, OneOf, TextButton } from "../shared/controls";
import { EXPORTS } from "./exports";
import { FigureChoices, type Options } from "./FigureChoices";

const WHOLE = "whole";
const keyOf = (one: { source: string; outcome: string }) => `${one.source}\u0000${one.outcome}`;

const pairOf = (pair: { source: string; outcome: string } | undefined): Record<string, string> =>
  pair ? { source: pair.source, outcome: pair.outcome } : {};

/** The figure for a paper as it will be saved, of the model or of one mediation, and the results document. */
export default function ReportStation({ model, gestures }: StationProps) {
  const [chosen, choose] = useState(WHOLE);
  const [options, setOptions] = useState<Options>(model.view.figure);
  const effects = useEstimates(model).data?.effects ?? [];
  if (!model.estimated) {
    return (
      <NothingYet title="Nothing to report yet">
        Once the model is estimated, its figure and results can be saved here.
      </NothingYet>
    );
  }
  const sent = model.view.pictures ?? [];
  const drawable = sent.filter((one) => effects.some((e) => e.from === one.source && e.to === one.outcome));
  const pair = drawable.find((one) => keyOf(one) === chosen);
  const { shown } = model;
  const stamp = `revision=${model.revision.id}&run=${shown?.so_far ? "" : (shown?.run ?? "")}`;
  const asked = new URLSearchParams({ ...pairOf(pair), options: JSON.stringify(options) }).toString();
  const figure = `/api/models/${model.id}/figure.svg?${stamp}&${asked}`;
  return (
    <div className="flex h-full flex-col gap-3 px-4 pb-3 pt-4">
      <div className="flex items-center gap-3">
        <h1 className="font-serif text-lg font-semibold">The figure as it is saved</h1>
        {drawable.length > 0 && (
          <OneOf
            label="What is drawn"
            value={pair ? chosen : WHOLE}
            set={choose}
            choices={[
              { key: WHOLE, words: "the whole model" },
              ...drawable.map((one) => ({ key: keyOf(one), words: `${one.source} to ${one.outcome}` })),
            ]}
          />
        )}
        {pair && (
          <TextButton
            className="text-sm"
            onClick={() =>
              void gestures.pictures(
                model,
                sent.filter((one) => one !== pair),
              )
            }
          >
            Take it out
          </TextButton>
        )}
        <span className="flex-1" />
        {EXPORTS.filter((one) => one.offered === "report").map((one, at) => (
          <a
            key={one.key}
            className={`btn btn-sm ${at === 0 ? "btn-primary" : ""}`}
            href={one.key.startsWith("figure") ? `${one.href(model)}?${asked}` : one.href(model)}
            download
            data-testid={`save-${one.key}`}
          >
            <Download size={14} /> {at === 0 || !one.key.startsWith("figure") ? `${one.words} ` : ""}
            {one.ending.toUpperCase()}
          </a>
        ))}
      </div>
      <div className="flex min-h-0 flex-1 gap-4">
        <div className="min-h-0 flex-1 overflow-hidden rounded-box bg-white p-4">
          <img
            src={figure}
            alt={
              pair
                ? `Path diagram of what ${pair.source} does to ${pair.outcome}`
                : "Path diagram with standardized estimates"
            }
            className="h-full w-full object-contain"
          />
        </div>
        <FigureChoices
          options={options}
          set={(next) => {
            setOptions(next);
            void gestures.figure(model, next);
          }}
        />
      </div>
      <p className="text-sm text-quiet">
        Ellipses are constructs, rectangles are columns. Pictures of single mediations are sent here from
        Effects. Tables, text and other formats for documents are not built yet.
      </p>
    </div>
  );
}
