import { ChevronDown, ChevronUp, Lock } from "lucide-react";
import { useEffect, useMemo, useRef, useState } from "react";
import type { ModelState, Trail as TrailDocument } from "../client/client";
import type { Gestures } from "../api/gestures";
import { useTrail } from "../api/hooks";
import { select, unfoldTrail, useDesk } from "../desk/desk";
import { Choose, TextButton } from "../shared/controls";
import { coefficient, plain } from "../shared/numbers";
import { dotsOf, lineOf, type Dot } from "./branches";
import { RevisionCard } from "./RevisionCard";

interface Props {
  model: ModelState;
  gestures: Gestures;
}

/** A figure of the trail as it is written: with a leading zero only where it can pass 1. */
export function figureText(key: string, value: number | null | undefined, decimals: number): string {
  if (value === null || value === undefined) return "–";
  return ["chi_square", "chi_square_per_df", "aic", "bic"].includes(key)
    ? plain(value, key === "chi_square_per_df" ? 2 : 1)
    : coefficient(value, decimals);
}

/** The revisions of the model in order, what each did, and the way back; one line, or unfolded. */
export function Trail({ model, gestures }: Props) {
  const open = useDesk((desk) => desk.trail);
  const found = useTrail(model).data;
  const [looked, look] = useState<number | null>(null);
  const [paired, pair] = useState<number | null>(null);
  const [wanted, setIndex] = useState("cfi");
  const dots = useMemo(() => (found ? dotsOf(found) : []), [found]);
  if (!found || found.revisions.length < 2) {
    return <div className="h-2 shrink-0" />;
  }
  const shown = dots.find((d) => d.revision.id === (looked ?? found.head)) ?? dots[0];
  // An index that the family of the present revision does not have draws no line.
  const now = found.revisions.find((r) => r.id === found.head)?.figures?.values ?? {};
  const known = found.indices.filter(({ key }) => typeof now[key] === "number");
  const indices = known.length > 0 ? known : found.indices;
  const index = indices.some(({ key }) => key === wanted) ? wanted : (indices[0]?.key ?? wanted);
  const branches = Math.max(0, ...dots.map((d) => d.branch));
  const prompted = found.revisions.filter((r) => r.prompted === "data").length;
  const Chevron = open ? ChevronDown : ChevronUp;
  return (
    <section
      aria-label="Trail"
      className={`flex shrink-0 gap-5 px-4 ${open ? "h-[176px] pt-1" : "h-[36px] items-center"}`}
    >
      <div className={`flex min-w-0 flex-1 ${open ? "flex-col" : "items-center gap-4"}`}>
        <div className="flex shrink-0 items-center gap-3">
          <h2 className="font-serif text-[15px] font-semibold">
            <button
              className="flex items-center gap-1.5"
              aria-expanded={open}
              title={open ? "One line (T)" : "Unfold the trail (T)"}
              onClick={() => unfoldTrail(!open)}
            >
              Trail <Chevron size={13} />
            </button>
          </h2>
          {open && (
            <>
              <Choose
                label="Index drawn as the line"
                size="xs"
                className="w-28"
                value={index}
                set={setIndex}
                choices={indices.map(({ key, label }) => ({ value: key, words: label }))}
              />
              <span className="text-sm text-quiet">
                {found.revisions.length} revisions
                {branches > 0 && `, ${branches === 1 ? "one branch" : `${branches} branches`}`}
                {prompted > 0 &&
                  ` · ${prompted} ${prompted === 1 ? "change" : "changes"} prompted by these data: new data should confirm ${prompted === 1 ? "it" : "them"}`}
              </span>
            </>
          )}
        </div>
        <Line
          {...{ dots, open, index, branches, paired }}
          found={found}
          looked={shown?.revision.id ?? null}
          look={look}
          choose={(dot, more) => {
            if (more) pair(paired === dot.revision.id ? null : dot.revision.id);
            else void gestures.back(dot.revision.id);
          }}
        />
      </div>
      {open && shown && (
        <RevisionCard
          key={shown.revision.id}
          {...{ model, gestures }}
          dot={shown}
          before={dots.find((d) => d.revision.id === shown.revision.parent)}
          other={paired !== null && paired !== shown.revision.id ? paired : found.head}
        />
      )}
      {open && <Removed found={found} model={model} gestures={gestures} />}
    </section>
  );
}

