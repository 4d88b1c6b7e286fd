import { useQueryClient } from "@tanstack/react-query";
import { Upload } from "lucide-react";
import { useEffect, useEffectEvent, useRef, useState } from "react";
import { useNavigate } from "react-router";
import { attempt } from "../api/attempt";
import { useChoices } from "../api/hooks";
import { useIncoming } from "../importing/incoming";
import { sendBundle } from "../importing/sending";
import { Action, Primary } from "../shared/controls";
import { keys } from "../client/queryKeys";

interface Props {
  words: string;
  compact?: boolean;
  project?: number | null;
}

/** A table on the clipboard as a file, where a paste is meant for no field. */
function pastedFile(event: ClipboardEvent): File | undefined {
  const { target, clipboardData } = event;
  if (target instanceof HTMLElement && target.closest("input, textarea, [contenteditable]")) return undefined;
  const text = clipboardData?.getData("text/plain") ?? "";
  return text.trim().includes("\n") ? new File([text], "pasted.txt") : clipboardData?.files[0];
}

/** Takes a file by drop or pick, or a table by paste, and leads to its preview. */
export function DropZone({ words, compact = false, project = null }: Props) {
  const input = useRef<HTMLInputElement>(null);
  const [over, setOver] = useState(false);
  const navigate = useNavigate();
  const endings = useChoices()?.formats.flatMap((format) => format.endings) ?? [];
  const queries = useQueryClient();
  const begin = useIncoming((state) => state.begin);
  const look = (file: File | undefined) => {
    if (!file) return;
    if (project === null && file.name.toLowerCase().endsWith(".zip")) {
      void attempt(() => sendBundle(file)).then(async (made) => {
        if (!made) return;
        await queries.invalidateQueries({ queryKey: keys.projects });
        void navigate(`/projects/${made.project_id}/model`);
      });
      return;
    }
    begin(file, project);
    void navigate("/import");
  };
  const pastes = project === null; // beside the table of a study a paste is hardly meant for another file
  const paste = useEffectEvent((event: ClipboardEvent) => look(pastedFile(event)));
  useEffect(() => {
    if (!pastes) return undefined;
    const pasted = (event: ClipboardEvent) => paste(event);
    document.addEventListener("paste", pasted);
    return () => document.removeEventListener("paste", pasted);
  }, [pastes]);
  const Pick = compact ? Action : Primary;
  return (
    <div
      className={`grid justify-items-center gap-3 rounded-box border border-dashed text-center ${compact ? "p-4" : "p-8"} ${over ? "border-ember bg-base-200" : "border-line"}`}
      onDragOver={(event) => {
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(event) => {
        event.preventDefault();
        setOver(false);
        look(event.dataTransfer.files[0]);
      }}
    >
      <p className={compact ? "" : "text-[15px]"}>{words}</p>
      <Pick onClick={() => input.current?.click()}>
        <Upload size={14} /> Choose a file
      </Pick>
      {pastes && (
        <p className="text-sm text-quiet">
          or paste a table here: cases, or correlations as a paper prints them
        </p>
      )}
      <input
        ref={input}
        type="file"
        accept={[...endings, ...(project === null ? [".zip"] : [])].join(",")}
        className="hidden"
        aria-label={project === null ? "Data file" : "The next file"}
        onChange={(event) => {
          look(event.target.files?.[0]);
          event.target.value = "";
        }}
      />
    </div>
  );
}
