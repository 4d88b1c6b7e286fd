import { useEffect, type RefObject } from "react";

/** Closes something that is open when the pointer goes down outside of it. */
export function useClickAway(box: RefObject<HTMLElement | null>, open: boolean, close: () => void) {
  useEffect(() => {
    if (!open) return;
    const away = (event: MouseEvent) => {
      if (!box.current?.contains(event.target as Node)) close();
    };
    window.addEventListener("mousedown", away);
    return () => window.removeEventListener("mousedown", away);
  }, [box, open, close]);
}