function Line(props: {
  dots: Dot[];
  found: TrailDocument;
  open: boolean;
  index: string;
  branches: number;
  looked: number | null;
  paired: number | null;
  look: (id: number | null) => void;
  choose: (dot: Dot, more: boolean) => void;
}) {
  const { dots, found, open, index, branches, looked, paired, look, choose } = props;
  const columns = Math.max(...dots.map((d) => d.column)) + 1;
  const step = open ? Math.max(44, Math.min(118, 620 / columns)) : Math.max(14, Math.min(34, 700 / columns));
  const decimals = found.indices.find((one) => one.key === index)?.decimals ?? 3;
  const pieces = lineOf(dots, index);
  const values = pieces.flat().map((d) => d.revision.figures?.values?.[index] ?? 0);
  const low = Math.min(...values);
  const spread = Math.max(...values) - low;
  const height = open ? Math.max(120, 92 + 24 * branches) : 30;
  const base = open ? 62 : 20;
  const x = (dot: Dot) => (open ? 46 : 12) + dot.column * step;
  const y = (dot: Dot) => base + dot.branch * (open ? 24 : 7);
  const rise = (dot: Dot) => {
    const share = spread > 0 ? ((dot.revision.figures?.values?.[index] ?? low) - low) / spread : 0.5;
    return base - (open ? 18 : 5) - share * (open ? 26 : 9);
  };
  const byId = new Map(dots.map((d) => [d.revision.id, d]));
  const strip = useRef<HTMLDivElement>(null);
  const here = dots.find((d) => d.present);
  const at = here ? x(here) : 0;
  useEffect(() => {
    const element = strip.current;
    if (element) element.scrollLeft = at - element.clientWidth * 0.7;
  }, [at, open]);
  const ends = new Set([0, here?.column]);
  return (
    <div ref={strip} className="min-w-0 flex-1 overflow-x-auto overflow-y-hidden" tabIndex={-1}>
      <div
        className="relative"
        style={{ width: x({ column: columns - 1 } as Dot) + (open ? 60 : 20), height }}
      >
        <svg className="absolute inset-0 h-full w-full" aria-hidden="true">
          {dots.map((dot) => {
            const before = dot.revision.parent === null ? undefined : byId.get(dot.revision.parent);
            if (!before) return null;
            const [x1, y1, x2, y2] = [x(before), y(before), x(dot), y(dot)];
            const half = (x2 - x1) / 2;
            return (
              <path
                key={dot.revision.id}
                d={`M${x1} ${y1}C${x1 + half} ${y1} ${x2 - half} ${y2} ${x2} ${y2}`}
                fill="none"
                className="stroke-line"
                strokeDasharray={dot.ahead ? "3 3" : undefined}
              />
            );
          })}
          {pieces.map((piece) => (
            <polyline
              key={piece[0]?.revision.id}
              points={piece.map((d) => `${x(d)},${rise(d)}`).join(" ")}
              fill="none"
              strokeWidth={open ? 2 : 1.5}
              className="stroke-gold"
            />
          ))}
        </svg>
        {open &&
          pieces.flat().map((dot) => (
            <span
              key={dot.revision.id}
              className="absolute -translate-x-1/2 text-xs text-quiet"
              style={{ left: x(dot), top: rise(dot) - 18 }}
            >
              {step >= 44 && figureText(index, dot.revision.figures?.values?.[index], decimals)}
            </span>
          ))}
        {dots.map((dot) => {
          const { revision } = dot;
          const title = revision.name ?? revision.words;
          const on = revision.id === looked;
          const labelled = open && (step >= 90 || on || ends.has(dot.column) || dot.branch > 0);
          return (
            <div key={revision.id}>
              <button
                className="absolute grid h-[18px] w-[18px] -translate-x-1/2 -translate-y-1/2 place-items-center rounded-full"
                style={{ left: x(dot), top: y(dot) }}
                data-testid={`revision-${dot.number}`}
                aria-label={`Revision ${dot.number}: ${title}${dot.present ? ", where the model stands" : ""}`}
                aria-current={dot.present}
                title={`${title}${revision.reason ? ` — “${revision.reason}”` : ""}${open ? "" : "\nClick: go back here"}`}
                onPointerEnter={() => look(revision.id)}
                onFocus={() => look(revision.id)}
                onClick={(event) => choose(dot, event.shiftKey)}
              >
                <span
                  className={`block rounded-full border-2 ${dot.present ? "h-[13px] w-[13px] border-ember bg-ember" : `h-[11px] w-[11px] bg-base-100 ${dot.ahead ? "border-line" : "border-indigo"}`} ${on && open ? "ring-2 ring-ember/40" : ""} ${paired === revision.id ? "ring-2 ring-lake" : ""}`}
                />
                {revision.prompted === "data" && (
                  <span className="absolute -top-0.5 right-0 h-1.5 w-1.5 rounded-full bg-gold" />
                )}
              </button>
              {labelled && (
                <span
                  className={`pointer-events-none absolute -translate-x-1/2 truncate text-center text-xs ${dot.present ? "font-semibold" : "text-quiet"}`}
                  style={{ left: x(dot), top: y(dot) + 10, maxWidth: Math.max(84, step - 8) }}
                >
                  {title}
                </span>
              )}
            </div>
          );
        })}
      </div>
    </div>
  );
}

