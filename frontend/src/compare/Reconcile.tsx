import { useState } from "react";
import { api, take, type ModelState, type Schemas } from "../client/client";
import { attempt } from "../api/attempt";
import { Action, Explained, Heading } from "../shared/controls";
import { Glyph } from "../shared/Glyph";
import { plain } from "../shared/numbers";
import { Table, type TableColumn } from "../shared/Table";

type Found = Schemas["ReconciliationPart"];
type Line = Found["lines"][number];

const EXAMPLE = "CFI = .986\nTraining → Efficacy .43\nalpha Training .83";

/** Figures that a paper prints: which digits agree, and which convention explains those that do not. */
export function Reconcile({ model }: { model: ModelState }) {
  const [text, write] = useState("");
  const [found, setFound] = useState<Found | null>(null);
  const [busy, setBusy] = useState(false);
  const look = async () => {
    setBusy(true);
    const path = { model_id: model.id };
    const answer = await attempt(() =>
      take(api.POST("/api/models/{model_id}/reconciliations", { params: { path }, body: { text } })),
    );
    setBusy(false);
    if (answer) setFound(answer);
  };
  return (
    <section aria-label="Against published figures" className="mt-6 min-w-0">
      <Heading className="mb-1">against published figures, in {model.name}</Heading>
      <textarea
        className="textarea w-full font-mono text-sm leading-5"
        rows={5}
        aria-label="Figures as they are printed, one a line"
        placeholder={EXAMPLE}
        value={text}
        onChange={(event) => write(event.target.value)}
      />
      <p className="mt-1 flex items-center gap-4 text-sm text-quiet">
        <Action disabled={!text.trim() || !model.estimated || busy} onClick={() => void look()}>
          {busy ? "Trying conventions…" : "Compare the digits"}
        </Action>
        <span>One figure a line, the number last.</span>
        <Explained page="reconciling">How</Explained>
      </p>
      {found && <Outcome found={found} />}
    </section>
  );
}

/** A figure to four places, with a full glyph where the printed digits agree. */
function Beside({ value, agrees }: { value: number | null; agrees: boolean }) {
  return (
    <span title={agrees ? "agrees" : "differs"}>
      {plain(value, 4)} <Glyph verdict={agrees ? "meets" : "misses"} size={8} />
      <span className="sr-only">{agrees ? "agrees" : "differs"}</span>
    </span>
  );
}

const columns = (changed: boolean): TableColumn<Line>[] => [
  { key: "label", head: "printed", left: true, className: "text-sm", value: (line) => line.label },
  { key: "text", head: "", hidden: "as printed", value: (line) => line.text },
  {
    key: "value",
    head: "here",
    value: (line) => line.value,
    text: (line) => (line.figure === null ? "not known" : plain(line.value, 4)),
    show: (line) => (line.figure === null ? "not known" : <Beside value={line.value} agrees={line.agrees} />),
  },
  ...(changed
    ? ([
        {
          key: "then",
          head: "changed",
          value: (line) => line.then,
          text: (line) => plain(line.then, 4),
          show: (line) => line.figure !== null && <Beside value={line.then} agrees={line.agrees_then} />,
        },
      ] satisfies TableColumn<Line>[])
    : []),
];

function Outcome({ found }: { found: Found }) {
  const known = found.lines.filter((line) => line.figure !== null);
  const apart = known.filter((line) => !line.agrees);
  const said =
    apart.length === 0
      ? `All ${known.length} agree as they are.`
      : found.explained
        ? `${known.length - apart.length} of ${known.length} agree. All do with: ${found.changes.join("; ")}.`
        : found.changes.length > 0
          ? `${known.length - apart.length} of ${known.length} agree. Most do with: ${found.changes.join("; ")}.`
          : `${known.length - apart.length} of ${known.length} agree. None of ${found.tried} combinations of conventions explains more.`;
  return (
    <div className="mt-2" role="status">
      <p className="mb-1 font-semibold">{said}</p>
      <Table
        label="Printed figures"
        columns={columns(found.changes.length > 0)}
        rows={found.lines}
        keyOf={(line) => `${line.label} ${line.text}`}
        className="max-h-80"
      />
      {found.tried < found.of && !found.explained && (
        <p className="mt-1 text-sm text-quiet">
          {found.tried} of {found.of} combinations were tried; the others would take too long.
        </p>
      )}
    </div>
  );
}
