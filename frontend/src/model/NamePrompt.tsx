import { Dialog, DialogPanel } from "@headlessui/react";
import { useState } from "react";
import type { Gestures } from "../api/gestures";
import { Primary } from "../shared/controls";
import { focusOn, name as nameIt, select, useDesk, type Naming } from "../desk/desk";

/** A construct gets its name before it is made, so that both are one revision. */
export function NamePrompt({ gestures }: { gestures: Gestures }) {
  const naming = useDesk((desk) => desk.naming);
  return (
    <Dialog open={naming !== null} onClose={() => nameIt(null)} className="relative z-50">
      <div className="fixed inset-0 bg-scrim" aria-hidden="true" />
      <div className="pointer-events-none fixed inset-x-0 top-[190px] flex justify-center">
        {naming && <Asked key={naming.suggestion} naming={naming} gestures={gestures} />}
      </div>
    </Dialog>
  );
}

function Asked({ naming, gestures }: { naming: Naming; gestures: Gestures }) {
  const [text, setText] = useState(naming.suggestion);
  return (
    <DialogPanel className="pointer-events-auto w-80 rounded-box border border-line bg-base-100 p-4 shadow-xl">
      <form
        onSubmit={(event) => {
          event.preventDefault();
          const chosen = text.trim();
          if (!chosen) return;
          nameIt(null);
          void gestures.change(naming.make(chosen)).then((state) => {
            if (!state) return;
            select({ kind: "construct", name: chosen });
            focusOn(chosen);
          });
        }}
      >
        <label className="mb-2 block text-sm text-quiet" htmlFor="construct-name">
          What is it called?
        </label>
        <div className="flex gap-2">
          <input
            id="construct-name"
            autoFocus
            aria-label="Name of the construct"
            className="input input-sm flex-1 font-serif font-semibold"
            maxLength={200}
            value={text}
            onFocus={(event) => event.target.select()}
            onChange={(event) => setText(event.target.value)}
          />
          <Primary type="submit">Make it</Primary>
        </div>
      </form>
    </DialogPanel>
  );
}