/** What was removed, items and cases, or must stay, with the reasons and the figures at that time. */
function Removed({
  found,
  model,
  gestures,
}: {
  found: TrailDocument;
  model: ModelState;
  gestures: Gestures;
}) {
  const order = new Map(found.revisions.map((r, i) => [r.id, i + 1]));
  if (found.aside.length + found.removed.length + found.kept.length === 0) return null;
  return (
    <section aria-label="What was removed, and why" className="w-[240px] shrink-0 overflow-y-auto">
      <h3 className="font-serif text-[15px] font-semibold">What was removed, and why</h3>
      {found.aside.map((entry) => (
        <div key={`${entry.construct} ${entry.indicator}`} className="mb-1.5 text-sm leading-[17px]">
          <div className="flex items-baseline gap-2">
            <button
              className="min-w-0 flex-1 truncate text-left hover:underline"
              onClick={() => select({ kind: "indicator", construct: entry.construct, name: entry.indicator })}
            >
              <span className="font-semibold">{entry.indicator}</span> from {entry.construct}
              {entry.revision !== null && `, revision ${order.get(entry.revision) ?? ""}`}
            </button>
            <TextButton
              disabled={!model.constructs.some((c) => c.name === entry.construct)}
              onClick={() =>
                void gestures.change([
                  { type: "take_back", construct: entry.construct, indicator: entry.indicator },
                ])
              }
            >
              Take back
            </TextButton>
          </div>
          {entry.reason && <p className="font-serif italic">“{entry.reason}”</p>}
          <p className="text-quiet">
            loading {coefficient(entry.loading_then)} then · AVE {coefficient(entry.ave_before)} →{" "}
            {coefficient(entry.ave_after)}
          </p>
        </div>
      ))}
      {found.removed.map((entry) => (
        <div key={entry.words} className="mb-1.5 text-sm leading-[17px]">
          <p>
            <span className="font-semibold">
              {entry.cases > 0 ? `${entry.cases} ${entry.cases === 1 ? "case" : "cases"}` : "Columns"}
            </span>
            : {entry.words}
          </p>
          {entry.reason && <p className="font-serif italic">“{entry.reason}”</p>}
        </div>
      ))}
      {found.kept.map((entry) => (
        <p key={entry.indicator} className="flex items-baseline gap-1.5 text-sm">
          <Lock size={11} className="shrink-0 self-center" aria-hidden="true" /> {entry.indicator} kept
          {entry.reason && `: “${entry.reason}”`}
        </p>
      ))}
    </section>
  );
}
