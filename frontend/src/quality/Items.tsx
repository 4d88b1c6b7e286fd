import { CopyAsReported } from "../shared/CopyAsReported";
import { Lock } from "lucide-react";
import type { ModelState, Parameter, Problem, Project } from "../client/client";
import type { Gestures } from "../api/gestures";
import { useCriteria, useEstimates } from "../api/hooks";
import { headline } from "../shared/headline";
import { useSteps } from "../desk/steps";
import { propose, select, useDesk } from "../desk/desk";
import { setAside } from "../desk/doing";
import { Choose, TextButton } from "../shared/controls";
import { Glyph } from "../shared/Glyph";
import { coefficient, interval } from "../shared/numbers";
import { isChange, isStep } from "../shared/repairs";
import { judge } from "../shared/verdict";
import { wording, type Measured, type MeasuredConstruct } from "./use";

interface Props {
  project: Project;
  model: ModelState;
  measured: Measured;
  gestures: Gestures;
}

/** Do the answers show their construct? Every item with its wording and loading, every construct with its reliability. */
export function Items({ project, model, measured, gestures }: Props) {
  return (
    <section aria-labelledby="shown" className="min-w-0">
      <h2 id="shown" className="font-serif text-[18px] font-semibold">
        Do the answers show their construct? <CopyAsReported model={model} table="measures" />
      </h2>
      <div className="relative -mb-1 ml-auto mr-[66px] h-3 w-[132px] text-xs text-quiet" aria-hidden="true">
        {[0.5, 0.7].map((mark) => (
          <span key={mark} className="absolute -top-1 -translate-x-1/2" style={{ left: `${100 * mark}%` }}>
            {coefficient(mark)}
          </span>
        ))}
      </div>
      {measured.constructs.map((construct) => (
        <Construct key={construct.name} {...{ project, model, measured, gestures, construct }} />
      ))}
    </section>
  );
}

function Figure(props: { label: string; value: number | null; of: string; reliability?: number | null }) {
  const { label, value, of, reliability = null } = props;
  const criterion = useCriteria().get(of);
  if (value === null) return null;
  return (
    <span className="whitespace-nowrap text-sm" title={criterion?.definition}>
      <span className="text-quiet">{label}</span> <span className="font-semibold">{coefficient(value)}</span>{" "}
      <Glyph verdict={judge(criterion, value, reliability)} size={8} />
    </span>
  );
}

function Construct({
  project,
  model,
  measured,
  gestures,
  construct,
}: Props & { construct: MeasuredConstruct }) {
  const parameters = useEstimates(model).data?.parameters ?? [];
  const rows = measured.loadings.filter((loading) => loading.construct === construct.name);
  const formative = construct.mode === "formative";
  const card = model.board.cards.find((one) => one.name === construct.name);
  const held = new Set(card?.rows.flatMap((row) => (row.held === null ? [] : [row.indicator])));
  const allHeld = rows.length > 0 && rows.every((row) => held.has(row.indicator));
  const steps = useSteps(project.id);
  const against = model.problems.filter(
    (p) => p.code === "runs_against_block" && p.about[1] === construct.name,
  );
  const cure = (problem: Problem, repair: Problem["repairs"][number]) => {
    const { change, words } = repair;
    if (!change) return;
    if (isStep(change)) void steps.add(change);
    else if (change.type === "set_aside") {
      propose({ ...setAside(construct.name, [problem.about[0] ?? ""]), prompted: "data" });
    } else if (isChange(change))
      propose({ question: `${words}?`, verb: "Do it", changes: [change], prompted: "data" });
  };
  return (
    <div className="mt-2">
      <div className="flex items-baseline gap-5">
        <button
          className="min-w-0 flex-1 truncate text-left font-serif text-[15px] font-semibold hover:underline"
          onClick={() => select({ kind: "construct", name: construct.name })}
        >
          {construct.name}
        </button>
        {formative ? (
          <span className="text-sm text-quiet">made of its items: weights, no reliability to speak of</span>
        ) : allHeld ? (
          <span className="text-sm text-quiet">all loadings are held: nothing to judge</span>
        ) : rows.length === 1 ? (
          <span className="text-sm text-quiet">one item: nothing to tell its reliability by</span>
        ) : (
          <>
            <Figure
              label="AVE"
              value={construct.ave}
              of="ave"
              reliability={construct.composite_reliability}
            />
            <Figure label="rho_A" value={construct.rho_a} of="rho_a" />
            <Figure label="comp. rel." value={construct.composite_reliability} of="composite_reliability" />
            <Figure label="alpha" value={construct.alpha} of="alpha" />
          </>
        )}
      </div>
      {formative && <SummedUp {...{ project, model, measured, gestures }} construct={construct.name} />}
      {against.map((problem) => (
        <p key={problem.about[0]} className="text-sm">
          {problem.about[0]} runs against the others, so these mean nothing yet.{" "}
          {problem.repairs.map((repair) => (
            <TextButton key={repair.words} className="mr-3" onClick={() => cure(problem, repair)}>
              {repair.words}
            </TextButton>
          ))}
        </p>
      ))}
      <ul>
        {rows.map((row) => (
          <Item
            key={row.indicator}
            {...{ project, model }}
            construct={construct.name}
            name={row.indicator}
            value={formative ? row.weight : row.loading}
            direction={construct.direction ?? 1}
            formative={formative}
            held={held.has(row.indicator)}
            hint={hintOf(row.weight, row.loading, row.vif)}
            beside={
              formative
                ? besideOf(
                    parameters.find(
                      (p) => p.kind === "weight" && p.from === row.indicator && p.to === construct.name,
                    ),
                    row.loading,
                    row.vif,
                  )
                : ""
            }
          />
        ))}
      </ul>
    </div>
  );
}

