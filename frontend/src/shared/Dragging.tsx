import {
  DndContext,
  DragOverlay,
  MouseSensor,
  pointerWithin,
  TouchSensor,
  useDraggable,
  useDroppable,
  useSensor,
  useSensors,
  type CollisionDetection,
} from "@dnd-kit/core";
import { useEffect, useState, type ReactNode } from "react";

/** What is in hand: of which kind, in words, and what a drop makes of it. */
export interface InHand<What> {
  kind: string;
  words: string;
  what: What;
}

interface Place {
  accepts: string[];
  /** Of places that lie in each other the one with the highest takes it. */
  depth: number;
  drop: (hand: InHand<never>, alt: boolean) => void;
}

/** The innermost place under the pointer that takes what is in hand. */
const innermost: CollisionDetection = (asked) => {
  const { kind } = handOf(asked.active);
  const depth = (id: string | number) =>
    placeOf(asked.droppableContainers.find((one) => one.id === id))?.depth ?? 0;
  return pointerWithin({
    ...asked,
    droppableContainers: asked.droppableContainers.filter((one) => placeOf(one)?.accepts.includes(kind)),
  }).sort((a, b) => depth(b.id) - depth(a.id));
};

type Held = { data: { current?: Record<string, unknown> } };
const placeOf = (one: Held | null | undefined) => one?.data.current as Place | undefined;
const handOf = (one: Held) => (one.data.current as { take: () => InHand<unknown> }).take();

/** Things can be taken in hand and put somewhere within this: by mouse at once, by touch after a moment. Keys have ways of their own. */
export function Dragging({ children }: { children: ReactNode }) {
  const sensors = useSensors(
    useSensor(MouseSensor, { activationConstraint: { distance: 5 } }),
    useSensor(TouchSensor, { activationConstraint: { delay: 220, tolerance: 6 } }),
  );
  const [hand, setHand] = useState<InHand<unknown> | null>(null);
  const alt = useAlt();
  return (
    <DndContext
      sensors={sensors}
      collisionDetection={innermost}
      accessibility={{
        screenReaderInstructions: { draggable: "" },
        announcements: {
          onDragStart: () => undefined,
          onDragOver: () => undefined,
          onDragEnd: () => undefined,
          onDragCancel: () => undefined,
        },
      }}
      onDragStart={({ active }) => setHand(handOf(active))}
      onDragCancel={() => setHand(null)}
      onDragEnd={({ over }) => {
        if (hand) placeOf(over)?.drop(hand as InHand<never>, alt.current);
        setHand(null);
      }}
    >
      {children}
      <DragOverlay dropAnimation={null} className="pointer-events-none">
        {hand && (
          <span className="inline-block max-w-56 truncate rounded-md bg-card px-2 py-0.5 font-semibold shadow-lg ring-1 ring-ember/50">
            {hand.words}
          </span>
        )}
      </DragOverlay>
    </DndContext>
  );
}

/** Whether Alt is held, without drawing anything anew. */
function useAlt() {
  const [alt] = useState({ current: false });
  useEffect(() => {
    const follow = (event: KeyboardEvent | MouseEvent) => {
      alt.current = event.altKey;
    };
    const names = ["keydown", "keyup", "mousemove"] as const;
    names.forEach((name) => window.addEventListener(name, follow));
    return () => names.forEach((name) => window.removeEventListener(name, follow));
  }, [alt]);
  return alt;
}

/** Makes something that can be taken in hand; `take` is asked when it is. */
export function useTake<What>(id: string, take: () => InHand<What>, disabled = false) {
  const { setNodeRef, listeners, isDragging } = useDraggable({ id, disabled, data: { take } });
  return { node: setNodeRef, listeners, isDragging };
}

/** Makes a place where things of some kinds can be put. */
export function usePlace<What>(
  id: string,
  place: { accepts: string[]; depth?: number; drop: (hand: InHand<What>, alt: boolean) => void },
) {
  const { setNodeRef, isOver } = useDroppable({ id, data: { depth: 0, ...place } });
  return { node: setNodeRef, isOver };
}
