import { Spline, Tags } from "lucide-react";
import { useState, type ReactNode } from "react";
import type { ModelState, Project } from "../client/client";
import type { Gestures } from "../api/gestures";
import { BuildHelp } from "../build/BuildHelp";
import { list, setLabels, useDesk, write } from "../desk/desk";
import { Action } from "../shared/controls";
import { Floating } from "../shared/Floating";

interface Props {
  project: Project;
  model: ModelState;
  gestures: Gestures;
  fit: () => void;
  pins: Record<string, { x: number; y: number }>;
}

/** What can be done with the board as a whole, along its foot. */
export function BoardBar({ project, model, gestures, fit, pins }: Props) {
  const [helping, help] = useState(false);
  const { view, settings } = model;
  const writing = useDesk((desk) => desk.writing);
  const measurement = settings.part === "measurement";
  const known = model.board.arcs.length + model.board.hidden_arcs > 0;
  return (
    <div className="absolute bottom-2.5 left-3 right-3 z-10 flex flex-wrap gap-1 [&_.btn]:px-[7px]">
      {model.board.cards.length > 0 && (
        <>
          <Switch
            label="What is estimated"
            choices={[
              {
                on: measurement,
                words: "Measurement",
                title: "Constructs and indicators alone: all constructs covary, the paths wait",
              },
              { on: !measurement, words: "Structure", title: "Measurement and paths together" },
            ]}
            set={(at) => void gestures.settings({ ...settings, part: at === 0 ? "measurement" : "whole" })}
          />
          <Action
            size="xs"
            className="bg-card"
            title="Let all cards arrange themselves (R)"
            onClick={() => void gestures.pin({}, pins).then(fit)}
          >
            Arrange
          </Action>
          <Action size="xs" className="bg-card" title="Show the whole model (0)" onClick={fit}>
            Whole model
          </Action>
          <Action
            size="xs"
            className={`bg-card ${view.arcs ? "text-ember" : ""}`}
            aria-pressed={view.arcs ?? false}
            disabled={!known}
            title="Covariances of constructs, disturbances and residuals (V)"
            onClick={() => void gestures.look({ arcs: !view.arcs })}
          >
            <Spline size={12} /> Covariances
          </Action>
          {model.controls.length > 0 && (
            <Action
              size="xs"
              className={`bg-card ${view.controls === false ? "" : "text-ember"}`}
              aria-pressed={view.controls !== false}
              title={`Controls on the board: ${model.controls.join(", ")}`}
              onClick={() => void gestures.look({ controls: view.controls === false })}
            >
              Controls
            </Action>
          )}
          <LabelsMenu />
        </>
      )}
      <span className="flex-1" />
      {model.board.cards.length > 1 && model.paths.length === 0 && (
        <Action
          size="xs"
          className="bg-card text-ember"
          title="Turn the measurement model into a structure: only the paths are asked for"
          onClick={() => help(true)}
        >
          Add the paths…
        </Action>
      )}
      <BuildHelp open={helping} close={() => help(false)} begin="paths" {...{ project, model, gestures }} />
      {!writing && (
        <Action
          size="xs"
          className="bg-card"
          title="The model as text, beside the board (S)"
          onClick={() => write(true)}
        >
          Sentences
        </Action>
      )}
      {model.board.cards.length > 0 && (
        <Action
          size="xs"
          className="bg-card"
          title="Every loading, path, covariance and variance in one table (P)"
          disabled={!model.estimated}
          onClick={() => list(true)}
        >
          All parameters
        </Action>
      )}
    </div>
  );
}

function Switch(props: {
  label: string;
  choices: { on: boolean; words: string; title: string }[];
  set: (at: number) => void;
}) {
  return (
    <div className="flex rounded-[0.6rem] bg-card p-px" role="group" aria-label={props.label}>
      {props.choices.map((choice, at) => (
        <button
          key={choice.words}
          type="button"
          className={`h-[22px] rounded-[0.55rem] px-2 text-xs font-semibold ${choice.on ? "bg-base-300" : "text-quiet hover:text-base-content"}`}
          aria-pressed={choice.on}
          title={choice.title}
          onClick={() => !choice.on && props.set(at)}
        >
          {choice.words}
        </button>
      ))}
    </div>
  );
}

function LabelsMenu() {
  const labels = useDesk((desk) => desk.labels);
  return (
    <Floating
      title="How numbers on the board are written"
      label="Labels"
      className="btn btn-xs border-none bg-card"
      panel="bottom-full !top-auto mb-1 w-56 p-3 text-sm"
      button={
        <>
          <Tags size={12} /> Labels
        </>
      }
    >
      {() => (
        <div className="space-y-1.5">
          <Tick on={labels.standardized} set={(standardized) => setLabels({ standardized })}>
            Standardized
          </Tick>
          <Tick on={labels.intervals} set={(intervals) => setLabels({ intervals })}>
            With their intervals
          </Tick>
          <Tick on={labels.decimals === 3} set={(three) => setLabels({ decimals: three ? 3 : 2 })}>
            Three decimals
          </Tick>
        </div>
      )}
    </Floating>
  );
}

function Tick({ on, set, children }: { on: boolean; set: (on: boolean) => void; children: ReactNode }) {
  return (
    <label className="flex items-center gap-2">
      <input
        type="checkbox"
        className="checkbox checkbox-xs"
        checked={on}
        onChange={(event) => set(event.target.checked)}
      />
      {children}
    </label>
  );
}
