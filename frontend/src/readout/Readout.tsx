import type { ModelState, ReadoutFigure } from "../api/client";
import { useCriterion } from "../api/hooks";
import { sheetOpen } from "../model/desk";
import { Action, Explained } from "../shared/controls";
import { Floating } from "../shared/Floating";
import { Glyph } from "../shared/Glyph";

/** The strip of key figures that is always in view, each with its verdict and its change since the last revision. */
export function Readout({ model }: { model: ModelState }) {
  const stale = !model.estimated;
  return (
    <section aria-label="Key figures" className="relative flex h-[64px] shrink-0 items-stretch px-4 pt-2">
      {model.readout.map((figure) => (
        <Figure key={figure.key} figure={figure} stale={stale} />
      ))}
    </section>
  );
}

const ARROWS = { up: "▲", down: "▼" } as const;

function Figure({ figure, stale }: { figure: ReadoutFigure; stale: boolean }) {
  const known = figure.value !== null;
  return (
    <div className="min-w-0" style={{ flexGrow: figure.detail ? 1.5 : 1, flexBasis: 0 }}>
      <Floating
        title={`${figure.label}: what it is and where its cut-offs come from`}
        label={figure.label}
        testid={`readout-${figure.key}`}
        className="block w-full rounded-md px-1 text-left hover:bg-base-200"
        panel="w-72 p-4 text-sm"
        button={
          <>
            <span className="block text-sm text-quiet">{figure.label}</span>
            <span className={`flex items-baseline gap-1.5 whitespace-nowrap ${stale ? "opacity-45" : ""}`}>
              {known && <Glyph verdict={figure.verdict} words={figure.verdict_words} />}
              <span className="text-[19px] font-semibold leading-6">{figure.text}</span>
              <span className="truncate text-sm text-quiet">{figure.detail}</span>
            </span>
            <span className="block h-4 text-xs text-quiet">
              {!stale && figure.direction && figure.direction !== "same"
                ? `${ARROWS[figure.direction]} ${figure.change_text}`
                : ""}
            </span>
          </>
        }
      >
        {(close) => <Definition figure={figure} close={close} />}
      </Floating>
    </div>
  );
}

function Definition({ figure, close }: { figure: ReadoutFigure; close: () => void }) {
  const criterion = useCriterion(figure.criterion);
  if (!criterion) return null;
  const mark = criterion.better === "higher" ? "≥" : criterion.strict ? "<" : "≤";
  return (
    <>
      <p className="mb-2 font-semibold">{figure.verdict_words}</p>
      <p>{criterion.definition}</p>
      <p className="mt-2 font-mono text-xs">{criterion.formula}</p>
      {criterion.good !== null && (
        <p className="mt-2 flex items-center gap-1.5">
          <Glyph verdict="meets" /> {mark} {criterion.good}
          {criterion.tolerable !== null && (
            <>
              <Glyph verdict="borderline" /> {mark} {criterion.tolerable}
            </>
          )}
        </p>
      )}
      <p className="mt-1 text-quiet">
        {criterion.source}
        {criterion.cut_off_source && ` · cut-offs ${criterion.cut_off_source}`}
      </p>
      <p className="mt-1">
        <Explained page={criterion.page}>How it is computed</Explained>
      </p>
      <p className="mt-3 flex gap-2">
        <Action
          size="xs"
          onClick={() => {
            close();
            sheetOpen(true);
          }}
        >
          Change cut-offs…
        </Action>
        <Action size="xs" onClick={close}>
          Close
        </Action>
      </p>
    </>
  );
}
