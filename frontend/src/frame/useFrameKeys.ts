import { useEffect, useRef } from "react";
import { useNavigate } from "react-router";
import type { Project } from "../client/client";
import { find } from "../desk/desk";
import { inText, useKeys } from "../shared/keys";
import { STATIONS } from "./stations";
import { switchTheme } from "../shared/theme";

const PATIENCE = 1500; // milliseconds for the second of two keys

/** Keys that work wherever somebody is. */
export function useFrameKeys(project: Project, undo: () => void, redo: () => void) {
  const navigate = useNavigate();
  const going = useRef(0);
  // The letter of a station comes after G; it is heard before anything else could take it.
  useEffect(() => {
    function onKey(event: KeyboardEvent) {
      if (!going.current || inText(event.target)) return;
      const begun = going.current;
      going.current = 0;
      if (performance.now() - begun > PATIENCE) return;
      const station = STATIONS.find((one) => one.label[0]?.toLowerCase() === event.key.toLowerCase());
      if (!station) return;
      event.preventDefault();
      event.stopImmediatePropagation();
      void navigate(`/projects/${project.id}/${station.key}`);
    }
    window.addEventListener("keydown", onKey, true);
    return () => window.removeEventListener("keydown", onKey, true);
  }, [navigate, project.id]);
  useKeys({
    find: () => find("actions"),
    keys: () => find("keys"),
    undo,
    redo,
    night: switchTheme,
    go: () => {
      going.current = performance.now();
    },
  });
}
