import { X } from "lucide-react";

/** Names chosen one after the other: a question, those that were chosen, and a list of what is left. */
export function Chosen(props: {
  question: string;
  names: string[];
  left: string[];
  /** What the list says before anything, and once something, was chosen. */
  first: string;
  next: string;
  set: (names: string[]) => void;
}) {
  const { question, names, left, first, next, set } = props;
  return (
    <div className="flex items-center gap-2">
      <span className="w-44 shrink-0 text-quiet">{question}</span>
      <div className="flex min-w-0 flex-wrap items-center gap-1.5">
        {names.map((name) => (
          <button
            key={name}
            type="button"
            className="flex items-center gap-1 rounded-full bg-base-300 px-2.5 py-0.5"
            aria-label={`${name}, take out`}
            onClick={() => set(names.filter((n) => n !== name))}
          >
            {name} <X size={11} />
          </button>
        ))}
        <select
          className="select select-xs w-36"
          aria-label={question}
          value=""
          onChange={(event) => set([...names, event.target.value])}
        >
          <option value="" disabled>
            {names.length > 0 ? next : first}
          </option>
          {left.map((name) => (
            <option key={name}>{name}</option>
          ))}
        </select>
      </div>
    </div>
  );
}
