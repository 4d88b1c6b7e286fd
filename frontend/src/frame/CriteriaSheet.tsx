import { Dialog, DialogPanel, DialogTitle } from "@headlessui/react";
import { useState } from "react";
import type { Schemas } from "../client/client";
import { useNewCriteria, useSheet } from "../api/hooks";
import { sheetOpen, useDesk } from "../desk/desk";
import { Explained, OneOf, Quiet, TextButton } from "../shared/controls";
import { Glyph } from "../shared/Glyph";

type Sheet = Schemas["CriteriaSheet"];
type Criterion = Sheet["criteria"][number];
type Own = Sheet["own"];

const PRESETS = [
  { key: "strict", words: "strict" },
  { key: "usual", words: "usual" },
  { key: "exploratory", words: "exploratory" },
] satisfies { key: Sheet["preset"]; words: string }[];
/** Whose cut-offs the project follows, every one with its source; each can be one's own. */
export default function CriteriaSheet() {
  const open = useDesk((desk) => desk.sheet);
  const sheet = useSheet().data;
  return (
    <Dialog open={open} onClose={() => sheetOpen(false)} className="relative z-50">
      <div className="fixed inset-0 bg-scrim" aria-hidden="true" />
      <div className="pointer-events-none fixed inset-0 flex justify-center p-8 pt-14">
        {sheet && <Panel sheet={sheet} />}
      </div>
    </Dialog>
  );
}

function Panel({ sheet }: { sheet: Sheet }) {
  const change = useNewCriteria();
  const judged = sheet.criteria.filter((one) => one.good !== null && one.follows === null);
  const set = (own: Own) => void change({ preset: sheet.preset, own });
  return (
    <DialogPanel className="pointer-events-auto flex max-h-full w-[860px] flex-col rounded-box border border-line bg-base-100 p-5 shadow-xl">
      <div className="flex items-baseline gap-6">
        <DialogTitle className="font-serif text-[19px] font-semibold">Whose cut-offs?</DialogTitle>
        <OneOf
          label="Preset"
          choices={PRESETS}
          value={sheet.preset}
          set={(preset) => void change({ preset, own: sheet.own })}
        />
        <span className="flex-1 text-sm text-quiet">
          Every verdict of this project follows {sheet.words}.
        </span>
      </div>
      <div className="mt-3 min-h-0 flex-1 overflow-y-auto">
        <table className="w-full text-sm" aria-label="Cut-offs">
          <thead>
            <tr className="text-left text-quiet">
              <th scope="col" className="font-normal">
                figure
              </th>
              <th scope="col" className="w-24 font-normal">
                <Glyph verdict="meets" /> from
              </th>
              <th scope="col" className="w-24 font-normal">
                <Glyph verdict="borderline" /> from
              </th>
              <th scope="col" className="font-normal">
                source
              </th>
              <th scope="col">
                <span className="sr-only">your own</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {judged.map((criterion) => (
              <Line
                key={`${criterion.key} ${criterion.good} ${criterion.tolerable}`}
                criterion={criterion}
                own={criterion.key in sheet.own}
                set={(bounds) => {
                  const rest = Object.fromEntries(
                    Object.entries(sheet.own).filter(([key]) => key !== criterion.key),
                  );
                  set(bounds ? { ...rest, [criterion.key]: bounds } : rest);
                }}
              />
            ))}
          </tbody>
        </table>
      </div>
      <div className="mt-3 flex items-center gap-4">
        <Explained page="quality">Where cut-offs come from</Explained>
        <span className="flex-1 text-sm text-quiet">
          A cut-off is a convention: it does not know your study.
        </span>
        <Quiet onClick={() => sheetOpen(false)}>Close</Quiet>
      </div>
    </DialogPanel>
  );
}

function numberOf(text: string): number | null {
  const value = Number(text.trim().replace(",", ".").replace("−", "-"));
  return text.trim() !== "" && Number.isFinite(value) ? value : null;
}

function Line(props: {
  criterion: Criterion;
  own: boolean;
  set: (bounds: [number, number | null] | null) => void;
}) {
  const { criterion, own, set } = props;
  const [good, setGood] = useState(String(criterion.good));
  const [tolerable, setTolerable] = useState(criterion.tolerable === null ? "" : String(criterion.tolerable));
  const mark = criterion.better === "higher" ? "≥" : criterion.strict ? "<" : "≤";
  const done = () => {
    const first = numberOf(good);
    const second = tolerable.trim() === "" ? null : numberOf(tolerable);
    if (first === null || (tolerable.trim() !== "" && second === null)) return;
    if (first !== criterion.good || second !== criterion.tolerable) set([first, second]);
  };
  const field = (label: string, text: string, write: (text: string) => void) => (
    <span className="flex items-center gap-1.5">
      <span className="w-3 text-quiet">{mark}</span>
      <input
        className="input input-xs w-16 text-right"
        aria-label={`${criterion.label}: ${label}`}
        inputMode="decimal"
        value={text}
        onChange={(event) => write(event.target.value)}
        onBlur={done}
        onKeyDown={(event) => event.key === "Enter" && done()}
      />
    </span>
  );
  return (
    <tr className="border-t border-line/50">
      <th scope="row" className="py-1 pr-4 text-left font-semibold" title={criterion.definition}>
        {criterion.label}
      </th>
      <td>{field("good", good, setGood)}</td>
      <td>{field("tolerable", tolerable, setTolerable)}</td>
      <td className="pl-2 text-quiet">{criterion.cut_off_source}</td>
      <td className="whitespace-nowrap pl-3 text-right">
        {own && <TextButton onClick={() => set(null)}>Back to the preset</TextButton>}
      </td>
    </tr>
  );
}
