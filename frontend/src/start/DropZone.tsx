import { Upload } from "lucide-react";
import { useRef, useState } from "react";
import { ProblemAnswer, type Created, type Problem, type ProblemDocument } from "../api/client";

/** Sends a file; multipart bodies are not JSON, so this is the one request made by hand. */
async function send(file: File): Promise<Created> {
  const form = new FormData();
  form.append("file", file);
  const answer = await fetch("/api/projects", { method: "POST", body: form });
  if (!answer.ok) throw new ProblemAnswer((await answer.json()) as ProblemDocument);
  return (await answer.json()) as Created;
}

interface Props {
  onCreated: (created: Created) => void;
  words: string;
  compact?: boolean;
}

export function DropZone({ onCreated, words, compact = false }: Props) {
  const input = useRef<HTMLInputElement>(null);
  const [over, setOver] = useState(false);
  const [reading, setReading] = useState<string | null>(null);
  const [problems, setProblems] = useState<Problem[]>([]);
  const read = async (file: File | undefined) => {
    if (!file) return;
    setReading(file.name);
    setProblems([]);
    try {
      onCreated(await send(file));
    } catch (error) {
      if (error instanceof ProblemAnswer) setProblems(error.problems);
      else {
        const message = "The file could not be sent. Is the server still running?";
        setProblems([{ code: "not_sent", severity: "error", message, about: [], repairs: [], place: null }]);
      }
    } finally {
      setReading(null);
    }
  };
  return (
    <div>
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
          void read(event.dataTransfer.files[0]);
        }}
      >
        <p className={compact ? "" : "text-[15px]"}>{reading ? `Reading ${reading}…` : words}</p>
        <button
          className={`btn btn-sm ${compact ? "" : "btn-primary"}`}
          onClick={() => input.current?.click()}
          disabled={reading !== null}
        >
          <Upload size={14} /> Choose a file
        </button>
        <input
          ref={input}
          type="file"
          accept=".csv,.tsv,.txt,.xlsx,.sav,.zsav,.dta,.sas7bdat,.parquet,text/csv"
          className="hidden"
          aria-label="Data file"
          onChange={(event) => {
            void read(event.target.files?.[0]);
            event.target.value = "";
          }}
        />
      </div>
      {problems.length > 0 && (
        <div role="alert" className="mt-3 border-l-2 border-plum pl-3">
          <p className="font-semibold">The file was not imported; nothing was stored.</p>
          {problems.map((problem) => (
            <p key={problem.message} className="mt-1">
              {problem.message}
            </p>
          ))}
        </div>
      )}
    </div>
  );
}
