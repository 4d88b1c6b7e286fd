import { Moon, Sun } from "lucide-react";
import { Symbol } from "./controls";
import { switchTheme, useTheme } from "./theme";

export function ThemeSwitch() {
  const day = useTheme(({ theme }) => theme === "dusk-day");
  return (
    <Symbol label={day ? "Switch to night" : "Switch to day"} onClick={switchTheme}>
      {day ? <Moon size={16} /> : <Sun size={16} />}
    </Symbol>
  );
}
