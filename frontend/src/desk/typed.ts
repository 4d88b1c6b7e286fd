import { useDesk } from "./desk";

/** What was typed and has not been left yet: kept in the browser letter by letter, so that a reload loses nothing of it. */
export interface Typed {
  /** What stood there before it was typed. */
  before: string;
  text: string;
}

const place = (what: string) => `dusk-arrow-typed-${what}`;

export function typedBefore(what: string): Typed | null {
  try {
    const found = JSON.parse(localStorage.getItem(place(what)) ?? "null") as Typed | null;
    return typeof found?.text === "string" && typeof found.before === "string" ? found : null;
  } catch {
    return null;
  }
}

/** Keeps what was typed, or (null) lets it go once it is saved; the foot of the frame says which. */
export function keepTyped(what: string, typed: Typed | null) {
  if (typed) localStorage.setItem(place(what), JSON.stringify(typed));
  else localStorage.removeItem(place(what));
  if (useDesk.getState().typing !== (typed !== null)) useDesk.setState({ typing: typed !== null });
}

/** Sends what was typed while the page goes away: the browser sees it through. */
export function sendLeaving(address: string, method: "PUT" | "PATCH", body: unknown) {
  const headers = { "Content-Type": "application/json" };
  void fetch(address, { method, headers, body: JSON.stringify(body), keepalive: true }).catch(
    () => undefined,
  );
}
