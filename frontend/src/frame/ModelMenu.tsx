import { useQueryClient } from "@tanstack/react-query";
import { ChevronDown } from "lucide-react";
import { useState } from "react";
import { attempt } from "../api/attempt";
import { api, take, type ModelState, type Project } from "../client/client";
import { Action, Quiet } from "../shared/controls";
import { Floating } from "../shared/Floating";
import { keys } from "../client/queryKeys";

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
  const [name, setName] = useState("");
  const queries = useQueryClient();
  const tried = (work: () => Promise<void>) =>
    attempt(async () => {
      await work();
      await queries.invalidateQueries({ queryKey: keys.project(project.id) });
    });
  const begin = (copy: boolean, close: () => void) =>
    tried(async () => {
      const created = await take(
        api.POST("/api/projects/{project_id}/models", {
          params: { path: { project_id: project.id } },
          body: {
            name: name.trim() || `Model ${project.models.length + 1}`,
            copy_of: copy ? model.id : null,
          },
        }),
      );
      setName("");
      close();
      open(created.model_id);
    });
  const edit = (body: { name: string | null; removed: boolean | null }) =>
    tried(async () => {
      await take(api.PATCH("/api/models/{model_id}", { params: { path: { model_id: model.id } }, body }));
      await queries.invalidateQueries({ queryKey: keys.model(model.id) });
      setName("");
      if (body.removed) open(project.models.find((m) => m.id !== model.id)?.id ?? model.id);
    });
  return (
    <Floating
      title="Models of this project"
      label="Models of this project"
      className="btn btn-ghost btn-sm gap-1 font-normal"
      panel="w-[270px] p-3"
      button={
        <>
          {model.name} <ChevronDown size={13} />
        </>
      }
    >
      {(close) => (
        <>
          {project.models.map((other) => (
            <button
              key={other.id}
              className={`block w-full rounded-md px-2 py-1 text-left hover:bg-base-200 ${other.id === model.id ? "font-semibold" : ""}`}
              aria-current={other.id === model.id}
              onClick={() => {
                close();
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
            <Action size="xs" onClick={() => void begin(true, close)}>
              Copy this model
            </Action>
            <Action size="xs" onClick={() => void begin(false, close)}>
              Empty model
            </Action>
            <Action
              size="xs"
              disabled={!name.trim()}
              onClick={() => void edit({ name: name.trim(), removed: null })}
            >
              Rename this
            </Action>
            <Quiet
              size="xs"
              disabled={project.models.length < 2}
              onClick={() => void edit({ name: null, removed: true })}
            >
              Put this away
            </Quiet>
          </div>
        </>
      )}
    </Floating>
  );
}
