import { Heading } from "../shared/controls";

const ON = "border-b-2 border-(--color-primary) font-semibold";
const OFF = "border-b-2 border-transparent text-quiet hover:text-base-content";

/** One of a few words, the chosen one underlined. */
export function Pick<V extends string | number>(props: {
  label: string;
  value: V;
  choices: readonly (readonly [V, string])[];
  set: (value: V) => void;
}) {
  const { label, value, choices, set } = props;
  return (
    <div className="mb-2" role="radiogroup" aria-label={label}>
      <Heading className="mb-0">{label}</Heading>
      <div className="flex flex-wrap gap-x-3.5">
        {choices.map(([key, words]) => (
          <button
            key={key}
            type="button"
            role="radio"
            aria-checked={key === value}
            className={key === value ? ON : OFF}
            onClick={() => set(key)}
          >
            {words}
          </button>
        ))}
      </div>
    </div>
  );
}

/** Any of a few words, those that are on underlined. */
export function PickAny(props: {
  label: string;
  choices: readonly (readonly [string, string, boolean])[];
  set: (key: string, on: boolean) => void;
}) {
  const { label, choices, set } = props;
  return (
    <div className="mb-2" role="group" aria-label={label}>
      <Heading className="mb-0">{label}</Heading>
      <div className="flex flex-wrap gap-x-3.5">
        {choices.map(([key, words, on]) => (
          <button
            key={key}
            type="button"
            aria-pressed={on}
            className={on ? ON : OFF}
            onClick={() => set(key, !on)}
          >
            {words}
          </button>
        ))}
      </div>
    </div>
  );
}
