import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, take, type Step } from "../client/client";
import { complain } from "./desk";
import { keys, refresh } from "../client/queryKeys";

/** The recorded steps of a project, and the way to change the whole list. */
export function useSteps(projectId: number) {
  const queries = useQueryClient();
  const path = { params: { path: { project_id: projectId } } };
  const found = useQuery({
    queryKey: keys.steps(projectId),
    queryFn: () => take(api.GET("/api/projects/{project_id}/steps", path)),
  });
  const change = useMutation({
    mutationFn: (steps: Step[]) =>
      take(
        api.PUT("/api/projects/{project_id}/steps", {
          ...path,
          body: { parent: found.data?.data_version_id ?? 0, steps },
        }),
      ),
    onSuccess: async (part) => {
      complain(null);
      queries.setQueryData(keys.steps(projectId), part);
      await refresh(queries, "steps");
    },
    onError: (error) => complain(error.message),
  });
  const steps = found.data?.steps.map((line) => line.step) ?? [];
  return {
    part: found.data,
    steps,
    busy: change.isPending || !found.data,
    fault: change.error?.message ?? null,
    set: (next: Step[]) => change.mutateAsync(next).catch(() => null),
    add: (...more: Step[]) => change.mutateAsync([...steps, ...more]).catch(() => null),
  };
}

export type Steps = ReturnType<typeof useSteps>;

/** Holds cases out together with those that are held out for the same reason already. */
export function withHeldOut(steps: Step[], cases: number[], reason: string | null): Step[] {
  const at = steps.findIndex(
    (step) => step.type === "hold_out" && step.on && (step.reason ?? null) === reason,
  );
  const known = steps[at];
  if (known?.type !== "hold_out") return [...steps, { type: "hold_out", cases, reason, on: true }];
  const merged = [...new Set([...known.cases, ...cases])].sort((a, b) => a - b);
  return steps.map((step, index) => (index === at ? { ...known, cases: merged } : step));
}

/** Takes a case back into the analysis. */
export function withoutHeldOut(steps: Step[], one: number): Step[] {
  return steps.flatMap((step): Step[] => {
    if (step.type !== "hold_out") return [step];
    const cases = step.cases.filter((other) => other !== one);
    return cases.length > 0 ? [{ ...step, cases }] : [];
  });
}
