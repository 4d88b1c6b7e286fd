import type { ModelState } from "../client/client";
import type { Gestures } from "../api/gestures";
import { useKeys } from "../shared/keys";
import { propose, select, useDesk } from "../desk/desk";
import { keeping, setAside } from "../desk/doing";

const QUESTIONS = ["shown", "apart", "overlap", "hurts", "what-if"];

/** Keys of the Quality station: items one after another, what is done with them, and from question to question. */
export function useQualityKeys(model: ModelState, gestures: Gestures) {
  const items = model.constructs.flatMap((c) =>
    c.indicators
      .filter((name) => !model.constructs.some((other) => other.name === name))
      .map((name) => ({ construct: c.name, name })),
  );
  const chosen = () => {
    const { selection } = useDesk.getState();
    return selection?.kind === "indicator" ? selection : null;
  };
  const step = (by: number) => () => {
    const one = chosen();
    const at = items.findIndex((i) => i.construct === one?.construct && i.name === one.name);
    const next = items[at < 0 ? (by > 0 ? 0 : items.length - 1) : (at + by + items.length) % items.length];
    if (!next) return false;
    select({ kind: "indicator", ...next });
    document
      .querySelector(`[data-testid="item-${CSS.escape(next.name)}"]`)
      ?.scrollIntoView({ block: "nearest" });
  };
  const ask = (question: number) => () => {
    const heading = document.getElementById(QUESTIONS[question] ?? "");
    const first = heading
      ?.closest("section")
      ?.querySelector<HTMLElement>("button:not([data-testid^='copy-']), [tabindex='0'], a");
    if (!heading) return false;
    heading.scrollIntoView({ block: "nearest" });
    first?.focus();
  };
  useKeys({
    "next-item": step(1),
    "item-before": step(-1),
    aside: () => {
      const one = chosen();
      const owner = model.constructs.find((c) => c.name === one?.construct);
      if (!one || !owner?.indicators.includes(one.name) || owner.kept.includes(one.name)) return false;
      propose({ ...setAside(one.construct, [one.name]), prompted: "data" });
    },
    essential: () => {
      const one = chosen();
      const owner = model.constructs.find((c) => c.name === one?.construct);
      if (!one || !owner) return false;
      void gestures.change([keeping(one.construct, one.name, !owner.kept.includes(one.name))]);
    },
    "question-1": ask(0),
    "question-2": ask(1),
    "question-3": ask(2),
    "question-4": ask(3),
    "question-5": ask(4),
  });
}
