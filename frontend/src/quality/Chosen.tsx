import type { ModelState, Project, Schemas } from "../client/client";
import type { Gestures } from "../api/gestures";
import { useModification, useResiduals } from "../api/hooks";
import { propose, useDesk } from "../desk/desk";
import { combination, keeping, setAside } from "../desk/doing";
import { Action, Choose, Primary } from "../shared/controls";
import { Glyph } from "../shared/Glyph";
import { coefficient } from "../shared/numbers";
import { changeOf, useItemWhatIfs, wording, type ItemWhatIf } from "./use";

interface Props {
  project: Project;
  model: ModelState;
  gestures: Gestures;
}

const TOLD = [
  { key: "ave", words: "AVE" },
  { key: "composite_reliability", words: "composite reliability" },
] as const;

/** The item that is looked at: its wording before its figures, what would become of them, and what can be done. */
export function Chosen({ project, model, gestures }: Props) {
  const selection = useDesk((desk) => desk.selection);
  const residuals = useResiduals(model).data?.residuals?.correlation;
  const left = useModification(model).data?.modification ?? [];
  const rows = useItemWhatIfs(model).data?.items ?? [];
  const item = selection?.kind === "indicator" ? selection : null;
  const row = rows.find((r) => r.construct === item?.construct && r.indicator === item.name);
  const owner = model.constructs.find((c) => c.name === item?.construct);
  if (!item || !owner) {
    return (
      <p className="mt-4 rounded-box bg-base-200 px-4 py-3 text-sm text-quiet">
        Select an item to see what would become of its construct without it.
      </p>
    );
  }
  const twin = owner.indicators.length > 2 ? twinOf(item.name, owner.indicators, left, residuals) : null;
  const others = owner.indicators.filter(
    (name) => name !== item.name && !model.constructs.some((c) => c.name === name),
  );
  const text = wording(project, item.name);
  const kept = owner.kept.includes(item.name);
  return (
    <div className="mt-4 rounded-box bg-base-200 px-4 py-3" data-testid="chosen-item">
      <p className="font-semibold">
        {item.name} {text && <span className="font-serif font-normal italic">“{text}”</span>}
      </p>
      {row?.estimated &&
        TOLD.map(({ key, words }) => {
          const change = changeOf(row, key);
          return change && change.now !== null ? (
            <p key={key} className="text-sm">
              {words} of {item.construct} {coefficient(change.now)}{" "}
              <Glyph verdict={change.verdict_now} size={8} /> → {coefficient(change.then)}{" "}
              <Glyph verdict={change.verdict_then} size={8} />
            </p>
          ) : null;
        })}
      {row?.estimated && <Elsewhere row={row} />}
      {row && !row.estimated && <p className="text-sm">{row.message}</p>}
      <p className="text-sm text-quiet">Read the wording before the figures.</p>
      <div className="mt-2 flex flex-wrap gap-2">
        <Primary
          disabled={kept || !row}
          title={kept ? `${item.name} is kept as essential` : undefined}
          onClick={() => propose({ ...setAside(item.construct, [item.name]), prompted: "data" })}
        >
          Set {item.name} aside…
        </Primary>
        <Action onClick={() => void gestures.change([keeping(item.construct, item.name, !kept)])}>
          {kept ? "No longer essential" : "Keep it"}
        </Action>
      </div>
      {project.n_cases > 0 && others.length > 0 && owner.indicators.includes(item.name) && (
        <p className="mt-2 flex flex-wrap items-center gap-x-2 text-sm">
          {twin && (
            <span>
              With <span className="font-semibold">{twin}</span> it shares more than {item.construct}{" "}
              explains.
            </span>
          )}
          <Choose
            label={`Combine ${item.name} with another item into their mean`}
            size="xs"
            className="w-56"
            value=""
            set={(other) => {
              const pair = owner.indicators.filter((name) => name === item.name || name === other);
              if (other) propose(combination(item.construct, pair, model, project));
            }}
            choices={[
              { value: "", words: "combine into a mean with…" },
              ...others.map((value) => ({ value, words: value === twin ? `${value} (nearest)` : value })),
            ]}
          />
        </p>
      )}
    </div>
  );
}

/** What would change beyond the construct: the highest HTMT, and the path that moves most. */
function Elsewhere({ row }: { row: ItemWhatIf }) {
  const apart = changeOf(row, "highest_htmt");
  const path = row.largest_path;
  return (
    <>
      {apart && apart.now !== null && (
        <p className="text-sm">
          highest HTMT {coefficient(apart.now)} → {coefficient(apart.then)}{" "}
          {apart.crosses && <Glyph verdict={apart.verdict_then} size={8} />}
        </p>
      )}
      {path && (
        <p className="text-sm">
          moves most: {path.from} → {path.to} {coefficient(path.now)} → {coefficient(path.then)}
        </p>
      )}
    </>
  );
}

const NOTABLE = 0.05;

/** The item of the same construct that an item shares most with beyond what the construct explains: by the score tests of
 * covarying residuals, else by what is left of the correlations; nothing where that is not notable. */
export function twinOf(
  item: string,
  block: string[],
  left: Schemas["ModificationPart"][],
  residuals: Schemas["Matrix"] | undefined,
): string | null {
  const others = block.filter((name) => name !== item);
  const tests = left.filter(
    (m) => m.kind === "covariance" && (m.standardized_change ?? 0) > NOTABLE && [m.from, m.to].includes(item),
  );
  const best = tests
    .map((m) => ({ name: m.from === item ? m.to : m.from, index: m.index }))
    .filter((one) => others.includes(one.name))
    .sort((a, b) => b.index - a.index)[0];
  if (best) return best.name;
  const at = residuals?.rows.indexOf(item) ?? -1;
  const kept = others
    .map((name) => ({ name, value: residuals?.values[at]?.[residuals.columns.indexOf(name)] ?? 0 }))
    .filter((one) => one.value > NOTABLE)
    .sort((a, b) => b.value - a.value)[0];
  return kept?.name ?? null;
}
