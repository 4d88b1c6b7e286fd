export type Theme = "dusk-day" | "dusk-night";
const KEY = "dusk-arrow-theme";

export function storedTheme(): Theme {
  const kept = localStorage.getItem(KEY);
  if (kept === "dusk-day" || kept === "dusk-night") return kept;
  return window.matchMedia("(prefers-color-scheme: dark)").matches ? "dusk-night" : "dusk-day";
}

export function applyTheme(theme: Theme) {
  document.documentElement.dataset.theme = theme;
  localStorage.setItem(KEY, theme);
}
