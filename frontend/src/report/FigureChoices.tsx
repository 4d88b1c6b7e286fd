import type { Schemas } from "../api/client";
import { Choose, Explained, Heading, LINK } from "../shared/controls";

export type Options = Schemas["FigureOptions"];
type Key = keyof Options;

const CHOICES: { key: Key; label: string; choices: { value: string | number; words: string }[] }[] = [
  {
    key: "parts",
    label: "parts",
    choices: [
      { value: "both", words: "items and paths" },
      { value: "structure", words: "paths alone" },
      { value: "measurement", words: "items alone" },
    ],
  },
  {
    key: "beside",
    label: "with each path",
    choices: [
      { value: "interval", words: "its interval" },
      { value: "stars", words: "stars" },
      { value: "p", words: "p" },
      { value: "se", words: "standard error" },
      { value: "nothing", words: "nothing" },
    ],
  },
  {
    key: "uncertain",
    label: "could be zero",
    choices: [
      { value: "dashed", words: "dashed" },
      { value: "grey", words: "grey" },
      { value: "hidden", words: "not drawn" },
      { value: "plain", words: "like the others" },
    ],
  },
  {
    key: "decimals",
    label: "decimals",
    choices: [
      { value: 2, words: "2" },
      { value: 3, words: "3" },
    ],
  },
];

const SWITCHES: { key: Key; words: string }[] = [
  { key: "standardized", words: "standardized" },
  { key: "leading_zero", words: "0.43 instead of .43" },
  { key: "loadings", words: "loadings and weights" },
  { key: "r_squared", words: "R² beside what is explained" },
  { key: "thickness", words: "lines as thick as β is large" },
  { key: "fit", words: "figures of fit below" },
  { key: "note", words: "note" },
];

/** How the figure is drawn; what is chosen is kept with the model. */
export function FigureChoices({ options, set }: { options: Options; set: (options: Options) => void }) {
  const change = (key: Key, value: unknown) => set({ ...options, [key]: value } as Options);
  return (
    <section className="w-60 shrink-0 overflow-y-auto text-sm" aria-label="How it is drawn">
      <Heading className="mb-2">How it is drawn</Heading>
      {CHOICES.map(({ key, label, choices }) => (
        <div key={key} className="mb-2 flex items-center justify-between gap-2">
          <span className="text-quiet">{label}</span>
          <Choose
            label={label}
            size="xs"
            className="w-34"
            value={options[key] as string | number}
            set={(value) => change(key, value)}
            choices={choices}
          />
        </div>
      ))}
      {SWITCHES.map(({ key, words }) => (
        <label key={key} className="flex cursor-pointer items-center gap-2 py-1">
          <input
            type="checkbox"
            className="checkbox checkbox-xs"
            checked={Boolean(options[key])}
            onChange={(event) => change(key, event.target.checked)}
          />
          {words}
        </label>
      ))}
      <p className="mt-3">
        <Explained page="figure">What each choice does</Explained>
      </p>
      <p className="mt-2 text-quiet">
        <a
          className={LINK}
          href={`data:application/json,${encodeURIComponent(JSON.stringify(options))}`}
          download="figure-options.json"
        >
          Save these choices
        </a>{" "}
        for the command line (<code>--figure-options</code>).
      </p>
    </section>
  );
}
