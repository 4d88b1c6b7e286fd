import { X } from "lucide-react";
import { useState } from "react";
import type { Change, ModelState, Project } from "../api/client";
import type { Gestures } from "../api/hooks";
import { owners } from "../model/columns";
import { Primary } from "../shared/controls";
import { plain } from "../shared/numbers";
import { growthOf } from "./shapes";

interface Props {
  project: Project;
  model: ModelState;
  gestures: Gestures;
  close: () => void;
}

/** Growth over occasions: the columns in their order, the curve of their means, and the level and slope that will stand for it. */
export function Growth({ project, model, gestures, close }: Props) {
  const [occasions, setOccasions] = useState<string[]>([]);
  const [level, setLevel] = useState("Level");
  const [slope, setSlope] = useState("Slope");
  const owner = owners(model);
  const free = project.columns.filter(
    (c) => c.numeric && c.level !== "identifier" && !owner.has(c.name) && !occasions.includes(c.name),
  );
  const names = new Set(model.constructs.map((c) => c.name));
  const sound = level.trim() && slope.trim() && level.trim() !== slope.trim();
  const taken = names.has(level.trim()) || names.has(slope.trim());
  const make = () => {
    close();
    const changes: Change[] = growthOf(occasions, level.trim(), slope.trim());
    void gestures.change(changes);
  };
  return (
    <>
      <div className="min-h-0 space-y-2 overflow-y-auto">
        <div className="flex items-center gap-2">
          <span className="w-44 shrink-0 text-quiet">Which occasions, in order?</span>
          <div className="flex min-w-0 flex-wrap items-center gap-1.5">
            {occasions.map((name) => (
              <button
                key={name}
                type="button"
                className="flex items-center gap-1 rounded-full bg-base-300 px-2.5 py-0.5"
                aria-label={`${name}, take out`}
                onClick={() => setOccasions(occasions.filter((n) => n !== name))}
              >
                {name} <X size={11} />
              </button>
            ))}
            <select
              className="select select-xs w-36"
              aria-label="Which occasions, in order?"
              value=""
              onChange={(event) => setOccasions([...occasions, event.target.value])}
            >
              <option value="" disabled>
                {occasions.length > 0 ? "the next…" : "the first…"}
              </option>
              {free.map((c) => (
                <option key={c.name}>{c.name}</option>
              ))}
            </select>
          </div>
        </div>
        <div className="flex items-center gap-2">
          <span className="w-44 shrink-0 text-quiet">What are they called?</span>
          <input
            className="input input-xs w-36 font-serif font-semibold"
            aria-label="Where it begins"
            value={level}
            onChange={(event) => setLevel(event.target.value)}
          />
          <input
            className="input input-xs w-36 font-serif font-semibold"
            aria-label="How it goes on"
            value={slope}
            onChange={(event) => setSlope(event.target.value)}
          />
        </div>
        <Curve project={project} occasions={occasions} />
        <p className="text-sm text-quiet">
          Equally spaced occasions: every loading of {level || "the level"} is 1, those of{" "}
          {slope || "the slope"} are 0, 1, 2 and so on; the occasions’ intercepts are 0, so that the two means
          are where it begins and how much is added from one occasion to the next. The held loadings can be
          changed to other times in the sentences.
        </p>
      </div>
      <div className="mt-3 flex items-center justify-end gap-4">
        <span className="text-sm text-quiet">
          {occasions.length < 3
            ? "A line needs three occasions at least."
            : taken
              ? "There is a construct of that name already."
              : ""}
        </span>
        <Primary type="button" disabled={occasions.length < 3 || !sound || taken} onClick={make}>
          Make level and slope
        </Primary>
      </div>
    </>
  );
}

const WIDE = 420;
const HIGH = 110;

/** The means of the occasions, one after the other. */
function Curve({ project, occasions }: { project: Project; occasions: string[] }) {
  const means = occasions.flatMap((name) => {
    const mean = project.columns.find((c) => c.name === name)?.mean;
    return mean === null || mean === undefined ? [] : [{ name, mean }];
  });
  if (means.length < 2) return null;
  const [low, high] = [Math.min(...means.map((m) => m.mean)), Math.max(...means.map((m) => m.mean))];
  const x = (at: number) => 30 + (at * (WIDE - 60)) / (means.length - 1);
  const y = (mean: number) => HIGH - 30 - ((mean - low) / (high - low || 1)) * (HIGH - 58);
  return (
    <svg
      viewBox={`0 0 ${WIDE} ${HIGH}`}
      width={WIDE}
      height={HIGH}
      role="img"
      aria-label={`Means of the occasions: ${means.map((m) => `${m.name} ${plain(m.mean)}`).join(", ")}`}
    >
      <path
        d={means.map((m, at) => `${at ? "L" : "M"}${x(at)} ${y(m.mean)}`).join("")}
        fill="none"
        strokeWidth={1.8}
        className="stroke-arrow"
      />
      {means.map((m, at) => (
        <g key={m.name}>
          <circle cx={x(at)} cy={y(m.mean)} r={4.5} className="fill-gold" />
          <text x={x(at)} y={y(m.mean) - 9} textAnchor="middle" fontSize={11.5} className="fill-base-content">
            {plain(m.mean)}
          </text>
          <text x={x(at)} y={HIGH - 6} textAnchor="middle" fontSize={11.5} className="fill-quiet">
            {m.name}
          </text>
        </g>
      ))}
    </svg>
  );
}
