import { lazy } from "react";
import type { Station } from "../shared/station";

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
