import { lazy, type ComponentType, type LazyExoticComponent } from "react";
import type { ModelState, Project, Run } from "../api/client";
import type { Gestures } from "../api/gestures";

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

const none = () => 0;

/** The stations of the work in their order. Adding one is adding a line here; its code is fetched when it is opened. */
export const STATIONS: Station[] = [
  {
    key: "data",
    label: "Data",
    show: lazy(() => import("../data/DataStation")),
    readout: false,
    wanting: (project) => project.problems.length,
  },
  {
    key: "model",
    label: "Model",
    show: lazy(() => import("../model/ModelStation")),
    readout: true,
    wanting: (_, model) =>
      model.problems.filter((p) => p.severity !== "note" && p.code !== "empty_model").length,
  },
  {
    key: "quality",
    label: "Quality",
    show: lazy(() => import("../quality/QualityStation")),
    readout: true,
    wanting: (_, model) =>
      model.problems.filter((p) =>
        ["weak_loading", "runs_against_block", "constructs_alike"].includes(p.code),
      ).length,
  },
  {
    key: "effects",
    label: "Effects",
    show: lazy(() => import("../effects/EffectsStation")),
    readout: true,
    wanting: none,
  },
  {
    key: "compare",
    label: "Compare",
    show: lazy(() => import("../compare/CompareStation")),
    readout: false,
    wanting: none,
  },
  {
    key: "report",
    label: "Report",
    show: lazy(() => import("../report/ReportStation")),
    readout: false,
    wanting: none,
  },
];
