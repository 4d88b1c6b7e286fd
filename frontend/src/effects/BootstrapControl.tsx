import { useState } from "react";
import type { ModelState, Run } from "../api/client";
import { beginRun, isOpen } from "../api/hooks";
import { Choose, Primary } from "../shared/controls";

/** How many resamples, from which seed, with which intervals; and the button that begins them. */
export function BootstrapControl({ model, run }: { model: ModelState; run: Run | undefined }) {
  const [resamples, setResamples] = useState(5000);
  const [seed, setSeed] = useState(model.shown?.settings.seed ?? 20261);
  const [interval, setInterval] = useState<"percentile" | "bca">("percentile");
  const running = isOpen(run);
  const begin = () => {
    const how = model.settings;
    const testFit =
      how.missing === "listwise" &&
      (how.estimator === "ml" || how.estimator === "gls") &&
      (model.shown?.df ?? 0) > 0;
    const body = { resamples, seed, level: 0.95, interval, bollen_stine: testFit, family: null };
    void beginRun(model.id, body);
  };
  return (
    <form
      className="flex items-center gap-2 text-sm"
      onSubmit={(event) => {
        event.preventDefault();
        begin();
      }}
    >
      <label className="flex items-center gap-1.5">
        <span className="text-quiet">resamples</span>
        <Choose
          label="Number of resamples"
          className="w-21"
          value={resamples}
          set={setResamples}
          choices={[1000, 5000, 10000, 50000].map((value) => ({ value, words: value.toLocaleString("en") }))}
        />
      </label>
      <label className="flex items-center gap-1.5" title="The same seed gives the same numbers again">
        <span className="text-quiet">seed</span>
        <input
          className="input input-sm w-26 text-right"
          type="number"
          min={0}
          required
          value={Number.isNaN(seed) ? "" : seed}
          onChange={(event) => setSeed(event.target.valueAsNumber)}
        />
      </label>
      <label className="flex items-center gap-1.5">
        <span className="text-quiet">intervals</span>
        <Choose
          label="Kind of interval"
          className="w-27"
          value={interval}
          set={setInterval}
          choices={[
            { value: "percentile", words: "percentile" },
            { value: "bca", words: "BCa" },
          ]}
        />
      </label>
      <Primary disabled={running} data-testid="bootstrap">
        {running ? "Bootstrapping…" : "Bootstrap"}
      </Primary>
    </form>
  );
}
