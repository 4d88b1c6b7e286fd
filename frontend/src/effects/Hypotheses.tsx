import { Copy } from "lucide-react";
import type { Schemas } from "../client/client";
import { Symbol } from "../shared/controls";
import { Glyph } from "../shared/Glyph";

type Hypothesis = Schemas["HypothesisPart"];
const VERDICTS = { supported: "meets", "not supported": "borderline", opposite: "misses" } as const;

/** What was expected, and what the figures say of it: a sentence for the paper each. */
export function Hypotheses({ stated, look }: { stated: Hypothesis[]; look: (one: Hypothesis) => void }) {
  if (stated.length === 0) return null;
  return (
    <section aria-labelledby="expected" className="mb-2 max-h-28 overflow-y-auto border-b border-line pb-2">
      <h2 id="expected" className="sr-only">
        What was expected
      </h2>
      <ul>
        {stated.map((one) => (
          <li key={one.label + one.route.join()} className="flex items-center gap-2 text-sm">
            <Glyph
              verdict={one.answer === null ? "none" : VERDICTS[one.answer]}
              words={one.answer ?? "no answer yet"}
              size={9}
            />
            <button
              className="min-w-0 truncate text-left hover:underline"
              title={one.sentence}
              onClick={() => look(one)}
            >
              {one.sentence}
            </button>
            <Symbol
              label={`Copy the sentence of ${one.label}`}
              size="xs"
              onClick={() => void navigator.clipboard.writeText(one.sentence)}
            >
              <Copy size={12} />
            </Symbol>
          </li>
        ))}
      </ul>
    </section>
  );
}
