import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { api, take, type ProjectLine } from "../client/client";
import { attempt } from "../api/attempt";
import { useChoices, useProjects } from "../api/hooks";
import { Mark } from "../shared/Mark";
import { useDesk } from "../desk/desk";
import { Heading, Quiet, TextButton } from "../shared/controls";
import { ThemeSwitch } from "../shared/ThemeSwitch";
import { DropZone } from "./DropZone";
import { Horizon } from "./Horizon";
import { keys } from "../client/queryKeys";

export function StartPage() {
  const projects = useProjects();
  const queries = useQueryClient();
  const [removed, setRemoved] = useState<ProjectLine | null>(null);
  const complaint = useDesk((desk) => desk.complaint);
  const endings = useChoices()?.formats.flatMap((format) => format.endings) ?? [];
  const setAway = async (project: ProjectLine, away: boolean) => {
    const path = { project_id: project.id };
    await attempt(async () => {
      await take(
        api.PATCH("/api/projects/{project_id}", { params: { path }, body: { name: null, removed: away } }),
      );
      setRemoved(away ? project : null);
    });
    await queries.invalidateQueries({ queryKey: keys.projects });
  };
  return (
    <div className="flex h-full flex-col overflow-y-auto">
      <header className="flex h-[46px] shrink-0 items-center justify-between px-4">
        <Mark />
        <ThemeSwitch />
      </header>
      <Horizon />
      <main className="mx-auto grid w-full max-w-5xl flex-1 grid-cols-[1.25fr_1fr] gap-12 px-6 pb-10 pt-8">
        <section>
          <h1 className="mb-2 font-serif text-[26px] font-semibold leading-8">
            From a questionnaire to a path diagram
          </h1>
          <p className="mb-5 text-[15px]">
            Say which answers measure which construct and what leads to what; the estimates, their fit and the
            indirect effects appear as you build.
          </p>
          <DropZone words="Drop a data file here: one row a case, or a covariance matrix" />
          <p className="mt-3 text-sm text-quiet">
            {endings.join(", ")}. You see how it is read before anything is stored. Your data stay on this
            machine. A capsule or a project that was saved (.zip) opens as a new project.
          </p>
        </section>
        <section aria-label="Projects">
          <Heading className="mb-3">projects</Heading>
          {projects.isLoadingError && <p role="alert">{projects.error.message}</p>}
          {complaint && <p role="alert">{complaint}</p>}
          {projects.data?.projects.length === 0 && <p>No project yet. Drop a file to begin one.</p>}
          <ul className="space-y-1">
            {projects.data?.projects.map((project) => (
              <li key={project.id} className="group flex items-center rounded-box hover:bg-base-200">
                <Link to={`/projects/${project.id}/model`} className="block min-w-0 flex-1 px-3 py-2.5">
                  <span className="flex items-baseline gap-2">
                    <span className="truncate font-serif text-[17px] font-semibold">{project.name}</span>
                    {project.demo && <span className="text-sm text-ember">demo, made-up data</span>}
                  </span>
                  <span className="block truncate text-quiet">
                    {project.n_cases} cases × {project.n_columns} columns · last: {project.words}
                  </span>
                </Link>
                <Quiet
                  size="xs"
                  className="mr-2 opacity-0 focus:opacity-100 group-hover:opacity-100"
                  aria-label={`Remove ${project.name}`}
                  onClick={() => void setAway(project, true)}
                >
                  Remove
                </Quiet>
              </li>
            ))}
          </ul>
          {removed && (
            <p className="mt-3" role="status">
              {removed.name} was removed.{" "}
              <TextButton onClick={() => void setAway(removed, false)}>Bring it back</TextButton>
            </p>
          )}
        </section>
      </main>
    </div>
  );
}
