import { useCallback } from "react";
import { useDesk } from "../model/desk";

/** Work that may fail: what went wrong is said in the status line, and null comes back. The one way errors take. */
export function useAttempt() {
  const setComplaint = useDesk((desk) => desk.setComplaint);
  return useCallback(
    async <T>(work: () => Promise<T>): Promise<T | null> => {
      try {
        const found = await work();
        setComplaint(null);
        return found;
      } catch (error) {
        setComplaint(error instanceof Error ? error.message : String(error));
        return null;
      }
    },
    [setComplaint],
  );
}
