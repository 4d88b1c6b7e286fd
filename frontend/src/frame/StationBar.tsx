import { NavLink } from "react-router";
import type { ModelState, Project } from "../client/client";
import { STATIONS } from "./stations";

interface Props {
  current: string;
  project: Project;
  model: ModelState;
}

/** The stations of the work along the horizon; the sun stands at the one in view. */
export function StationBar({ current, project, model }: Props) {
  return (
    <nav aria-label="Stations" className="relative shrink-0 px-4">
      <ul className="flex">
        {STATIONS.map((station) => {
          const count = station.wanting(project, model);
          const here = station.key === current;
          return (
            <li key={station.key} className="w-[148px]">
              <NavLink
                to={`/projects/${project.id}/${station.key}`}
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
