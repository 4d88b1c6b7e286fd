import { useState } from "react";
import type { ModelState, ReadoutFigure } from "../api/client";
import { useCriteria } from "../api/hooks";
import { Glyph } from "../shared/Glyph";

/** The strip of key figures that is always in view, each with its verdict and its change since the last revision. */
export function Readout({ model }: { model: ModelState }) {
  const [open, setOpen] = useState<string | null>(null);
  const stale = !model.results.converged;
  return (
    <section aria-label="Key figures" className="relative flex h-[64px] shrink-0 items-stretch px-4 pt-2">
      {model.readout.map((figure) => (
        <Figure
          key={figure.key}
          figure={figure}
          stale={stale}
          open={open === figure.key}
          toggle={() => setOpen(open === figure.key ? null : figure.key)}
          close={() => setOpen(null)}
        />
      ))}
    </section>
  );
}

interface FigureProps {
  figure: ReadoutFigure;
  stale: boolean;
  open: boolean;
  toggle: () => void;
  close: () => void;
}

const ARROWS = { up: "▲", down: "▼" } as const;

function Figure({ figure, stale, open, toggle, close }: FigureProps) {
  const known = figure.value !== null;
  return (
    <div className="relative min-w-0" style={{ flexGrow: figure.detail ? 1.5 : 1, flexBasis: 0 }}>
      <button
        className="block w-full rounded-md px-1 text-left hover:bg-base-200"
        aria-expanded={open}
        data-testid={`readout-${figure.key}`}
        onClick={toggle}
        onKeyDown={(event) => event.key === "Escape" && close()}
      >
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
      </button>
      {open && <Definition figure={figure} close={close} />}
    </div>
  );
}

function Definition({ figure, close }: { figure: ReadoutFigure; close: () => void }) {
  const criteria = useCriteria();
  const criterion = criteria.data?.criteria.find((c) => c.key === figure.key);
  if (!criterion) return null;
  const mark = criterion.better === "higher" ? "≥" : criterion.strict ? "<" : "≤";
  return (
    <div className="absolute left-0 top-full z-30 w-72 rounded-box bg-card p-4 text-sm shadow-lg" role="note">
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
      <a
        className="mt-1 block font-semibold text-ember hover:underline"
        href={figure.key === "lowest_ave" ? "/methods/quality" : "/methods/fit"}
        target="_blank"
      >
        How it is computed
      </a>
      <button className="btn btn-xs mt-3" onClick={close}>
        Close
      </button>
    </div>
  );
}
