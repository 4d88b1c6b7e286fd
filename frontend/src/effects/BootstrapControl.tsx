import { useChoices } from "../api/hooks";
import { useQuery } from "@tanstack/react-query";
import { useState, type ReactNode } from "react";
import { api, take, type ModelState, type Run } from "../client/client";
import { beginRun, isOpen } from "../api/runs";
import { Choose, LINK, Primary, TextButton } from "../shared/controls";
import { Floating } from "../shared/Floating";
import type { Scale } from "./scale";
import { keys } from "../client/queryKeys";

const INTERVALS = [
  { value: "percentile" as const, words: "percentile" },
  { value: "bias-corrected" as const, words: "bias-corrected" },
  { value: "bca" as const, words: "BCa" },
];
const LEVELS = [0.9, 0.95, 0.99].map((value) => ({ value, words: `${Math.round(100 * value)} %` }));
const RESAMPLES = [1000, 5000, 10000, 50000, 100000].map((value) => ({
  value,
  words: value.toLocaleString("en"),
}));
const SCALES: { value: Scale; words: string }[] = [
  { value: "standardized", words: "standardized (β)" },
  { value: "units", words: "in their units" },
];

const LONG = 30; // seconds that are waited for without a word

function duration(seconds: number): string {
  if (seconds < 90) return `${Math.max(1, Math.round(seconds))} s`;
  return seconds < 5400 ? `${Math.round(seconds / 60)} min` : `${Math.round(seconds / 3600)} h`;
}

/** How many resamples, from which seed, with which intervals, in one line; and the button that begins them. */
export function BootstrapControl(props: {
  model: ModelState;
  run: Run | undefined;
  /** Whether there are cases to be drawn: a matrix has none. */
  cases: boolean;
  scale: Scale;
  setScale: (scale: Scale) => void;
}) {
  const { model, run, cases, scale, setScale } = props;
  const before = model.shown?.settings;
  const [resamples, setResamples] = useState(5000);
  const [seed, setSeed] = useState(before?.seed ?? 20261);
  const [interval, setInterval] = useState(before?.interval ?? "percentile");
  const [level, setLevel] = useState(before?.level ?? 0.95);
  const running = isOpen(run);
  const pace = useQuery({
    queryKey: keys.pace(model.id, model.revision.id),
    enabled: cases && model.estimated && !running,
    staleTime: Infinity,
    queryFn: () => take(api.GET("/api/models/{model_id}/pace", { params: { path: { model_id: model.id } } })),
  }).data?.seconds_per_resample;
  const seconds = pace ? pace * resamples : 0;
  const less = RESAMPLES.filter((one) => one.value < resamples);
  const fewer = less.filter((one) => (pace ?? 0) * one.value <= LONG).pop() ?? less[0];
  const family = useChoices()?.families.find((one) => one.key === model.settings.family);
  const begin = () => {
    const how = model.settings;
    const option = family?.options.find((one) => one.name === "bollen_stine");
    const possible = option?.only_with.every(([name, values]) =>
      values?.includes(String(how[name as keyof typeof how])),
    );
    const testFit = Boolean(possible) && (model.shown?.df ?? 0) > 0;
    void beginRun(model.id, { resamples, seed, level, interval, bollen_stine: testFit, family: null });
  };
  const kind = INTERVALS.find((one) => one.value === interval)?.words;
  return (
    <form
      className="flex items-center gap-3 text-sm"
      onSubmit={(event) => {
        event.preventDefault();
        begin();
      }}
    >
      <Told words="resamples">{resamples.toLocaleString("en")}</Told>
      <Told words="intervals">
        {Math.round(100 * level)} % {kind}
      </Told>
      {seconds > LONG && !running && (
        <span data-testid="pace">
          <span className="text-quiet">takes about</span>{" "}
          <span className="font-semibold">{duration(seconds)}</span>
          {fewer && (
            <>
              {"; "}
              <TextButton onClick={() => setResamples(fewer.value)}>
                {fewer.words} take {duration((pace ?? 0) * fewer.value)}
              </TextButton>
            </>
          )}
        </span>
      )}
      <Told words="figures">{scale === "standardized" ? "standardized" : "in units"}</Told>
      <Floating
        button="Change…"
        title="Resamples, seed, intervals, and how effects are written"
        label="How effects are tested and written"
        className={LINK}
        panel="w-72 p-3"
        anchor="right"
        testid="change-bootstrap"
      >
        {() => (
          <div className="grid grid-cols-[5rem_1fr] items-center gap-x-3 gap-y-2">
            <span className="text-quiet">resamples</span>
            <Choose label="Number of resamples" value={resamples} set={setResamples} choices={RESAMPLES} />
            <span className="text-quiet" title="The same seed gives the same numbers again">
              seed
            </span>
            <input
              className="input input-sm text-right"
              aria-label="Seed"
              type="number"
              min={0}
              required
              value={Number.isNaN(seed) ? "" : seed}
              onChange={(event) => setSeed(event.target.valueAsNumber)}
            />
            <span className="text-quiet">intervals</span>
            <Choose label="Kind of interval" value={interval} set={setInterval} choices={INTERVALS} />
            <span className="text-quiet">level</span>
            <Choose label="Level of the intervals" value={level} set={setLevel} choices={LEVELS} />
            <span className="text-quiet">figures</span>
            <Choose label="Scale of the effects" value={scale} set={setScale} choices={SCALES} />
            <p className="col-span-2 text-quiet">
              The same seed gives the same numbers again. BCa takes a further fit for every case.
            </p>
          </div>
        )}
      </Floating>
      <Primary
        disabled={running || !cases || Number.isNaN(seed)}
        title={cases ? undefined : "A matrix has no cases to resample"}
        data-testid="bootstrap"
      >
        {running ? "Bootstrapping…" : "Bootstrap"}
      </Primary>
    </form>
  );
}

function Told({ words, children }: { words: string; children: ReactNode }) {
  return (
    <span>
      <span className="text-quiet">{words}</span> <span className="font-semibold">{children}</span>
    </span>
  );
}
