import type { ModelState, Project } from "../client/client";
import type { Gestures } from "../api/gestures";
import { useKeys } from "../shared/keys";
import {
  focusOn,
  list,
  name,
  pathStart,
  propose,
  rename,
  select,
  startPath,
  unfoldTrail,
  useDesk,
  write,
} from "../desk/desk";
import { nameConstruct } from "../desk/columns";
import { duplicate, keeping, removal, setAside } from "../desk/doing";

const MEANT = "[aria-label='Board'], [aria-label='Shelf'], [aria-label='Trail'], nav[aria-label='Stations']";

/** Whether keys pressed there are meant for the board: on it, on the shelf or the trail, or nowhere in particular. */
export function onBoard(target: HTMLElement): boolean {
  if (useDesk.getState().listing) return false;
  return target === document.body || target.closest(MEANT) !== null;
}

/** The nearest card in a direction, seen from a card's middle. */
export function beside(
  model: Pick<ModelState, "board">,
  from: string,
  dx: number,
  dy: number,
): string | null {
  const middle = new Map(
    model.board.cards.map(({ name, box }) => [
      name,
      [box.x + box.width / 2, box.y + box.height / 2] as const,
    ]),
  );
  const here = middle.get(from);
  if (!here) return null;
  let best: { name: string; cost: number } | null = null;
  for (const [name, [x, y]] of middle) {
    const along = (x - here[0]) * dx + (y - here[1]) * dy;
    const aside = Math.abs((x - here[0]) * dy) + Math.abs((y - here[1]) * dx);
    if (name === from || along <= 1) continue;
    const cost = along + 2 * aside;
    if (!best || cost < best.cost) best = { name, cost };
  }
  return best?.name ?? null;
}

/** Keys of the board and of the items on it. Keys belong to what has the focus: nothing hidden is changed by them. */
export function useBoardKeys(project: Project, model: ModelState, gestures: Gestures) {
  const walk = (dx: number, dy: number) => () => {
    const { selection } = useDesk.getState();
    const from =
      selection?.kind === "construct" || selection?.kind === "observed"
        ? selection.name
        : selection?.kind === "indicator"
          ? selection.construct
          : null;
    const to = from ? beside(model, from, dx, dy) : model.board.cards[0]?.name;
    if (to) focusOn(to);
  };
  const start = (direction: "out" | "in") => () => {
    const from = pathStart(useDesk.getState().selection);
    if (!from) return false;
    startPath({ name: from, direction });
  };
  const item = () => {
    const { selection } = useDesk.getState();
    return selection?.kind === "indicator" ? selection : null;
  };
  const shift = (by: number) => () => {
    const one = item();
    const owner = model.constructs.find((c) => c.name === one?.construct);
    const at = owner && one ? owner.indicators.indexOf(one.name) : -1;
    const to = at + by;
    if (!owner || !one || at < 0 || to < 0 || to >= owner.indicators.length) return false;
    const order = owner.indicators.filter((other) => other !== one.name);
    order.splice(to, 0, one.name);
    void gestures.change([{ type: "order_indicators", construct: owner.name, indicators: order }]);
    focusOn(`${owner.name}\u0000${one.name}`);
  };
  useKeys(
    {
      "card-left": walk(-1, 0),
      "card-right": walk(1, 0),
      "card-up": walk(0, -1),
      "card-down": walk(0, 1),
      "path-out": start("out"),
      "path-in": start("in"),
      covary: () => {
        const { selection } = useDesk.getState();
        const from = selection?.kind === "indicator" ? selection.name : pathStart(selection);
        if (!from) return false;
        startPath({ name: from, direction: "with" });
      },
      rename: () => {
        const { selection } = useDesk.getState();
        if (selection?.kind !== "construct") return false;
        rename(selection.name);
      },
      duplicate: () => {
        const { selection } = useDesk.getState();
        if (selection?.kind !== "construct") return false;
        name(duplicate(selection.name, model, project));
      },
      fold: () => {
        const { selection } = useDesk.getState();
        const card = model.board.cards.find(
          (c) => selection?.kind === "construct" && c.name === selection.name,
        );
        if (!card) return false;
        void gestures.look({ cards: { [card.name]: card.folded ? "opened" : "folded" } });
      },
      new: () => nameConstruct([], null, model, project),
      remove: () => {
        const { selection, group } = useDesk.getState();
        const proposal = removal(group.length > 0 ? group : selection ? [selection] : [], model);
        if (!proposal) return false;
        propose(proposal);
      },
      sentences: () => write(!useDesk.getState().writing),
      trail: () => unfoldTrail(!useDesk.getState().trail),
      back: () => void (model.can_undo && gestures.undo()),
      forward: () => void (model.can_redo && gestures.redo()),
      covariances: () => void gestures.look({ arcs: !model.view.arcs }),
      arrange: () =>
        void gestures.pin(
          {},
          Object.fromEntries(
            model.board.cards.filter((c) => c.pinned).map((c) => [c.name, { x: c.box.x, y: c.box.y }]),
          ),
        ),
      deselect: () => {
        startPath(null);
        select(null);
      },
      aside: () => {
        const one = item();
        const owner = model.constructs.find((c) => c.name === one?.construct);
        if (!one || !owner) return false;
        if (owner.indicators.includes(one.name)) propose(setAside(one.construct, [one.name]));
        else void gestures.change([{ type: "take_back", construct: one.construct, indicator: one.name }]);
      },
      essential: () => {
        const one = item();
        const owner = model.constructs.find((c) => c.name === one?.construct);
        if (!one || !owner) return false;
        const essential = !owner.kept.includes(one.name);
        void gestures.change([keeping(one.construct, one.name, essential)]);
      },
      marker: () => {
        const one = item();
        if (!one) return false;
        void gestures.change([{ type: "make_marker", construct: one.construct, indicator: one.name }]);
      },
      "item-up": shift(-1),
      "item-down": shift(1),
    },
    onBoard,
  );
  useKeys({ parameters: () => void (model.estimated && list(!useDesk.getState().listing)) }, (target) =>
    useDesk.getState().listing ? target.closest("[aria-label='Board']") === null : onBoard(target),
  );
}
