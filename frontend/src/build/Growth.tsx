import { useState } from "react";
import type { Change, ModelState, Project } from "../client/client";
import type { Gestures } from "../api/gestures";
import { owners } from "../desk/columns";
import { Primary } from "../shared/controls";
import { plain } from "../shared/numbers";
import { Chosen } from "./Chosen";
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
      <div className="-m-1 min-h-0 space-y-2 overflow-y-auto p-1">
        <Chosen
          question="Which occasions, in order?"
          names={occasions}
          left={free.map((c) => c.name)}
          first="the first…"
          next="the next…"
          set={setOccasions}
        />
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
