import { lazy, Suspense } from "react";
import { useQuality, useSheet } from "../api/hooks";
import type { StationProps } from "../shared/station";
import { list, sheetOpen, useDesk } from "../desk/desk";
import { Proposal } from "../shared/Proposal";
import { NothingYet, TextButton } from "../shared/controls";
import { Apart } from "./Apart";
import { Caution } from "./Caution";
import { Chosen } from "./Chosen";
import { Hurts } from "./Hurts";
import { Items } from "./Items";
import { LeftOut } from "./LeftOut";
import { Overlap } from "./Overlap";
import { Plots } from "./Plots";
import { Predicts } from "./Predicts";
import { useQualityKeys } from "./qualityKeys";
import { Residuals } from "./Residuals";
import { Scores } from "./Scores";
import { WhatIfs } from "./WhatIfs";

const Details = lazy(() => import("../parameters/Details"));

/** Measurement as five questions, all answers at once. */
export default function QualityStation({ project, model, gestures }: StationProps) {
  useQualityKeys(model, gestures);
  const measured = useQuality(model).data?.quality;
  const sheet = useSheet().data;
  const listing = useDesk((desk) => desk.listing);
  if (!measured || measured.constructs.length === 0) {
    return (
      <NothingYet title="How good is the measurement?">
        {model.shown && !measured
          ? "Fetching…"
          : "Give a construct at least two items, and its quality shows here."}
      </NothingYet>
    );
  }
  const stale = model.estimated ? "" : "opacity-45";
  return (
    <>
      <h1 className="sr-only">Quality</h1>
      <div
        className={`relative grid h-full gap-6 overflow-y-auto px-4 pb-4 pt-1 ${stale} ${measured.constructs.length > 9 ? "grid-cols-[minmax(0,1.25fr)_minmax(0,1.62fr)_minmax(0,0.95fr)]" : "grid-cols-[minmax(0,1.75fr)_minmax(0,1fr)_minmax(0,0.95fr)]"}`}
      >
        <Items {...{ project, model, measured, gestures }} />
        <div className="min-w-0">
          <Apart {...{ model, measured }} />
          <Overlap {...{ model, measured }} />
          <Hurts model={model} />
        </div>
        <div className="min-w-0">
          <WhatIfs model={model} />
          <Chosen {...{ project, model, gestures }} />
          <Caution model={model} />
          <p className="mt-4 text-sm text-quiet">
            Verdicts follow {sheet?.words ?? "the usual cut-offs"}.{" "}
            <TextButton onClick={() => sheetOpen(true)}>Change…</TextButton>
          </p>
        </div>
        <Residuals model={model} />
        <LeftOut model={model} />
        <Predicts model={model} />
        <Scores {...{ project, model }} />
        <Plots {...{ model, measured }} />
      </div>
      <Proposal model={model} gestures={gestures} />
      {listing && (
        <Suspense>
          <Details model={model} gestures={gestures} close={() => list(false)} />
        </Suspense>
      )}
    </>
  );
}
