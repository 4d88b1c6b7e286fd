import type { Criterion, ModelState } from "../client/client";
import { useCriteria, useEstimates, useQuality } from "../api/hooks";
import { headline } from "../shared/headline";
import { containsZero } from "../shared/numbers";
import { DotPlot, type DotRow } from "./DotPlot";
import type { Measured } from "./use";

function cutsOf(criterion: Criterion | undefined): number[] {
  return [criterion?.good, criterion?.tolerable].filter((cut): cut is number => typeof cut === "number");
}

/** The same as pictures: reliability, AVE, R² and paths, with their intervals and cut-off lines. */
export function Plots({ model, measured }: { model: ModelState; measured: Measured }) {
  const criteria = useCriteria();
  const estimates = useEstimates(model).data;
  const drawn = useQuality(model).data?.bootstrap_figures ?? {};
  const composite = !model.traits.factors;
  const range = (key: string) => drawn[key]?.headline ?? null;
  const shown = measured.constructs.filter((c) => c.ave !== null || c.composite_reliability !== null);
  const reliability: DotRow[] = shown.map((c) => ({
    label: c.name,
    dots: [
      { value: c.composite_reliability, range: range(`quality.composite_reliability.${c.name}`) },
      ...(composite ? [{ value: c.rho_a, shape: "square" as const }] : []),
      { value: c.alpha, shape: "triangle" as const },
    ],
  }));
  const ave: DotRow[] = shown.map((c) => ({
    label: c.name,
    dots: [{ value: c.ave, range: range(`quality.ave.${c.name}`) }],
  }));
  const names = new Set([...model.constructs.map((c) => c.name), ...model.observed]);
  const outcomes = new Set(model.paths.map((p) => p.target));
  const explained: DotRow[] = Object.entries(estimates?.r_squared ?? {})
    .filter(([name, value]) => value !== null && names.has(name) && outcomes.has(name))
    .map(([name, value]) => ({ label: name, dots: [{ value, range: range(`r_squared.${name}`) }] }));
  const paths: DotRow[] = (estimates?.parameters ?? [])
    .filter((p) => p.kind === "path" && p.standardized !== null)
    .map((p) => {
      const bounds = headline(p);
      return {
        label: `${p.from} → ${p.to}`,
        dots: [{ value: p.standardized, range: bounds, open: containsZero(bounds) }],
      };
    });
  return (
    <section aria-labelledby="pictures" className="col-span-3 mt-2 min-w-0 border-t border-line pt-4">
      <h2 id="pictures" className="font-serif text-[18px] font-semibold">
        The same as pictures
      </h2>
      <div className="mt-2 grid grid-cols-2 gap-x-12 gap-y-6">
        {reliability.length > 0 && (
          <div>
            <h3 className="font-semibold">Reliability</h3>
            <DotPlot
              name="reliability"
              label="Reliability of every construct"
              rows={reliability}
              cuts={cutsOf(criteria.get("composite_reliability"))}
              legend={[
                { shape: "round", words: "composite reliability" },
                ...(composite ? [{ shape: "square" as const, words: "rho_A" }] : []),
                { shape: "triangle", words: "alpha" },
              ]}
            />
          </div>
        )}
        {ave.length > 0 && (
          <div>
            <h3 className="font-semibold">Average variance extracted</h3>
            <DotPlot
              name="ave"
              label="AVE of every construct"
              rows={ave}
              cuts={cutsOf(criteria.get("ave"))}
            />
          </div>
        )}
        {paths.length > 0 && (
          <div>
            <h3 className="font-semibold">Standardized paths</h3>
            <DotPlot name="paths" label="Standardized paths with intervals" rows={paths} cuts={[]} zero />
          </div>
        )}
        {explained.length > 0 && (
          <div>
            <h3 className="font-semibold">R²</h3>
            <DotPlot name="r-squared" label="R² of every outcome" rows={explained} cuts={[]} />
          </div>
        )}
      </div>
    </section>
  );
}
