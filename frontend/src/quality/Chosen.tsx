import type { ModelState, Project } from "../api/client";
import { useTrail, type Gestures } from "../api/hooks";
import { propose, useDesk } from "../model/desk";
import { setAside } from "../model/doing";
import { Action, Primary } from "../shared/controls";
import { Glyph } from "../shared/Glyph";
import { coefficient } from "../shared/numbers";
import { changeOf, useItemWhatIfs, wording } from "./use";

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
        <Action
          onClick={() =>
            void gestures.change([
              {
                type: "keep",
                construct: item.construct,
                indicator: item.name,
                essential: !kept,
                reason: null,
              },
            ])
          }
        >
          {kept ? "No longer essential" : "Keep it"}
        </Action>
      </div>
    </div>
  );
}

/** How many changes came from these data: a sun for each, and the next one dashed. */
export function Caution({ model }: { model: ModelState }) {
  const revisions = useTrail(model).data?.revisions ?? [];
  const count = revisions.filter((r) => r.prompted === "data").length;
  if (count === 0) return null;
  return (
    <div className="mt-4 flex items-start gap-3" data-testid="caution">
      <svg width={18 * Math.min(count + 1, 5)} height="14" className="mt-1 shrink-0" aria-hidden="true">
        {Array.from({ length: Math.min(count, 4) }, (_, i) => (
          <path key={i} d={`M${18 * i + 2} 12a7 7 0 0 1 14 0z`} className="fill-gold" />
        ))}
        <path
          d={`M${18 * Math.min(count, 4) + 2} 12a7 7 0 0 1 14 0`}
          className="fill-none stroke-gold"
          strokeDasharray="2 2"
        />
        <path d="M0 12.5h100" className="stroke-line" />
      </svg>
      <p className="text-sm">
        <span className="font-semibold">
          {count} {count === 1 ? "change" : "changes"} so far came from these data.
        </span>{" "}
        <span className="text-quiet">
          Say so in the paper, and confirm on cases they have not seen (MacCallum, Roznowski & Necowitz 1992).
        </span>
      </p>
    </div>
  );
}
