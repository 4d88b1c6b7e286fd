import { ListChecks } from "lucide-react";
import type { ModelState, ReadoutFigure } from "../client/client";
import type { Gestures } from "../api/gestures";
import { useChoices, useCriteria, useCriterion } from "../api/hooks";
import { sheetOpen } from "../desk/desk";
import { Action, Explained } from "../shared/controls";
import { Floating } from "../shared/Floating";
import { Glyph } from "../shared/Glyph";

/** The strip of key figures that is always in view, each with its verdict and its change since the last revision. */
export function Readout({ model, gestures }: { model: ModelState; gestures: Gestures }) {
  const stale = !model.estimated;
  return (
    <section aria-label="Key figures" className="relative flex h-[64px] shrink-0 items-stretch px-4 pt-2">
      {model.readout.map((figure) => (
        <Figure key={figure.key} figure={figure} stale={stale} />
      ))}
      <Choosing model={model} gestures={gestures} />
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

const MOST = 8;

/** Which figures stand there, of those that the family has. */
function Choosing({ model, gestures }: { model: ModelState; gestures: Gestures }) {
  const criteria = useCriteria();
  const key = model.settings.family ?? "";
  const family = useChoices()?.families.find((one) => one.key === key);
  if (!family) return null;
  const own = model.view.figures?.[key] ?? [];
  const chosen = own.length > 0 ? own : family.readout;
  const toggle = (figure: string) => {
    const next = family.figures.filter((one) => chosen.includes(one) !== (one === figure));
    void gestures.figures(key, next);
  };
  return (
    <Floating
      title="Choose the figures that stand here"
      label="Figures of the readout"
      anchor="right"
      className="btn btn-ghost btn-xs btn-square self-start"
      panel="w-56 p-4"
      button={<ListChecks size={14} aria-label="Choose the figures that stand here" />}
    >
      {() => (
        <>
          <p className="mb-2 text-sm text-quiet">
            Up to {MOST} figures of {family.words}
          </p>
          {family.figures.map((figure) => (
            <label key={figure} className="flex items-center gap-2 py-0.5">
              <input
                type="checkbox"
                className="checkbox checkbox-xs"
                checked={chosen.includes(figure)}
                disabled={chosen.includes(figure) ? chosen.length === 1 : chosen.length >= MOST}
                onChange={() => toggle(figure)}
              />
              {figure === "r_squared" ? "R² of the outcomes" : criteria.get(figure)?.label}
            </label>
          ))}
          {own.length > 0 && (
            <Action size="xs" className="mt-2" onClick={() => void gestures.figures(key, [])}>
              As they were
            </Action>
          )}
        </>
      )}
    </Floating>
  );
}
