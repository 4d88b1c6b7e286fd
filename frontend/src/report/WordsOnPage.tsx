import { useEffect, useRef, useState } from "react";
import type { ModelState, Schemas } from "../client/client";
import type { Gestures } from "../api/gestures";
import { TextButton } from "../shared/controls";
import { keepTyped, sendLeaving, typedBefore } from "../desk/typed";
import type { ReportOptions } from "../desk/figures";
import { edited, seenBefore } from "../desk/patch";

interface Props {
  model: ModelState;
  block: Schemas["WordsBlock"];
  options: ReportOptions;
  gestures: Gestures;
  selected: boolean;
}

/** Paragraphs on the page. They can be edited; what was edited says so, and says when the numbers have moved since. */
export function WordsOnPage({ model, block, options, gestures, selected }: Props) {
  const [editing, setEditing] = useState(() => typedBefore(`${model.id}-${block.key}`) !== null);
  const edit = options.edits[block.key];
  const seen = edit?.text ?? null;
  const beside = edit?.beside ?? [];
  const keep = (text: string | null, dropped: string[] = [], computed = block.mark) =>
    void gestures.words(block.key, { text, seen, computed, dropped });
  const moved = block.state === "moved";
  return (
    <>
      <h2>
        {block.title}
        {block.state !== "computed" && (
          <small>
            {moved ? "edited, and the numbers have moved since" : "edited"} ·{" "}
            <TextButton onClick={() => keep(null)}>as computed</TextButton>
          </small>
        )}
      </h2>
      {editing ? (
        <Writing {...{ model, block, options, gestures }} seen={seen} close={() => setEditing(false)} />
      ) : (
        <div
          role={selected ? "button" : undefined}
          tabIndex={selected ? 0 : undefined}
          title={selected ? "Click to edit" : undefined}
          className={selected ? "cursor-text" : ""}
          data-testid={`words-${block.key}`}
          onClick={() => selected && setEditing(true)}
          onKeyDown={(event) => event.key === "Enter" && setEditing(true)}
        >
          {block.paragraphs.map((one, at) => (
            <p key={at}>{one}</p>
          ))}
        </div>
      )}
      {beside.map((text) => (
        <div key={text} className="moved" data-testid={`beside-${block.key}`}>
          <b>Written in another window meanwhile:</b>
          {text.split("\n").map((one, at) => (
            <p key={at}>{one}</p>
          ))}
          <TextButton onClick={() => keep(text, [text])}>Use this</TextButton> ·{" "}
          <TextButton onClick={() => keep(seen, [text], edit?.computed)}>Drop it</TextButton>
        </div>
      ))}
      {moved && !editing && (
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

/** The paragraphs while somebody writes, a line each: kept when they are left, and not lost when the page is. */
function Writing(props: Omit<Props, "selected"> & { seen: string | null; close: () => void }) {
  const { model, block, options, gestures, close } = props;
  const what = `${model.id}-${block.key}`;
  const [typed] = useState(() => typedBefore(what));
  const [seen] = useState(() => seenBefore(typed, props.seen));
  const [text, write] = useState(typed?.text ?? block.paragraphs.join("\n"));
  const own = text.trim();
  const changed = own !== block.paragraphs.join("\n");
  const kept = !own || own === block.computed.join("\n") ? null : own;
  const now = { text: kept, seen, computed: block.mark };
  const latest = useRef(() => {});
  useEffect(() => {
    latest.current = () => {
      const address = `/api/models/${model.id}/report-choices`;
      if (changed) sendLeaving(address, "PATCH", edited(options, block.key, now).patch);
    };
  });
  useEffect(() => {
    const leaving = () => latest.current();
    window.addEventListener("pagehide", leaving);
    return () => window.removeEventListener("pagehide", leaving);
  }, []);
  const leave = () => {
    close();
    if (!changed) return keepTyped(what, null);
    void gestures.words(block.key, now).then((answer) => answer && keepTyped(what, null));
  };
  return (
    <textarea
      autoFocus
      aria-label={`${block.title}: a paragraph a line`}
      className="w-full rounded border border-black/30 bg-white p-1"
      rows={Math.max(4, Math.ceil(text.length / 95) + text.split("\n").length)}
      value={text}
      onChange={(event) => {
        write(event.target.value);
        keepTyped(what, { before: seen ?? "", text: event.target.value });
      }}
      onBlur={leave}
      onKeyDown={(event) => {
        if (event.key !== "Escape") return;
        event.stopPropagation();
        keepTyped(what, null);
        close();
      }}
    />
  );
}
