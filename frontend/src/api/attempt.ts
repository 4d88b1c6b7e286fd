import { complain } from "../desk/desk";

/** Work that may fail: what went wrong is said in the status line, and null comes back. The one way errors take. */
export async function attempt<T>(work: () => Promise<T>): Promise<T | null> {
  try {
    const found = await work();
    complain(null);
    return found;
  } catch (error) {
    complain(error instanceof Error ? error.message : String(error));
    return null;
  }
}
