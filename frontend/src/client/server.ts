import type { QueryClient } from "@tanstack/react-query";
import { create } from "zustand";

const EVERY = 1200;
const SOON = 200; // after a miss
const PATIENCE = 1400;
const MISSES = 2; // a server that computes may be late once

/** Whether the server answers, and whether it has become another version than the one that this page is of. */
export const useServer = create<{ answers: boolean; newer: boolean }>(() => ({
  answers: true,
  newer: false,
}));

export const gone = () => useServer.getState().answers && useServer.setState({ answers: false });

/** Resolves once the server answers again. */
export function answersAgain(): Promise<void> {
  return new Promise((resolve) => {
    if (useServer.getState().answers) return resolve();
    const stop = useServer.subscribe(({ answers }) => {
      if (!answers) return;
      stop();
      resolve();
    });
  });
}

/** The script that this page began with, by which versions are told apart. */
const ownScript = () =>
  document
    .querySelector<HTMLScriptElement>("script[type=module][src]")
    ?.getAttribute("src")
    ?.replace(/^\//, "");

async function alive(): Promise<{ page: string | null } | null> {
  const answer = await fetch("/api/alive", { signal: AbortSignal.timeout(PATIENCE), cache: "no-store" });
  return answer.ok ? ((await answer.json()) as { page: string | null }) : null;
}

let missed = 0;

/** Asks once whether the server answers, and says so everywhere. */
export async function ask(): Promise<boolean> {
  try {
    const found = await alive();
    missed = 0;
    const script = ownScript();
    const built = script?.startsWith("assets/") ?? false; // pages under development have no versions
    const newer = built && found?.page != null && script !== found.page;
    useServer.setState({ answers: true, newer });
    return true;
  } catch (error) {
    missed += error instanceof DOMException ? 1 : MISSES;
    if (missed >= MISSES) gone();
    return false;
  }
}

/** Asks again and again; whatever is shown is fetched anew when the server is back. While it is away the page asks before it goes,
    where something is `unsaved`. */
export function watchServer(queries: QueryClient, unsaved: () => boolean) {
  const again = () =>
    void ask().then((found) => setTimeout(again, found || !useServer.getState().answers ? EVERY : SOON));
  setTimeout(again, EVERY);
  useServer.subscribe((now, before) => {
    if (now.answers && !before.answers) void queries.invalidateQueries();
  });
  window.addEventListener("beforeunload", (event) => {
    if (!useServer.getState().answers && unsaved()) event.preventDefault(); // the browser asks first
  });
}
