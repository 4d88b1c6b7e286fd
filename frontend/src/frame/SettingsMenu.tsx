import { SlidersHorizontal } from "lucide-react";
import { useCallback, useRef, useState } from "react";
import type { ModelState, Settings } from "../api/client";
import type { Gestures } from "../api/hooks";
import { useClickAway } from "../shared/useClickAway";

type Choice<K extends keyof Settings> = { value: Settings[K]; words: string; hint: string };

const ESTIMATORS: Choice<"estimator">[] = [
  {
    value: "ml",
    words: "maximum likelihood",
    hint: "Close to normal; with robust errors it bears data that are not.",
  },
  {
    value: "gls",
    words: "generalised least squares",
    hint: "Close to normal; residuals are weighed by the sample's own covariances.",
  },
  {
    value: "adf",
    words: "distribution-free",
    hint: "Any distribution, with very many cases: far more than there are moments.",
  },
  {
    value: "uls",
    words: "unweighted least squares",
    hint: "No weights: every residual counts alike, so the result depends on the units.",
  },
];
const MISSING: Choice<"missing">[] = [
  { value: "listwise", words: "leave the case out", hint: "Listwise deletion; the cases lost are counted." },
  {
    value: "full-information",
    words: "full information",
    hint: "Every case counts with the answers it has.",
  },
  { value: "mean", words: "fill with the mean", hint: "Makes variances too small; for comparison only." },
];
const ERRORS: Choice<"errors">[] = [
  { value: "expected", words: "expected information", hint: "Normal theory, the usual standard errors." },
  {
    value: "observed",
    words: "observed information",
    hint: "Second derivatives; the default with missing answers.",
  },
  { value: "sandwich", words: "sandwich", hint: "Robust errors and the Yuan–Bentler test." },
  {
    value: "satorra-bentler",
    words: "Satorra–Bentler",
    hint: "Robust errors and the scaled test, complete cases.",
  },
];
const SCALINGS: Choice<"scaling">[] = [
  { value: "marker", words: "first loading is 1", hint: "The first indicator in use carries the scale." },
  { value: "unit-variance", words: "variance is 1", hint: "Every loading is free." },
];
const DIVISORS: Choice<"divisor">[] = [
  { value: "n", words: "n", hint: "χ² = N·F, as maximum likelihood has it." },
  { value: "n-1", words: "n − 1", hint: "χ² = (N − 1)·F." },
];

/** The words of an estimator, for the top line. */
export function estimatorWords(settings: Settings): string {
  const words = ESTIMATORS.find((choice) => choice.value === settings.estimator)?.words ?? settings.estimator;
  const robust = settings.errors === "sandwich" || settings.errors === "satorra-bentler" ? ", robust" : "";
  return `${words}${robust}${settings.missing === "full-information" ? ", full information" : ""}`;
}

/** How the model is estimated; every choice is a revision that can be undone. */
export function SettingsMenu({ model, gestures }: { model: ModelState; gestures: Gestures }) {
  const [open, setOpen] = useState(false);
  const box = useRef<HTMLDivElement>(null);
  const close = useCallback(() => setOpen(false), []);
  useClickAway(box, open, close);
  const settings = model.settings;
  const set = (part: Partial<Settings>) => void gestures.settings({ ...settings, ...part });
  return (
    <div ref={box} className="relative" onKeyDown={(event) => event.key === "Escape" && setOpen(false)}>
      <button
        className="btn btn-ghost btn-sm gap-2 font-normal"
        aria-expanded={open}
        title="How the model is estimated"
        onClick={() => setOpen(!open)}
      >
        <span className="text-quiet">common factors ·</span> {estimatorWords(settings)}
        <SlidersHorizontal size={14} />
      </button>
      {open && (
        <div
          role="dialog"
          aria-label="How the model is estimated"
          className="absolute right-0 top-9 z-40 w-[340px] rounded-box border border-line bg-base-100 p-4 shadow-lg"
        >
          <Pick
            label="Estimator"
            value={settings.estimator}
            choices={ESTIMATORS}
            set={(estimator) => set({ estimator })}
          />
          <Pick
            label="A missing answer"
            value={settings.missing}
            choices={MISSING}
            set={(missing) =>
              set({
                missing,
                errors:
                  missing === "full-information" && settings.errors === "expected"
                    ? "observed"
                    : settings.errors,
              })
            }
          />
          <Pick
            label="Standard errors"
            value={settings.errors}
            choices={ERRORS}
            set={(errors) => set({ errors })}
          />
          <Pick
            label="Scale of a construct"
            value={settings.scaling}
            choices={SCALINGS}
            set={(scaling) => set({ scaling })}
          />
          <Pick
            label="Divisor"
            value={settings.divisor}
            choices={DIVISORS}
            set={(divisor) => set({ divisor })}
          />
          <label className="flex items-center gap-2">
            <input
              type="checkbox"
              className="checkbox checkbox-sm"
              checked={settings.means}
              onChange={(event) => set({ means: event.target.checked })}
            />
            Levels too: means of columns and constructs
          </label>
          <a
            className="mt-3 block text-sm font-semibold text-ember hover:underline"
            href="/methods/estimation"
            target="_blank"
          >
            What each choice does
          </a>
        </div>
      )}
    </div>
  );
}

function Pick<V extends string>(props: {
  label: string;
  value: V;
  choices: { value: V; words: string; hint: string }[];
  set: (value: V) => void;
}) {
  const current = props.choices.find((choice) => choice.value === props.value);
  return (
    <label className="mb-3 block">
      <span className="mb-0.5 block text-sm text-quiet">{props.label}</span>
      <select
        className="select select-sm w-full"
        value={props.value}
        onChange={(event) => props.set(event.target.value as V)}
      >
        {props.choices.map((choice) => (
          <option key={choice.value} value={choice.value}>
            {choice.words}
          </option>
        ))}
      </select>
      <span className="mt-0.5 block text-sm text-quiet">{current?.hint}</span>
    </label>
  );
}
