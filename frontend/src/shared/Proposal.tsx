import { Dialog, DialogPanel, DialogTitle } from "@headlessui/react";
import { useState } from "react";
import type { ModelState } from "../client/client";
import type { Gestures } from "../api/gestures";
import { WhatIf } from "./WhatIf";
import { OfferHalf } from "./Half";
import { Primary, Quiet } from "./controls";
import { propose, select, useDesk, type Proposal as Proposed } from "../desk/desk";

/** Whatever removes or correlates goes this way: what it would do, why (optional), done. */
export function Proposal({ model, gestures }: { model: ModelState; gestures: Gestures }) {
  const proposal = useDesk((desk) => desk.proposal);
  return (
    <Dialog open={proposal !== null} onClose={() => propose(null)} className="relative z-50">
      <div className="fixed inset-0 bg-scrim" aria-hidden="true" />
      <div className="pointer-events-none fixed inset-x-0 top-[170px] flex justify-center">
        {proposal && <Asked key={proposal.question} {...{ model, gestures, proposal }} />}
      </div>
    </Dialog>
  );
}

function Asked({ model, gestures, proposal }: { model: ModelState; gestures: Gestures; proposal: Proposed }) {
  const [reason, setReason] = useState("");
  const { question, verb, changes, settings, steps, prompted = "own", withReason, then = null } = proposal;
  const done = () => {
    const why = reason.trim() || null;
    propose(null);
    if (proposal.act) return proposal.act();
    if (!steps) select(then); // what a step of the data brings is only there once it was taken
    void gestures
      .change(withReason ? withReason(why) : changes, why ?? undefined, prompted, steps)
      .then((state) => state && steps && select(then));
  };
  return (
    <DialogPanel className="pointer-events-auto w-[420px] rounded-box border border-line bg-base-100 p-4 shadow-xl">
      <DialogTitle className="font-serif text-[16px] font-semibold">{question}</DialogTitle>
      <WhatIf model={model} question="what it would do" {...{ changes, settings, steps }} />
      <form
        className="flex gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          done();
        }}
      >
        {proposal.act ? (
          <span className="flex-1" />
        ) : (
          <input
            autoFocus
            className="input input-sm flex-1"
            placeholder="Why? (optional)"
            aria-label="Reason"
            maxLength={2000}
            value={reason}
            onChange={(event) => setReason(event.target.value)}
          />
        )}
        <Primary type="submit">{verb}</Primary>
        <Quiet onClick={() => propose(null)}>Leave it</Quiet>
      </form>
      {prompted === "data" && <OfferHalf model={model} />}
    </DialogPanel>
  );
}
