import { create } from "zustand";

export type Theme = "dusk-day" | "dusk-night";
const KEY = "dusk-arrow-theme";

export function storedTheme(): Theme {
  const kept = localStorage.getItem(KEY);
  if (kept === "dusk-day" || kept === "dusk-night") return kept;
  return window.matchMedia("(prefers-color-scheme: dark)").matches ? "dusk-night" : "dusk-day";
}

/** Which of the two themes is in sight. */
export const useTheme = create<{ theme: Theme }>(() => ({ theme: storedTheme() }));

export function applyTheme(theme: Theme) {
  document.documentElement.dataset.theme = theme;
  localStorage.setItem(KEY, theme);
  useTheme.setState({ theme });
}

export function switchTheme() {
  applyTheme(useTheme.getState().theme === "dusk-day" ? "dusk-night" : "dusk-day");
}
