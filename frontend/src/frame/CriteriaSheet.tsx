import { Dialog, DialogPanel, DialogTitle } from "@headlessui/react";
import { useState } from "react";
import type { Schemas } from "../client/client";
import { useNewCriteria, useSheet } from "../api/hooks";
import { sheetOpen, useDesk } from "../desk/desk";
import { Explained, OneOf, Quiet, TextButton } from "../shared/controls";
import { Glyph } from "../shared/Glyph";
import { Table, type TableColumn } from "../shared/Table";

type Sheet = Schemas["CriteriaSheet"];
type Criterion = Sheet["criteria"][number];
type Own = Sheet["own"];
type Bounds = [number, number | null];

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
  const put = (criterion: Criterion) => (bounds: Bounds | null) => {
    const rest = Object.fromEntries(Object.entries(sheet.own).filter(([key]) => key !== criterion.key));
    set(bounds ? { ...rest, [criterion.key]: bounds } : rest);
  };
  const bound = (which: "good" | "tolerable"): TableColumn<Criterion> => ({
    key: which,
    head: which,
    over: (
      <>
        <Glyph verdict={which === "good" ? "meets" : "borderline"} /> from
      </>
    ),
    left: true,
    width: "6rem",
    show: (criterion) => <Bound {...{ criterion, which }} set={put(criterion)} />,
  });
  const columns: TableColumn<Criterion>[] = [
    {
      key: "statistic",
      head: "statistic",
      heads: true,
      left: true,
      className: "pr-4",
      value: (criterion) => criterion.label,
      show: (criterion) => <span className="font-semibold">{criterion.label}</span>,
    },
    bound("good"),
    bound("tolerable"),
    {
      key: "source",
      head: "source",
      left: true,
      className: "pl-2 text-quiet",
      value: (criterion) => criterion.cut_off_source,
    },
    {
      key: "own",
      head: "",
      hidden: "your own",
      className: "whitespace-nowrap pl-3",
      show: (criterion) =>
        criterion.key in sheet.own && (
          <TextButton onClick={() => put(criterion)(null)}>Back to the preset</TextButton>
        ),
    },
  ];
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
        <Table
          className="text-sm"
          label="Cut-offs"
          fixed
          copyable={false}
          columns={columns}
          rows={judged}
          keyOf={({ key, good, tolerable }) => `${key} ${good} ${tolerable}`}
          rowTitle={(criterion) => criterion.definition}
        />
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

const MARK = (criterion: Criterion) => (criterion.better === "higher" ? "≥" : criterion.strict ? "<" : "≤");

/** Where good or tolerable begins, to be typed over. */
function Bound(props: { criterion: Criterion; which: "good" | "tolerable"; set: (bounds: Bounds) => void }) {
  const { criterion, which, set } = props;
  const [text, write] = useState(String(criterion[which] ?? ""));
  const done = () => {
    const value = numberOf(text);
    const empty = which === "tolerable" && text.trim() === "";
    if ((value === null && !empty) || value === criterion[which]) return;
    if (which === "tolerable") set([criterion.good ?? 0, value]);
    else if (value !== null) set([value, criterion.tolerable]);
  };
  return (
    <span className="flex items-center gap-1.5">
      <span className="w-3 text-quiet">{MARK(criterion)}</span>
      <input
        className="input input-xs w-16 text-right"
        aria-label={`${criterion.label}: ${which}`}
        inputMode="decimal"
        value={text}
        onChange={(event) => write(event.target.value)}
        onBlur={done}
        onKeyDown={(event) => event.key === "Enter" && done()}
      />
    </span>
  );
}
