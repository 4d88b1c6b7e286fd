// @vitest-environment jsdom
// Gestures of one tab: one after the other, each on the revision that the one before made; nothing is lost in silence.
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, renderHook, waitFor } from "@testing-library/react";
import { afterEach, beforeEach, expect, test, vi } from "vitest";
import { useGestures } from "../src/api/gestures";
import { api, type ModelState } from "../src/client/client";
import { keys } from "../src/client/queryKeys";
import { useDesk } from "../src/desk/desk";

let model = 0; // each test has a model, and so a queue, of its own
const state = (revision: number) =>
  ({ id: model, revision: { id: revision, data_version_id: 1 } }) as unknown as ModelState;

function gestures(revision = 10) {
  const queries = new QueryClient();
  queries.setQueryData(keys.model(model), state(revision));
  const wrapper = ({ children }: { children: React.ReactNode }) => (
    <QueryClientProvider client={queries}>{children}</QueryClientProvider>
  );
  return { queries, ...renderHook(() => useGestures(model), { wrapper }).result.current };
}

const add = (target: string) => [{ type: "add_path" as const, source: "Training", target }];
type Sent = { body: { parent: number } };

beforeEach(() => {
  model += 1;
  useDesk.setState({ complaint: null });
});
afterEach(() => {
  cleanup();
  vi.restoreAllMocks();
});

test("the second of two quick gestures goes out on the revision that the first made", async () => {
  const parents: number[] = [];
  vi.spyOn(api, "POST").mockImplementation((async (_: string, { body }: Sent) => {
    parents.push(body.parent);
    await new Promise((resolve) => setTimeout(resolve, 20));
    return { data: state(body.parent + 1) };
  }) as never);
  const { change, queries } = gestures();
  await Promise.all([change(add("Efficacy")), change(add("Persistence"))]);
  expect(parents).toEqual([10, 11]);
  expect(queries.getQueryData<ModelState>(keys.model(model))?.revision.id).toBe(12);
});

test("a gesture that is refused says why, and the model is asked for anew where it had moved on", async () => {
  const problem = {
    type: "about:blank",
    title: "Conflict",
    status: 409,
    problems: [{ message: "The model has moved on." }],
  };
  vi.spyOn(api, "POST").mockImplementation((async () => ({ error: problem })) as never);
  const { change, queries } = gestures();
  expect(await change(add("Efficacy"))).toBeNull();
  expect(useDesk.getState().complaint).toBe("The model has moved on.");
  expect(queries.getQueryState(keys.model(model))?.isInvalidated).toBe(true);
  expect(queries.getQueryData<ModelState>(keys.model(model))?.revision.id).toBe(10);
});

test("a gesture after one that failed is sent all the same", async () => {
  const answers = [{ error: new Error("gone") }, { data: state(11) }];
  vi.spyOn(api, "POST").mockImplementation((async () => answers.shift()) as never);
  const { change, queries } = gestures();
  void change(add("Efficacy"));
  await change(add("Persistence"));
  await waitFor(() => expect(queries.getQueryData<ModelState>(keys.model(model))?.revision.id).toBe(11));
  expect(useDesk.getState().saving).toBe(false);
});

test("a step of the data makes what shows them old", async () => {
  const other = { ...state(11), revision: { id: 11, data_version_id: 2 } } as unknown as ModelState;
  vi.spyOn(api, "POST").mockImplementation((async () => ({ data: other })) as never);
  const { undo, queries } = gestures();
  queries.setQueryData(keys.screening(1, 1), "found");
  await undo();
  expect(queries.getQueryState(keys.screening(1, 1))?.isInvalidated).toBe(true);
});
