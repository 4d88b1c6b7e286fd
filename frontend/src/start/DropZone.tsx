import { Upload } from "lucide-react";
import { useRef, useState } from "react";
import { useNavigate } from "react-router";
import { useIncoming } from "../importing/incoming";

interface Props {
  words: string;
  compact?: boolean;
  wave?: number | null;
}

/** Takes a file by drop or pick, and leads to its preview. */
export function DropZone({ words, compact = false, wave = null }: Props) {
  const input = useRef<HTMLInputElement>(null);
  const [over, setOver] = useState(false);
  const navigate = useNavigate();
  const begin = useIncoming((state) => state.begin);
  const look = (file: File | undefined) => {
    if (!file) return;
    begin(file, wave);
    void navigate("/import");
  };
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
      <button className={`btn btn-sm ${compact ? "" : "btn-primary"}`} onClick={() => input.current?.click()}>
        <Upload size={14} /> Choose a file
      </button>
      <input
        ref={input}
        type="file"
        accept=".csv,.tsv,.txt,.dat,.xlsx,.sav,.zsav,.dta,.sas7bdat,.parquet,text/csv"
        className="hidden"
        aria-label={wave === null ? "Data file" : "File of the next wave"}
        onChange={(event) => {
          look(event.target.files?.[0]);
          event.target.value = "";
        }}
      />
    </div>
  );
}
