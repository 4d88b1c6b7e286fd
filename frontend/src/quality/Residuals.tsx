import type { ModelState } from "../client/client";
import { ResidualsView } from "../parameters/ResidualsView";

/** What of the correlations the model leaves, as a map and as a list of the largest. */
export function Residuals({ model }: { model: ModelState }) {
  return (
    <section aria-labelledby="residuals" className="col-span-3 mt-2 min-w-0 border-t border-line pt-4">
      <h2 id="residuals" className="mb-2 font-serif text-[18px] font-semibold">
        Where do the residuals lie?
      </h2>
      <ResidualsView model={model} />
    </section>
  );
}
