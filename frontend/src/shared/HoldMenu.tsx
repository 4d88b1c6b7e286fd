import { useState } from "react";
import type { ModelState, Schemas } from "../client/client";
import type { Gestures } from "../api/gestures";
import { Action, Primary } from "./controls";

/** Whether a family can hold parameters at values, or equal. */
export function canHold(model: ModelState): boolean {
  return model.traits.holds;
}

/** Holding parameters at a value, or setting them free again. */
export function HoldMenu(props: {
  model: ModelState;
  gestures: Gestures;
  parameters: Schemas["ParameterKey"][];
  held: boolean;
  begin: number;
  words?: string;
  size?: "sm" | "xs";
}) {
  const { model, gestures, parameters, held, begin, words = "Hold", size = "sm" } = props;
  const [text, setText] = useState<string | null>(null);
  if (!canHold(model)) return null;
  if (held) {
    return (
      <Action
        size={size}
        title="Estimate it again"
        onClick={() => void gestures.change([{ type: "free", parameters }])}
      >
        Release
      </Action>
    );
  }
  if (text === null) {
    return (
      <Action size={size} title="Keep it, but at a value of yours" onClick={() => setText(String(begin))}>
        {words} at…
      </Action>
    );
  }
  const value = Number(text.replace(",", ".").replace("−", "-"));
  const sound = text.trim() !== "" && Number.isFinite(value);
  return (
    <form
      className="flex items-center gap-1.5"
      onSubmit={(event) => {
        event.preventDefault();
        if (!sound) return;
        setText(null);
        void gestures.change([{ type: "hold", parameters, value }]);
      }}
    >
      <input
        autoFocus
        className={`input w-16 text-right ${size === "sm" ? "input-sm" : "input-xs"}`}
        inputMode="decimal"
        aria-label={`${words} at`}
        aria-invalid={!sound}
        value={text}
        onFocus={(event) => event.target.select()}
        onChange={(event) => setText(event.target.value)}
        onKeyDown={(event) => event.key === "Escape" && setText(null)}
      />
      <Primary size={size} type="submit" disabled={!sound}>
        Hold
      </Primary>
    </form>
  );
}
