import { Moon, Sun } from "lucide-react";
import { useState } from "react";
import { applyTheme, storedTheme } from "./theme";

export function ThemeSwitch() {
  const [theme, setTheme] = useState(storedTheme());
  const other = theme === "dusk-day" ? "dusk-night" : "dusk-day";
  const label = theme === "dusk-day" ? "Switch to night" : "Switch to day";
  return (
    <button
      className="btn btn-ghost btn-sm btn-square"
      aria-label={label}
      title={label}
      onClick={() => {
        applyTheme(other);
        setTheme(other);
      }}
    >
      {theme === "dusk-day" ? <Moon size={16} /> : <Sun size={16} />}
    </button>
  );
}
