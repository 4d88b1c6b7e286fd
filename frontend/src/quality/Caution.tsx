import { useState } from "react";
import type { ModelState } from "../client/client";
import { useTrail } from "../api/hooks";
import { TextButton } from "../shared/controls";
import { Half } from "../shared/Half";

/** How many changes came from these data, from the beginning to where the model stands: a sun for each, and the next one
 * dashed; which they were, and the half of the cases that has not seen them. */
export function Caution({ model }: { model: ModelState }) {
  const trail = useTrail(model).data;
  const [open, unfold] = useState(false);
  const way = new Set(trail?.way);
  const changes = (trail?.revisions ?? []).filter((r) => r.prompted === "data" && way.has(r.id));
  const count = changes.length;
  return (
    <div className="mt-4">
      {count > 0 && (
        <div className="flex items-start gap-3" data-testid="caution">
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
          <div className="min-w-0 text-sm">
            <p>
              <span className="font-semibold">
                {count} {count === 1 ? "change" : "changes"} so far came from these data.
              </span>{" "}
              <span className="text-quiet">
                Say so in the paper, and confirm on cases they have not seen (MacCallum, Roznowski & Necowitz
                1992).
              </span>{" "}
              <TextButton aria-expanded={open} onClick={() => unfold(!open)}>
                {open ? "Fold" : "Which?"}
              </TextButton>
            </p>
            {open && (
              <ul className="mt-1">
                {changes.map((change) => (
                  <li key={change.id} className="mb-1 leading-[17px]">
                    {change.words}{" "}
                    <span className="text-quiet">
                      {change.reason ? `because “${change.reason}”` : "no reason given"}
                    </span>
                  </li>
                ))}
              </ul>
            )}
          </div>
        </div>
      )}
      <Half model={model} />
    </div>
  );
}
