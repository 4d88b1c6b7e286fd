import { NavLink } from "react-router";
import type { ModelState, Project } from "../api/client";

export const STATIONS = [
  { key: "data", label: "Data" },
  { key: "model", label: "Model" },
  { key: "quality", label: "Quality" },
  { key: "effects", label: "Effects" },
  { key: "compare", label: "Compare" },
  { key: "report", label: "Report" },
] as const;
export type StationKey = (typeof STATIONS)[number]["key"];

interface Props {
  current: StationKey;
  projectId: number;
  project: Project;
  model: ModelState;
}

/** The six stations of the work along the horizon; the sun stands at the one in view. */
export function Stations({ current, projectId, project, model }: Props) {
  const wanting: Partial<Record<StationKey, number>> = {
    data: project.problems.length,
    model: model.results.problems.filter((p) => p.severity !== "note" && p.code !== "empty_model").length,
  };
  return (
    <nav aria-label="Stations" className="relative shrink-0 px-4">
      <ul className="flex">
        {STATIONS.map((station) => {
          const count = wanting[station.key] ?? 0;
          const here = station.key === current;
          return (
            <li key={station.key} className="w-[148px]">
              <NavLink
                to={`/projects/${projectId}/${station.key}`}
                className={`flex h-[38px] flex-col items-center justify-between ${here ? "font-semibold" : "text-quiet hover:text-base-content"}`}
              >
                <span className="flex items-center gap-1.5 pt-1 text-[14.5px]">
                  {station.label}
                  {count > 0 && (
                    <span
                      className="rounded-full bg-base-300 px-1.5 text-xs font-semibold text-base-content"
                      title={`${count} ${count === 1 ? "thing wants" : "things want"} attention`}
                    >
                      {count}
                    </span>
                  )}
                </span>
                <svg width="18" height="9" viewBox="0 0 18 9" aria-hidden="true">
                  {here ? (
                    <path d="M0 9a9 9 0 0 1 18 0z" className="fill-ember" />
                  ) : (
                    <path d="M5 9a4 4 0 0 1 8 0z" className="fill-base-300" />
                  )}
                </svg>
              </NavLink>
            </li>
          );
        })}
      </ul>
      <div className="absolute inset-x-0 bottom-0 h-px bg-gradient-to-r from-ember/70 via-gold/50 to-base-300" />
    </nav>
  );
}
