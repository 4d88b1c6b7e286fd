import type { ComponentType, LazyExoticComponent } from "react";
import type { Gestures } from "../api/gestures";
import type { ModelState, Project, Run } from "../client/client";

/** What a station gets to work with. */
export interface StationProps {
  project: Project;
  model: ModelState;
  gestures: Gestures;
  run: Run | undefined;
}

export interface Station {
  key: string;
  label: string;
  show: LazyExoticComponent<ComponentType<StationProps>>;
  /** Whether the key figures of the model stand over it. */
  readout: boolean;
  /** How many things want attention there. */
  wanting: (project: Project, model: ModelState) => number;
}
