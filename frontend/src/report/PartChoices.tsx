import { useState } from "react";
import type { Schemas } from "../client/client";
import { copyTable } from "../shared/CopyAsReported";
import { Action, Explained, Heading } from "../shared/controls";
import type { Choosing, ReportOptions } from "../desk/figures";
import { Pick } from "./Pick";

type Block = Schemas["ReportDocument"]["blocks"][number];

/** What can be chosen of a table or of words: its title, how numbers are written, and taking it by the clipboard. */
export function PartChoices(props: {
  block: Block | undefined;
  options: ReportOptions;
  set: (change: Choosing) => void;
  setPart: (key: string, change: { title?: string | null }) => void;
}) {
  const { block, options, set, setPart } = props;
  const [copied, setCopied] = useState<string | null>(null);
  if (!block) {
    return <p className="text-sm text-quiet">Choose a part on the left, or click one on the page.</p>;
  }
  const copy = () => {
    if (block.kind === "table") {
      void copyTable(block, `Table ${block.number}. ${block.title}`).then(() => setCopied(block.key));
    } else if (block.kind === "words") {
      void navigator.clipboard.writeText(block.paragraphs.join("\n\n")).then(() => setCopied(block.key));
    }
  };
  return (
    <section className="text-sm" aria-label="How the part looks">
      <h2 className="mb-2 font-serif text-lg font-semibold">
        {block.kind === "table" ? `Table ${block.number}` : "The words"}
      </h2>
      <label className="mb-2 block">
        <Heading className="mb-0">title</Heading>
        <input
          key={block.key}
          className="input input-sm w-full"
          defaultValue={block.title}
          onBlur={(event) => {
            const title = event.target.value.trim();
            if (title !== block.title) setPart(block.key, { title: title || null });
          }}
          onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
        />
      </label>
      {block.kind === "table" && (
        <>
          <Pick
            label="decimals of coefficients, in all tables"
            value={options.decimals}
            choices={[
              [2, "2"],
              [3, "3"],
            ]}
            set={(decimals) => set((now) => ({ ...now, decimals }))}
          />
          <Pick
            label="zeros, in all tables"
            value={options.leading_zero ? "yes" : "no"}
            choices={[
              ["no", ".43"],
              ["yes", "0.43"],
            ]}
            set={(which) => set((now) => ({ ...now, leading_zero: which === "yes" }))}
          />
        </>
      )}
      {block.kind === "words" && block.key === "measures_and_fit" && (
        <Pick
          label="χ², in all words"
          value={options.n_in_chi_square ? "yes" : "no"}
          choices={[
            ["yes", "with N"],
            ["no", "without"],
          ]}
          set={(which) => set((now) => ({ ...now, n_in_chi_square: which === "yes" }))}
        />
      )}
      {block.kind === "words" && (
        <p className="mb-2 text-quiet">
          Click the words on the page to edit them. Edited words are kept, and marked when the numbers move.
        </p>
      )}
      <p className="flex items-center gap-4">
        <Action onClick={copy} data-testid="copy-part">
          {copied === block.key ? "Copied" : block.kind === "table" ? "Copy the table" : "Copy the words"}
        </Action>
        <Explained page="report">How it is made</Explained>
      </p>
    </section>
  );
}