/** What stands beside the weight of a formative item: its interval, its loading, and how much it repeats the others. */
function besideOf(weight: Parameter | undefined, loading: number | null, vif: number | null): string {
  const bounds = weight && headline(weight);
  const parts = [
    bounds ? interval(bounds) : "",
    loading === null ? "" : `loading ${coefficient(loading)}`,
    vif === null ? "" : `VIF ${vif.toFixed(2)}`,
  ];
  return parts.filter(Boolean).join(" · ");
}

/** The one item that sums a formative construct up, if there is one, and how well the two agree. */
function SummedUp({ project, model, measured, gestures, construct }: Props & { construct: string }) {
  const criterion = useCriteria().get("redundancy");
  const found = (measured.redundancy ?? []).find((r) => r.construct === construct);
  const items = model.settings.global_items ?? {};
  const used = new Set([...model.constructs.flatMap((c) => c.indicators)]);
  const columns = project.columns.filter(
    (c) =>
      (c.level === "number" || c.level === "ordered") && (!used.has(c.name) || c.name === items[construct]),
  );
  if (columns.length === 0) return null;
  const choose = (name: string) => {
    const rest = Object.fromEntries(Object.entries(items).filter(([key]) => key !== construct));
    void gestures.settings({ ...model.settings, global_items: name ? { ...rest, [construct]: name } : rest });
  };
  return (
    <p className="flex items-center gap-2 text-sm text-quiet" title={criterion?.definition}>
      summed up by
      <Choose
        label={`The item that sums up ${construct}`}
        size="xs"
        className="w-32"
        value={items[construct] ?? ""}
        set={choose}
        choices={[{ value: "", words: "no item" }, ...columns.map((c) => ({ value: c.name, words: c.name }))]}
      />
      {found && (
        <span>
          r = <span className="font-semibold text-base-content">{coefficient(found.correlation)}</span>{" "}
          <Glyph verdict={judge(criterion, found.correlation)} size={8} /> n = {found.n}
        </span>
      )}
    </p>
  );
}

function hintOf(weight: number | null, loading: number | null, vif: number | null): string {
  const parts = [
    loading === null ? "" : `loading ${coefficient(loading)}`,
    weight === null ? "" : `weight ${coefficient(weight)}`,
    vif === null ? "" : `VIF ${vif.toFixed(2)}`,
  ];
  return parts.filter(Boolean).join(", ");
}

function Item(props: {
  project: Project;
  model: ModelState;
  construct: string;
  name: string;
  value: number | null;
  direction: number;
  formative: boolean;
  held: boolean;
  hint: string;
  beside: string;
}) {
  const { project, model, construct, name, value, direction, formative, held, hint, beside } = props;
  const criterion = useCriteria().get("loading");
  const selected = useDesk(
    ({ selection }) =>
      selection?.kind === "indicator" && selection.construct === construct && selection.name === name,
  );
  const kept = model.constructs.find((c) => c.name === construct)?.kept.includes(name);
  const verdict = formative || held ? "none" : judge(criterion, value === null ? null : value * direction);
  const width = Math.min(1, Math.abs(value ?? 0));
  const weak = verdict === "misses" || (formative && (value ?? 0) < 0);
  const inner = model.constructs.some((c) => c.name === name);
  return (
    <li>
      <button
        className={`flex w-full items-center gap-3 rounded-md px-1.5 text-left leading-[18.5px] ${selected ? "bg-ember/15" : "hover:bg-base-200"}`}
        aria-pressed={selected}
        title={hint}
        data-testid={`item-${name}`}
        onClick={() => select(inner ? { kind: "construct", name } : { kind: "indicator", construct, name })}
      >
        <span className="w-14 shrink-0 truncate font-semibold">{name}</span>
        <span className="flex min-w-0 flex-1 items-center gap-1 text-sm text-quiet">
          <span className="truncate">{wording(project, name)}</span>
          {kept && <Lock size={11} aria-label="kept as essential" className="shrink-0" />}
        </span>
        {beside && <span className="shrink-0 whitespace-nowrap text-xs text-quiet">{beside}</span>}
        <span className="relative h-[6px] w-[132px] shrink-0 rounded-full bg-base-300" aria-hidden="true">
          <span
            className={`absolute inset-y-0 left-0 rounded-full ${weak ? "bg-plum" : "bg-lake"}`}
            style={{ width: `${100 * width}%` }}
          />
          {!formative &&
            [50, 70].map((at) => (
              <span key={at} className="absolute -inset-y-[3px] w-px bg-quiet" style={{ left: `${at}%` }} />
            ))}
        </span>
        <span className="flex w-12 shrink-0 items-center justify-end gap-1 tabular-nums">
          {verdict !== "meets" && verdict !== "none" && <Glyph verdict={verdict} size={8} />}
          {coefficient(value)}
        </span>
      </button>
    </li>
  );
}
