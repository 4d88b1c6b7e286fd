import { ask, useServer } from "../client/server";
import { useDesk } from "../desk/desk";
import { Action } from "../shared/controls";

/** Says over every page when the server does not answer, or when this page is of an earlier version. */
export function ServerBanner() {
  const { answers, newer } = useServer();
  const waiting = useDesk((desk) => desk.saving || desk.typing);
  if (answers && !newer) return null;
  return (
    <div
      role="alert"
      data-testid="server-banner"
      className="flex h-9 shrink-0 items-center justify-center gap-4 bg-base-content px-4 text-sm text-base-100"
    >
      {answers ? (
        <>
          <span>A newer version of Dusk Arrow is running. This page is of the one before.</span>
          <Action size="xs" onClick={() => window.location.reload()}>
            Reload the page
          </Action>
        </>
      ) : (
        <>
          <span>
            The server does not answer. What was saved is safe
            {waiting ? "; what you did last is sent as soon as it answers" : ""}. Is it still running?
          </span>
          <Action size="xs" onClick={() => void ask()}>
            Try again
          </Action>
        </>
      )}
    </div>
  );
}
