import { Moon, Sun } from "lucide-react";
import { useState } from "react";
import { Symbol } from "../shared/controls";
import { applyTheme, storedTheme } from "./theme";

export function ThemeSwitch() {
  const [theme, setTheme] = useState(storedTheme());
  const other = theme === "dusk-day" ? "dusk-night" : "dusk-day";
  const label = theme === "dusk-day" ? "Switch to night" : "Switch to day";
  return (
    <Symbol
      label={label}
      onClick={() => {
        applyTheme(other);
        setTheme(other);
      }}
    >
      {theme === "dusk-day" ? <Moon size={16} /> : <Sun size={16} />}
    </Symbol>
  );
}
