import { useState } from "react";
import type { Column, Step } from "../client/client";
import { Primary, Quiet } from "../shared/controls";

type Kind = Step["type"];

/** What can be done to the columns that are selected. */
export function actionsFor(columns: Column[]): { kind: Kind; words: string }[] {
  const numbers = columns.every((column) => column.numeric);
  const one = columns.length === 1;
  const found: { kind: Kind; words: string }[] = [];
  if (one)
    found.push({ kind: "rename_column", words: "Rename" }, { kind: "describe_column", words: "Describe" });
  if (numbers) found.push({ kind: "reverse", words: "Recode reversed" });
  found.push({ kind: "treat_as_missing", words: "Code means missing" });
  if (numbers && !one) found.push({ kind: "combine", words: "Mean or sum" });
  if (numbers && one) found.push({ kind: "center", words: "Centre" });
  if (one) found.push({ kind: "dummy_code", words: "Dummy-code" });
  if (numbers) found.push({ kind: "fill_with_mean", words: "Fill gaps with mean" });
  if (numbers && one) found.push({ kind: "weight_cases", words: "Use as weights" });
  found.push({ kind: "drop_columns", words: "Drop" });
  return found;
}

interface Props {
  kind: Kind;
  columns: Column[];
  done: (step: Step) => void;
  cancel: () => void;
}

/** The little form of one step; steps that need nothing to be said are confirmed at once. */
export function StepForm({ kind, columns, done, cancel }: Props) {
  const names = columns.map((column) => column.name);
  const first = columns[0];
  const lows = columns.flatMap((column) => (column.min === null ? [] : [column.min]));
  const highs = columns.flatMap((column) => (column.max === null ? [] : [column.max]));
  const [low, setLow] = useState(String(lows.length > 0 ? Math.min(...lows) : 1));
  const [high, setHigh] = useState(String(highs.length > 0 ? Math.max(...highs) : 7));
  const [text, setText] = useState(initial(kind, columns));
  const [level, setLevel] = useState(first?.level ?? "number");
  const [sum, setSum] = useState(false);
  const [standardize, setStandardize] = useState(false);
  const [category, setCategory] = useState(first?.categories[0] ?? "");
  const step = (): Step | null => {
    const name = first?.name ?? "";
    switch (kind) {
      case "rename_column":
        return { type: kind, column: name, to: text, on: true };
      case "describe_column":
        return { type: kind, column: name, label: text, level, value_labels: null, on: true };
      case "reverse":
        return { type: kind, columns: names, low: Number(low), high: Number(high), on: true };
      case "treat_as_missing":
        return { type: kind, columns: names, codes: text.split(/[,;\s]+/).filter(Boolean), on: true };
      case "combine":
        return { type: kind, name: text, columns: names, how: sum ? "sum" : "mean", least: null, on: true };
      case "center":
        return { type: kind, name: text, column: name, standardize, on: true };
      case "dummy_code":
        return { type: kind, name: text, column: name, category, on: true };
      case "fill_with_mean":
        return { type: kind, columns: names, on: true };
      case "weight_cases":
        return { type: kind, column: name, on: true };
      case "drop_columns":
        return { type: kind, columns: names, reason: text.trim() || null, on: true };
      default:
        return null;
    }
  };
  const field = "input input-sm w-full";
  return (
    <form
      aria-label="Step to be recorded"
      className="mt-2 rounded-box bg-base-200 p-3"
      onSubmit={(event) => {
        event.preventDefault();
        const found = step();
        if (found) done(found);
      }}
    >
      <p className="mb-2 font-semibold">{HEADS[kind]?.(names) ?? names.join(", ")}</p>
      {kind === "reverse" && (
        <div className="mb-2 flex items-center gap-2">
          <input
            aria-label="Lower end of the scale"
            className={field}
            value={low}
            onChange={(e) => setLow(e.target.value)}
          />
          to
          <input
            aria-label="Upper end of the scale"
            className={field}
            value={high}
            onChange={(e) => setHigh(e.target.value)}
          />
        </div>
      )}
      {PROMPTS[kind] && (
        <label className="mb-2 block">
          <span className="text-sm text-quiet">{PROMPTS[kind]}</span>
          <input autoFocus className={field} value={text} onChange={(event) => setText(event.target.value)} />
        </label>
      )}
      {kind === "describe_column" && (
        <label className="mb-2 block">
          <span className="text-sm text-quiet">It holds</span>
          <select
            className="select select-sm w-full"
            value={level}
            onChange={(e) => setLevel(e.target.value as Column["level"])}
          >
            {first?.numeric && <option value="number">numbers</option>}
            {first?.numeric && <option value="ordered">ordered answers</option>}
            <option value="category">categories</option>
            <option value="identifier">identifiers</option>
            {!first?.numeric && <option value="text">text</option>}
          </select>
        </label>
      )}
      {kind === "combine" && <Tick label="Sum instead of mean" on={sum} set={setSum} />}
      {kind === "center" && <Tick label="In standard deviations" on={standardize} set={setStandardize} />}
      {kind === "dummy_code" && (
        <label className="mb-2 block">
          <span className="text-sm text-quiet">1 where it is</span>
          <select
            className="select select-sm w-full"
            value={category}
            onChange={(e) => setCategory(e.target.value)}
          >
            {first?.categories.map((value) => (
              <option key={value} value={value}>
                {first.value_labels[value] ? `${value}: ${first.value_labels[value]}` : value}
              </option>
            ))}
          </select>
        </label>
      )}
      <div className="flex gap-2">
        <Primary size="xs">Record</Primary>
        <Quiet size="xs" onClick={cancel}>
          Leave it
        </Quiet>
      </div>
    </form>
  );
}

const HEADS: Partial<Record<Kind, (names: string[]) => string>> = {
  reverse: (names) => `Recode ${names.join(", ")} the other way round`,
  fill_with_mean: (names) =>
    `Fill the gaps of ${names.join(", ")} with the mean. This makes variances too small.`,
  weight_cases: (names) =>
    `Cases count as much as ${names.join("")} says. No estimator uses weights yet; results say so.`,
  drop_columns: (names) => `Drop ${names.join(", ")}`,
  dummy_code: (names) => `A new column of 0 and 1 from ${names.join("")}`,
};

const PROMPTS: Partial<Record<Kind, string>> = {
  rename_column: "New name, also in every model",
  describe_column: "Label",
  treat_as_missing: "Codes, such as -9, 99",
  combine: "Name of the new column",
  center: "Name of the new column",
  dummy_code: "Name of the new column",
  drop_columns: "Why? (optional; it goes into the report)",
};

function initial(kind: Kind, columns: Column[]): string {
  const name = columns[0]?.name ?? "";
  if (kind === "rename_column") return name;
  if (kind === "describe_column") return columns[0]?.label ?? "";
  if (kind === "center") return `${name}_c`;
  if (kind === "combine") return `${name.replace(/\d+$/, "")}_mean`;
  if (kind === "dummy_code") return `${name}_${columns[0]?.categories[0] ?? "1"}`;
  return "";
}

function Tick({ label, on, set }: { label: string; on: boolean; set: (on: boolean) => void }) {
  return (
    <label className="mb-2 flex items-center gap-2">
      <input
        type="checkbox"
        className="checkbox checkbox-xs"
        checked={on}
        onChange={(e) => set(e.target.checked)}
      />
      {label}
    </label>
  );
}
