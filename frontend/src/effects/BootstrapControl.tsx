import { useChoices } from "../api/hooks";
import { useQuery } from "@tanstack/react-query";
import { useState, type ReactNode } from "react";
import { api, take, type ModelState, type Run, type Schemas } from "../client/client";
import { beginRun, isOpen } from "../api/runs";
import { Choose, LINK, Primary, TextButton } from "../shared/controls";
import { Floating } from "../shared/Floating";
import type { Scale } from "./scale";
import { keys } from "../client/queryKeys";

type Interval = NonNullable<Schemas["NewRun"]["interval"]>;

/** What a menu offers of a setting of every bootstrap, in the words that it is given there. */
function useOffered() {
  const run = useChoices()?.run ?? [];
  const of = (name: string) => run.find((one) => one.name === name);
  const numbers = (name: string, words: (value: number) => string) =>
    (of(name)?.numbers?.offered ?? []).map((value) => ({ value, words: words(value) }));
  return {
    resamples: numbers("bootstrap", (value) => value.toLocaleString("en")),
    levels: numbers("level", (value) => `${Math.round(100 * value)} %`),
    intervals: (of("interval")?.choices ?? []).map(({ value, words, hint }) => ({
      value: value as Interval,
      words,
      hint,
    })),
    usual: { resamples: of("bootstrap")?.numbers?.usual, seed: of("seed")?.numbers?.default },
  };
}

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
  const offered = useOffered();
  const [chosen, setResamples] = useState<number>();
  const resamples = chosen ?? offered.usual.resamples ?? 0;
  const [asked, setSeed] = useState<number>();
  const seed = asked ?? before?.seed ?? offered.usual.seed ?? NaN;
  const [interval, setInterval] = useState<Interval>(before?.interval ?? "percentile");
  const [level, setLevel] = useState(before?.level ?? 0.95);
  const running = isOpen(run);
  const pace = useQuery({
    queryKey: keys.pace(model.id, model.revision.id),
    enabled: cases && model.estimated && !running,
    staleTime: Infinity,
    queryFn: () => take(api.GET("/api/models/{model_id}/pace", { params: { path: { model_id: model.id } } })),
  }).data?.seconds_per_resample;
  const seconds = pace ? pace * resamples : 0;
  const less = offered.resamples.filter((one) => one.value < resamples);
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
  const kind = offered.intervals.find((one) => one.value === interval)?.words;
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
            <Choose
              label="Number of resamples"
              value={resamples}
              set={setResamples}
              choices={offered.resamples}
            />
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
            <Choose label="Kind of interval" value={interval} set={setInterval} choices={offered.intervals} />
            <span className="text-quiet">level</span>
            <Choose label="Level of the intervals" value={level} set={setLevel} choices={offered.levels} />
            <span className="text-quiet">figures</span>
            <Choose label="Scale of the effects" value={scale} set={setScale} choices={SCALES} />
            <p className="col-span-2 text-quiet">
              The same seed gives the same numbers again.{" "}
              {offered.intervals.find((one) => one.value === interval)?.hint}
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
