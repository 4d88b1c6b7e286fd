import type { Settings } from "../api/client";

/** Settings with another value of one of them. */
export function withChoice(settings: Settings, name: string, value: string | boolean): Settings {
  const part = { [name]: value } as Partial<Settings>;
  // Incomplete cases have observed information (Kenward & Molenberghs 1998) where nothing else was chosen.
  const observed = part.missing === "full-information" && settings.errors === "expected";
  return { ...settings, ...part, ...(observed ? { errors: "observed" as const } : {}) };
}
