import { useState } from "react";
import type { Change, ModelState, Schemas } from "../client/client";
import type { Gestures } from "../api/gestures";
import { useModification } from "../api/hooks";
import { WhatIf } from "../shared/WhatIf";
import { Action, Choose } from "../shared/controls";
import { coefficient, plain } from "../shared/numbers";
import { Table, type TableColumn } from "../shared/Table";

type Modification = Schemas["ModificationPart"];
const BOUNDS = [
  { value: 3.84, words: "3.84 (p .05)" },
  { value: 6.63, words: "6.63 (p .01)" },
  { value: 10.83, words: "10.83 (p .001)" },
];

function changeOf(m: Modification): Change | null {
  if (m.release) return null;
  if (m.kind === "covariance") return { type: "set_covariance", first: m.from, second: m.to, free: true };
  if (m.kind === "path") return { type: "add_path", source: m.from, target: m.to };
  if (m.kind === "loading") return { type: "add_indicators", construct: m.from, indicators: [m.to] };
  return null;
}

function nameOf(m: Modification): string {
  return `${m.from} ${m.kind === "covariance" ? "&" : "→"} ${m.to}`;
}

const COLUMNS: TableColumn<Modification>[] = [
  {
    key: "name",
    head: "parameter",
    left: true,
    value: nameOf,
    show: (m) => <span className="font-semibold">{nameOf(m)}</span>,
  },
  {
    key: "kind",
    head: "kind",
    left: true,
    className: "text-sm text-quiet",
    value: (m) => (m.release ? `${m.kind}, released from its equality` : m.kind),
  },
  { key: "index", head: "χ² would fall by", value: (m) => m.index, text: (m) => plain(m.index) },
  {
    key: "change",
    head: "expected change",
    value: (m) => m.expected_change,
    text: (m) => plain(m.expected_change, 3),
  },
  {
    key: "standardized",
    head: "standardized",
    value: (m) => m.standardized_change,
    text: (m) => coefficient(m.standardized_change, 3),
  },
];

/** What the model leaves out, by score tests, and what letting it in would do. */
export function OmittedView({ model, gestures }: { model: ModelState; gestures: Gestures }) {
  const [chosen, choose] = useState<Modification | null>(null);
  const [reason, setReason] = useState("");
  const [least, setLeast] = useState(3.84);
  const found = useModification(model).data?.modification;
  const rows = (found ?? []).filter((m) => m.index >= least).slice(0, 100);
  const change = chosen ? changeOf(chosen) : null;
  return (
    <div className="grid min-h-0 flex-1 grid-cols-[minmax(0,1.6fr)_minmax(0,1fr)] gap-12 pb-4">
      <Table
        label="Modification indices"
        columns={COLUMNS}
        rows={rows}
        keyOf={(m) => `${m.kind} ${m.from} ${m.to} ${m.release}`}
        selected={(m) => m === chosen}
        choose={choose}
        empty={
          <p className="text-quiet">
            {found || !model.shown
              ? "No parameter that is left out would lower χ² by more than chance."
              : "Fetching…"}
          </p>
        }
      />
      <div>
        <label className="mb-3 flex items-center gap-2">
          <span className="text-quiet">listed from</span>
          <Choose
            label="Smallest index listed"
            size="xs"
            className="w-44"
            value={least}
            choices={BOUNDS}
            set={(value) => {
              setLeast(value);
              choose(null);
            }}
          />
        </label>
        <p>
          Score tests of what the model leaves out, one at a time. An index is no reason: with many candidates
          some are large by chance. Let in only what could be explained in a paper.
        </p>
        {chosen && change && (
          <>
            <WhatIf model={model} question={`With ${nameOf(chosen)}`} changes={[change]} />
            <input
              className="input input-sm mb-2 w-full"
              placeholder="Why? (optional)"
              aria-label="Reason"
              maxLength={2000}
              value={reason}
              onChange={(event) => setReason(event.target.value)}
            />
            <Action
              onClick={() => {
                void gestures.change([change], reason.trim() || undefined, "data");
                setReason("");
                choose(null);
              }}
            >
              Let it in
            </Action>
          </>
        )}
        {chosen && !change && <p className="mt-3 text-quiet">Change its sentence to free it.</p>}
      </div>
    </div>
  );
}
