import { describe, expect, test } from "vitest";
import { take, workedFor } from "../src/client/client";

const answer = (timing: string | null) => {
  const headers: Record<string, string> = timing === null ? {} : { "Server-Timing": timing };
  return { data: { revision: 1 }, response: new Response("{}", { headers }) };
};

describe("how long an answer took", () => {
  test("is what the server says of itself, not the way there and back", async () => {
    const data = await take(Promise.resolve(answer("work;dur=41.7")));
    expect(workedFor(data)).toBe(41.7);
  });

  test("is not known where nothing is told", async () => {
    expect(workedFor(await take(Promise.resolve(answer(null))))).toBeNull();
    expect(workedFor(await take(Promise.resolve(answer("cache;desc=hit"))))).toBeNull();
  });
});
