import type { ModelState } from "../client/client";
import { useProject } from "../api/hooks";
import { addIntervals, isOpen, useRun } from "../api/runs";
import { TextButton } from "../shared/controls";

/** A bootstrap begun from where intervals are missed; how it goes is said in the status line. */
export function AddIntervals({ model }: { model: ModelState }) {
  const running = isOpen(useRun(model));
  const cases = useProject(model.project_id).data?.n_cases;
  if (cases === 0) return <span className="text-quiet">Intervals need the cases.</span>;
  const begin = () => void addIntervals(model.id, model.shown?.settings.seed);
  return (
    <TextButton disabled={running} onClick={begin}>
      {running ? "Intervals are on their way" : "Add intervals (1,000 resamples)"}
    </TextButton>
  );
}
