import { useState } from "react";
import type { Schemas } from "../api/client";
import { TextButton } from "../shared/controls";
import type { ReportOptions } from "./figures";

/** Paragraphs on the page. They can be edited; what was edited says so, and says when the numbers have moved since. */
export function WordsOnPage(props: {
  block: Schemas["WordsBlock"];
  options: ReportOptions;
  set: (next: ReportOptions) => void;
  selected: boolean;
}) {
  const { block, options, set, selected } = props;
  const [text, write] = useState<string | null>(null);
  const others = Object.fromEntries(Object.entries(options.edits).filter(([key]) => key !== block.key));
  const keep = () => {
    if (text === null) return;
    const own = text.trim();
    const asIs = !own || own === block.computed.join("\n");
    const edits = asIs ? others : { ...others, [block.key]: { text: own, computed: block.mark } };
    set({ ...options, edits });
    write(null);
  };
  const asComputed = () => {
    set({ ...options, edits: others });
    write(null);
  };
  const moved = block.state === "moved";
  return (
    <>
      <h2>
        {block.title}
        {block.state !== "computed" && (
          <small>
            {moved ? "edited, and the numbers have moved since" : "edited"} ·{" "}
            <TextButton onClick={asComputed}>as computed</TextButton>
          </small>
        )}
      </h2>
      {text === null ? (
        <div
          role={selected ? "button" : undefined}
          tabIndex={selected ? 0 : undefined}
          title={selected ? "Click to edit" : undefined}
          className={selected ? "cursor-text" : ""}
          data-testid={`words-${block.key}`}
          onClick={() => selected && write(block.paragraphs.join("\n"))}
          onKeyDown={(event) => event.key === "Enter" && write(block.paragraphs.join("\n"))}
        >
          {block.paragraphs.map((one, at) => (
            <p key={at}>{one}</p>
          ))}
        </div>
      ) : (
        <textarea
          autoFocus
          aria-label={`${block.title}: a paragraph a line`}
          className="w-full rounded border border-black/30 bg-white p-1"
          rows={Math.max(4, Math.ceil(text.length / 95) + text.split("\n").length)}
          value={text}
          onChange={(event) => write(event.target.value)}
          onBlur={keep}
          onKeyDown={(event) => event.key === "Escape" && (event.stopPropagation(), write(null))}
        />
      )}
      {moved && text === null && (
        <div className="moved">
          <b>Computed now:</b>
          {block.computed.map((one, at) => (
            <p key={at}>{one}</p>
          ))}
        </div>
      )}
    </>
  );
}
