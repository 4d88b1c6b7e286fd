import type { Schemas, Settings } from "../client/client";

/** Settings with another value of one of them. */
export function withChoice(settings: Settings, name: string, value: string | boolean): Settings {
  const part = { [name]: value } as Partial<Settings>;
  // Incomplete cases have observed information (Kenward & Molenberghs 1998) where nothing else was chosen.
  const observed = part.missing === "full-information" && settings.errors === "expected";
  // That default goes back with what it came with.
  const back =
    part.missing !== undefined &&
    part.missing !== "full-information" &&
    settings.missing === "full-information" &&
    settings.errors === "observed";
  const errors = observed ? ("observed" as const) : back ? ("expected" as const) : null;
  return { ...settings, ...part, ...(errors ? { errors } : {}) };
}

/** Settings of another family: what both have stays, the rest begins at its default. */
export function withFamily(settings: Settings, family: Schemas["FamilyPart"]): Settings {
  const own = (name: string) => family.options.find((one) => one.name === name);
  const kept = (name: keyof Settings) => {
    const choices = own(name)?.choices ?? [];
    const now = settings[name];
    return choices.some((choice) => choice.value === now) ? now : choices[0]?.value;
  };
  return {
    ...settings,
    family: family.key,
    estimator: kept("estimator"),
    missing: kept("missing"),
    errors: own("errors") ? settings.errors : "expected",
    means: own("means") ? settings.means : false,
    bollen_stine: own("errors") ? settings.bollen_stine : false,
  } as Settings;
}
