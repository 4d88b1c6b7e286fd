import type { Change, Repaired, Schemas, Step } from "../client/client";

const STEPS: Record<Step["type"], true> = {
  rename_column: true,
  describe_column: true,
  treat_as_missing: true,
  reverse: true,
  hold_out: true,
  hold_out_half: true,
  keep_cases: true,
  weight_cases: true,
  fill_with_mean: true,
  combine: true,
  center: true,
  dummy_code: true,
  drop_columns: true,
};

/** A repair of the data: a step to be recorded. */
export function isStep(repair: Repaired): repair is Step {
  return repair.type in STEPS;
}

/** A repair of the reading of a file: other options. */
export function isReadAgain(repair: Repaired): repair is Schemas["ReadAgain"] {
  return repair.type === "read_again";
}

/** A repair of the settings: another way of estimating. */
export function isChoice(repair: Repaired): repair is Schemas["Choose"] {
  return repair.type === "choose";
}

/** A repair of the model. */
export function isChange(repair: Repaired): repair is Change {
  return !isStep(repair) && !isReadAgain(repair) && !isChoice(repair);
}
