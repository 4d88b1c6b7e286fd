import { useState } from "react";
import type { ModelState, Schemas } from "../client/client";
import { useListed, useProject, useThorough, useTrail } from "../api/hooks";
import { useSteps, type Steps } from "../desk/steps";
import { propose } from "../desk/desk";
import { Action, Explained, Primary, Quiet, TextButton } from "./controls";
import { coefficient, plain, written } from "./numbers";
import { Table } from "./Table";

const SEED = 1;

/** The columns of the model, whose answers a case needs to belong to a half. */
function columnsOf(model: ModelState): string[] {
  const names = new Set(model.constructs.map((c) => c.name));
  return [...new Set([...model.constructs.flatMap((c) => c.indicators), ...model.observed])].filter(
    (name) => !names.has(name),
  );
}

function holdOut(steps: Steps, model: ModelState) {
  return steps.add({
    type: "hold_out_half",
    columns: columnsOf(model),
    seed: SEED,
    opened: false,
    half: "first",
    reason: "to test the model once on cases that it was not made with",
    on: true,
  });
}

/** Offered at the first change that comes from these data: half of the cases kept unseen, to be asked once at the end. */
export function OfferHalf({ model }: { model: ModelState }) {
  const trail = useTrail(model).data;
  const steps = useSteps(model.project_id);
  const way = new Set(trail?.way);
  const before = trail?.revisions.filter((r) => r.prompted === "data" && way.has(r.id)).length ?? 0;
  const cases = useProject(model.project_id).data?.n_cases ?? 0;
  if (!trail || trail.half || before > 0 || cases === 0 || !model.estimated) return null;
  return (
    <p className="mt-3 border-t border-line pt-2 text-sm text-quiet">
      This would be the first change that comes from these data.{" "}
      <TextButton
        disabled={steps.busy}
        onClick={() => {
          propose(null);
          void holdOut(steps, model);
        }}
      >
        Keep half of the cases unseen first
      </TextButton>
      , and ask them once at the end.
    </p>
  );
}

/** The half that waits, or what it said when it was opened. */
export function Half({ model }: { model: ModelState }) {
  const trail = useTrail(model).data;
  const project = useProject(model.project_id).data;
  const steps = useSteps(model.project_id);
  const opened = useThorough(model).data?.holdout ?? null;
  const [asking, ask] = useState(false);
  if (!trail || !project || project.n_cases === 0) return null;
  const { half } = trail;
  if (!half) {
    return (
      <p className="mt-2 text-sm text-quiet">
        <TextButton disabled={steps.busy} onClick={() => void holdOut(steps, model)}>
          Keep half of the cases unseen
        </TextButton>{" "}
        and ask them once, at the end.
      </p>
    );
  }
  const late =
    half.before > 0
      ? `${half.before} ${half.before === 1 ? "change" : "changes"} had seen all cases before: for ${half.before === 1 ? "it" : "them"} the half can confirm nothing.`
      : "";
  if (!half.opened) {
    return (
      <div className="mt-2 text-sm" data-testid="half">
        <p>
          <span className="font-semibold">Half of the cases waits unseen</span>{" "}
          <span className="text-quiet">
            (seed {half.seed}). {late}
          </span>
        </p>
        {asking ? (
          <p className="mt-1">
            It can be opened once; what comes after has seen it.{" "}
            <Primary
              size="xs"
              disabled={steps.busy}
              onClick={() =>
                void steps.set(
                  steps.steps.map((step) =>
                    step.type === "hold_out_half" ? { ...step, opened: true } : step,
                  ),
                )
              }
            >
              Open it
            </Primary>
            <Quiet size="xs" onClick={() => ask(false)}>
              Not yet
            </Quiet>
          </p>
        ) : (
          <TextButton onClick={() => ask(true)}>Open it…</TextButton>
        )}
      </div>
    );
  }
  return (
    <div className="mt-2 text-sm" data-testid="half">
      <p>
        <span className="font-semibold">The other half, opened.</span>{" "}
        <span className="text-quiet">
          {late}
          {half.since_opened > 0 &&
            ` ${half.since_opened} ${half.since_opened === 1 ? "change" : "changes"} came after and had seen it.`}
        </span>
      </p>
      {opened && <Halves halves={opened} />}
    </div>
  );
}

/** Both halves side by side, each fitted freely. */
function Halves({ halves }: { halves: Schemas["HoldoutPart"] }) {
  const { first, second } = halves;
  const lines = useListed("beside").filter(({ key }) => first.fit && key in first.fit);
  const [all, show] = useState(false);
  const after = new Map(second.paths.map((p) => [`${p.from} ${p.to}`, p.standardized]));
  const paths = first.paths.map((p) => ({ ...p, then: after.get(`${p.from} ${p.to}`) ?? null }));
  const most = paths.reduce<(typeof paths)[number] | null>(
    (best, p) => (gap(p) > gap(best) ? p : best),
    null,
  );
  const rows: { words: string; first: string; second: string; title?: string }[] = [
    ...lines.flatMap((criterion) => {
      const [a, b] = [
        first.fit?.[criterion.key as "cfi"] ?? null,
        second.fit?.[criterion.key as "cfi"] ?? null,
      ];
      if (a === null && b === null) return [];
      return [{ words: criterion.label, first: written(criterion, a), second: written(criterion, b) }];
    }),
    ...(all ? paths : []).map((p) => ({
      words: `${p.from} → ${p.to}`,
      first: coefficient(p.standardized),
      second: coefficient(p.then),
    })),
    {
      words: `${halves.measure} from the first`,
      first: plain(halves.own_discrepancy, 3),
      second: plain(halves.discrepancy, 3),
      title: "The discrepancy of each half from what the half in use says of it (Cudeck & Browne 1983)",
    },
  ];
  return (
    <>
      <Table
        className="mt-1 tabular-nums"
        label="Both halves"
        fixed
        rows={rows}
        keyOf={(row) => row.words}
        rowTitle={(row) => row.title}
        columns={[
          { key: "statistic", head: "", heads: true, left: true, value: (row) => row.words },
          { key: "first", head: `in use, n = ${first.n}`, value: (row) => row.first },
          { key: "second", head: `unseen, n = ${second.n}`, value: (row) => row.second },
        ]}
      />
      {second.message && <p>{second.message}</p>}
      <p className="mt-1">
        {most && gap(most) > 0 && (
          <>
            Furthest apart: {most.from} → {most.to}, {coefficient(most.standardized)} and{" "}
            {coefficient(most.then)}.{" "}
          </>
        )}
        {paths.length > 0 && (
          <Action size="xs" onClick={() => show(!all)}>
            {all ? "Only the fit" : "All paths"}
          </Action>
        )}{" "}
        <Explained page="quality">How it is computed</Explained>
      </p>
    </>
  );
}

function gap(path: { standardized: number | null; then: number | null } | null): number {
  return path?.standardized === null || path?.then === null || !path
    ? -1
    : Math.abs(path.standardized - path.then);
}
