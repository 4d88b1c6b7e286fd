import { ArrowDown, ArrowUp, X } from "lucide-react";
import type { Step } from "../client/client";
import { Heading, LINK, Symbol } from "../shared/controls";
import type { Steps } from "../desk/steps";

/** The recorded steps in order: each can be switched off, moved or taken out; the imported file stays as it is. */
export function StepsPanel({ steps, projectId }: { steps: Steps; projectId: number }) {
  const lines = steps.part?.steps ?? [];
  const move = (from: number, to: number) => {
    const next = [...steps.steps];
    const [moved] = next.splice(from, 1);
    if (moved) next.splice(to, 0, moved);
    void steps.set(next);
  };
  const replace = (at: number, step: Step | null) =>
    void steps.set(steps.steps.flatMap((old, index) => (index === at ? (step ? [step] : []) : [old])));
  return (
    <section aria-label="Recorded steps" className="mt-4">
      <Heading>recorded steps</Heading>
      {lines.length === 0 && (
        <p className="text-quiet">
          None yet. What you do to columns and cases is recorded here; the file itself is never changed.
        </p>
      )}
      <ol>
        {lines.map((line, at) => (
          <li key={at} className="group flex items-start gap-2 border-b border-line/40 py-1">
            <input
              type="checkbox"
              className="checkbox checkbox-xs mt-0.5"
              aria-label={`Step ${at + 1} is on: ${line.words}`}
              checked={line.step.on}
              disabled={steps.busy}
              onChange={(event) => replace(at, { ...line.step, on: event.target.checked })}
            />
            <span className={`min-w-0 flex-1 break-words ${line.step.on ? "" : "text-quiet line-through"}`}>
              {line.words}
            </span>
            <span className="flex opacity-0 focus-within:opacity-100 group-hover:opacity-100">
              <Symbol
                size="xs"
                label={`Move up: ${line.words}`}
                disabled={at === 0 || steps.busy}
                onClick={() => move(at, at - 1)}
              >
                <ArrowUp size={12} />
              </Symbol>
              <Symbol
                size="xs"
                label={`Move down: ${line.words}`}
                disabled={at === lines.length - 1 || steps.busy}
                onClick={() => move(at, at + 1)}
              >
                <ArrowDown size={12} />
              </Symbol>
              <Symbol
                size="xs"
                label={`Take out: ${line.words}`}
                disabled={steps.busy}
                onClick={() => replace(at, null)}
              >
                <X size={12} />
              </Symbol>
            </span>
          </li>
        ))}
      </ol>
      {steps.fault && (
        <p role="alert" className="mt-2 border-l-2 border-plum pl-2.5">
          {steps.fault}
        </p>
      )}
      {lines.length > 0 && (
        <a className={`mt-1.5 inline-block text-sm ${LINK}`} href={`/api/projects/${projectId}/steps.json`}>
          Save the steps as a file
        </a>
      )}
    </section>
  );
}
