// Two different things must never be kept under one key: the second would be shown as the first.
import { QueryClient } from "@tanstack/react-query";
import { expect, test } from "vitest";
import { FOLLOWS, keys, refresh } from "../src/client/queryKeys";

const file = new File(["a"], "a.csv");
const kinds = Object.values(keys).map((key) =>
  typeof key === "function"
    ? (key as (...which: unknown[]) => readonly unknown[])(file, file, file)[0]
    : key[0],
);

test("every kind has a word of its own", () => {
  const alike = kinds.filter((kind, at) => kinds.indexOf(kind) !== at);
  expect(alike).toEqual(["comparison"]); // all comparisons, and one of them
});

test("a file looked at for itself is not the same file looked at as the next of a project", () => {
  expect(keys.preview(file, [])).not.toEqual(keys.nextFile(null, file, []));
});

test("what follows a change is among what is kept", () => {
  for (const kind of Object.values(FOLLOWS).flat()) expect(kinds).toContain(kind);
});

test("after other steps of the data everything that shows them is old, and nothing else", async () => {
  const queries = new QueryClient();
  queries.setQueryData(keys.screening(1, 2), "found");
  queries.setQueryData(keys.model(4), "estimated");
  queries.setQueryData(keys.choices, "settings");
  await refresh(queries, "steps");
  const old = (key: readonly unknown[]) => queries.getQueryState(key)?.isInvalidated;
  expect([old(keys.screening(1, 2)), old(keys.model(4)), old(keys.choices)]).toEqual([true, true, false]);
});
