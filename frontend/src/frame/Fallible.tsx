import { Component, type ReactNode } from "react";
import { useServer } from "../client/server";
import { Action } from "../shared/controls";

/** A part of the page that may fail without taking the rest with it: what did not arrive or broke is said, and a reload offered. */
export class Fallible extends Component<{ children: ReactNode }, { error: Error | null }> {
  state = { error: null };

  static getDerivedStateFromError(error: Error) {
    return { error };
  }

  render() {
    const { error } = this.state;
    return error ? <Failed error={error} /> : this.props.children;
  }
}

const NOT_ARRIVED = /dynamically imported module|module script|Importing a module|preload/i;

function Failed({ error }: { error: Error }) {
  const { answers } = useServer();
  const missing = NOT_ARRIVED.test(error.message);
  const why = !missing
    ? `Something went wrong on this page, not with your work (${error.message}).`
    : answers
      ? "A part of the application did not arrive; it may be of an earlier version."
      : "A part of the application did not arrive, because the server does not answer.";
  return (
    <section
      role="alert"
      className="grid h-full place-content-center justify-items-center gap-3 p-6 text-center"
    >
      <h2 className="font-serif text-xl font-semibold">This part cannot be shown</h2>
      <p className="max-w-prose text-quiet">{why} Nothing that was saved is lost.</p>
      <Action onClick={() => window.location.reload()} disabled={missing && !answers}>
        {missing && !answers ? "Waiting for the server…" : "Reload the page"}
      </Action>
    </section>
  );
}
