import { Dialog, DialogPanel } from "@headlessui/react";
import { X } from "lucide-react";
import { useState } from "react";
import type { ModelState } from "../client/client";
import type { Gestures } from "../api/gestures";
import { EXPORTS } from "../shared/exports";
import { Explained, LINK, Symbol } from "../shared/controls";
import { Tabs } from "../shared/Tabs";
import { FitView } from "./FitView";
import { OmittedView } from "./OmittedView";
import { ParameterTable } from "./ParameterTable";
import { ResidualsView } from "./ResidualsView";

interface Props {
  model: ModelState;
  gestures: Gestures;
  close: () => void;
}

/** Everything about the estimates that does not fit on the board, a key away. */
export default function Details({ model, gestures, close }: Props) {
  const [tab, setTab] = useState("parameters");
  const composite = !model.traits.tests;
  const views = [
    {
      key: "parameters",
      words: "Parameters",
      show: () => <ParameterTable model={model} gestures={gestures} />,
    },
    { key: "fit", words: "Fit", show: () => <FitView model={model} /> },
    { key: "residuals", words: "Residuals", show: () => <ResidualsView model={model} /> },
    ...(composite
      ? []
      : [
          {
            key: "omitted",
            words: "What is left out",
            show: () => <OmittedView model={model} gestures={gestures} />,
          },
        ]),
  ];
  const beside = (
    <>
      <span className="flex-1" />
      {EXPORTS.filter((one) => one.offered === "estimates" && !(composite && one.factors)).map((one) => (
        <a key={one.key} className={`text-sm ${LINK}`} href={one.href(model)}>
          {one.words} (.{one.ending})
        </a>
      ))}
      <Explained page={composite ? "composites" : tab === "parameters" ? "estimation" : "fit"}>
        How it is computed
      </Explained>
      <Symbol label="Close" onClick={close}>
        <X size={16} />
      </Symbol>
    </>
  );
  return (
    <Dialog open onClose={close} aria-label="All parameters" className="relative z-30">
      <DialogPanel className="fixed inset-x-0 bottom-[27px] top-[149px] flex flex-col bg-base-100 px-4 pt-2">
        <Tabs label="Details of the estimates" views={views} at={tab} choose={setTab} beside={beside} />
      </DialogPanel>
    </Dialog>
  );
}
