import type { Effect, ModelState, Project } from "../client/client";
import { plain } from "../shared/numbers";

/** What an effect means in the units of the answers: one category against another, or one more of something. */
export function Reading({ project, model, effect }: { project: Project; model: ModelState; effect: Effect }) {
  const sentence = reading(project, model, effect);
  return sentence ? (
    <>
      <p className="mt-2 text-sm text-quiet">in units</p>
      <p className="text-sm" data-testid="reading">
        {sentence}
      </p>
    </>
  ) : null;
}

/** The sentence; none among composites, whose scores have no unit. */
export function reading(
  project: Pick<Project, "columns">,
  model: Pick<ModelState, "constructs" | "settings" | "traits">,
  effect: Pick<Effect, "from" | "to" | "estimate" | "bootstrap">,
): string | null {
  if (!model.traits.factors || (model.settings.scaling ?? "marker") !== "marker") return null;
  const unit = (name: string) => {
    const construct = model.constructs.find((c) => c.name === name);
    return construct ? ` (as ${construct.indicators[0]} is scored)` : "";
  };
  const signed = (value: number) => `${value < 0 ? "" : "+"}${plain(value)}`;
  const column = project.columns.find((c) => c.name === effect.from);
  const labels = Object.entries(column?.value_labels ?? {})
    .map(([code, label]) => ({ code: Number(code), label }))
    .filter(({ code }) => Number.isFinite(code))
    .sort((a, b) => a.code - b.code);
  const [low, high] = labels;
  const points = `points on ${effect.to}${unit(effect.to)}`;
  if (low && high && labels.length === 2) {
    return `${high.label} against ${low.label}: ${signed(effect.estimate * (high.code - low.code))} ${points}.`;
  }
  return `One point more of ${effect.from}${unit(effect.from)}: ${signed(effect.estimate)} ${points}.`;
}
