import { useQueryClient } from "@tanstack/react-query";
import { ChevronDown } from "lucide-react";
import { useCallback, useRef, useState } from "react";
import { useAttempt } from "../api/attempt";
import { api, take, type ModelState, type Project } from "../api/client";
import type { components } from "../api/schema";
import { useClickAway } from "../shared/useClickAway";

/** The models of a project: which one is on the desk, and the ways to begin, name or put away one. */
export function ModelMenu({
  project,
  model,
  open,
}: {
  project: Project;
  model: ModelState;
  open: (id: number) => void;
}) {
  const [shown, setShown] = useState(false);
  const [name, setName] = useState("");
  const box = useRef<HTMLDivElement>(null);
  const queries = useQueryClient();
  const tried = useAttempt();
  const close = useCallback(() => setShown(false), []);
  useClickAway(box, shown, close);
  const attempt = (work: () => Promise<void>) =>
    tried(async () => {
      await work();
      await queries.invalidateQueries({ queryKey: ["project", project.id] });
    });
  const begin = (copy: boolean) =>
    attempt(async () => {
      const created = await take<components["schemas"]["ModelCreated"]>(
        api.POST("/api/projects/{project_id}/models", {
          params: { path: { project_id: project.id } },
          body: {
            name: name.trim() || `Model ${project.models.length + 1}`,
            copy_of: copy ? model.id : null,
          },
        }),
      );
      setName("");
      setShown(false);
      open(created.model_id);
    });
  const edit = (body: { name: string | null; removed: boolean | null }) =>
    attempt(async () => {
      await take(api.PATCH("/api/models/{model_id}", { params: { path: { model_id: model.id } }, body }));
      await queries.invalidateQueries({ queryKey: ["model", model.id] });
      setName("");
      if (body.removed) open(project.models.find((m) => m.id !== model.id)?.id ?? model.id);
    });
  return (
    <div ref={box} className="relative" onKeyDown={(event) => event.key === "Escape" && setShown(false)}>
      <button
        className="btn btn-ghost btn-sm gap-1 font-normal"
        aria-expanded={shown}
        title="Models of this project"
        onClick={() => setShown(!shown)}
      >
        {model.name} <ChevronDown size={13} />
      </button>
      {shown && (
        <div
          role="dialog"
          aria-label="Models of this project"
          className="absolute left-0 top-9 z-40 w-[270px] rounded-box border border-line bg-base-100 p-3 shadow-lg"
        >
          {project.models.map((other) => (
            <button
              key={other.id}
              className={`block w-full rounded-md px-2 py-1 text-left hover:bg-base-200 ${other.id === model.id ? "font-semibold" : ""}`}
              aria-current={other.id === model.id}
              onClick={() => {
                setShown(false);
                open(other.id);
              }}
            >
              {other.name}
            </button>
          ))}
          <hr className="my-2 border-line" />
          <input
            className="input input-sm mb-2 w-full"
            aria-label="Name of a model"
            placeholder="a name"
            value={name}
            onChange={(event) => setName(event.target.value)}
          />
          <div className="flex flex-wrap gap-1.5">
            <button className="btn btn-xs border-none bg-base-300" onClick={() => void begin(true)}>
              Copy this model
            </button>
            <button className="btn btn-xs border-none bg-base-300" onClick={() => void begin(false)}>
              Empty model
            </button>
            <button
              className="btn btn-xs border-none bg-base-300"
              disabled={!name.trim()}
              onClick={() => void edit({ name: name.trim(), removed: null })}
            >
              Rename this
            </button>
            <button
              className="btn btn-ghost btn-xs"
              disabled={project.models.length < 2}
              onClick={() => void edit({ name: null, removed: true })}
            >
              Put this away
            </button>
          </div>
        </div>
      )}
    </div>
  );
}
