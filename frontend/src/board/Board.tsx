import {
  ConnectionMode,
  MiniMap,
  ReactFlow,
  useNodesState,
  useReactFlow,
  useStore,
  type OnConnectEnd,
} from "@xyflow/react";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import type { ModelState, Project } from "../client/client";
import type { Gestures } from "../api/gestures";
import { usePlace } from "../shared/Dragging";
import { useKeys } from "../shared/keys";
import { nameConstruct, type ColumnsInHand } from "../desk/columns";
import { select, useDesk } from "../desk/desk";
import { onBoard } from "./boardKeys";
import { proposeCovariance } from "./PathPrompt";
import { BoardBar } from "./BoardBar";
import { ConstructCard, type CardNode } from "./ConstructCard";
import { CovarianceArc, type ArcEdge } from "./CovarianceArc";
import { EmptyBoard } from "./EmptyBoard";
import { PathArrow, type PathEdge } from "./PathArrow";

const NODES = { card: ConstructCard };
const EDGES = { path: PathArrow, arc: CovarianceArc };
const FOOT = 44; // the bar under the cards
const MANY_ARCS = 28; // beyond these only the arcs of what is selected are drawn
const MANY_CARDS = 9; // from these on there is a small map

interface Props {
  project: Project;
  model: ModelState;
  gestures: Gestures;
}

/** The card under a point of the screen. */
function cardAt(x: number, y: number): string | null {
  for (const element of document.elementsFromPoint(x, y)) {
    const card = element.closest<HTMLElement>("[data-card]");
    if (card) return card.dataset.card ?? null;
  }
  return null;
}

export function Board({ project, model, gestures }: Props) {
  const ground = useRef<HTMLDivElement>(null);
  const { setViewport, zoomIn, zoomOut } = useReactFlow();
  const stale = !model.estimated;
  const { board } = model;
  const latest = useRef(gestures);
  useEffect(() => {
    latest.current = gestures;
  });
  const fold = useCallback(
    (name: string, folded: boolean) =>
      void latest.current.look({ cards: { [name]: folded ? "folded" : "opened" } }),
    [],
  );

  const selected = useDesk(({ selection }) =>
    selection?.kind === "construct" || selection?.kind === "observed"
      ? selection.name
      : selection?.kind === "indicator"
        ? selection.construct
        : null,
  );
  const placed = useMemo<CardNode[]>(
    () =>
      board.cards.map((card) => ({
        id: card.name,
        type: "card",
        position: { x: card.box.x, y: card.box.y },
        width: card.box.width,
        height: card.box.height,
        data: {
          construct: model.constructs.find((c) => c.name === card.name) ?? null,
          card,
          stale,
          gestures,
          fold,
        },
      })),
    // The gestures are new functions at every rendering but do the same.
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [board, model.constructs, stale],
  );
  const [nodes, setNodes, onNodesChange] = useNodesState<CardNode>(placed);
  useEffect(() => setNodes(placed), [placed, setNodes]);
  useEffect(
    () => setNodes((old) => old.map((node) => ({ ...node, zIndex: node.id === selected ? 20 : 0 }))),
    [selected, placed, setNodes],
  );

  const edges = useMemo<(PathEdge | ArcEdge)[]>(() => {
    const few = board.arcs.length <= MANY_ARCS;
    return [
      ...board.arrows.map((arrow): PathEdge => ({
        id: `${arrow.kind}\u0000${arrow.from}\u0000${arrow.to}`,
        type: "path",
        source: arrow.from,
        target: arrow.to,
        sourceHandle: "right",
        targetHandle: "left",
        data: { arrow, stale, brief: board.brief },
      })),
      ...board.arcs
        .filter((arc) => few || arc.said || (selected !== null && arc.cards.includes(selected)))
        .map((arc): ArcEdge => ({
          id: `covariance\u0000${arc.from}\u0000${arc.to}`,
          type: "arc",
          source: arc.cards[0] ?? "",
          target: arc.cards[1] ?? "",
          sourceHandle: "right",
          targetHandle: "left",
          data: { arc, stale, labelled: true },
        })),
    ];
  }, [board, stale, selected]);

  const fit = useCallback(() => {
    const element = ground.current;
    if (!element || board.cards.length === 0) return;
    const { clientWidth: width, clientHeight: height } = element;
    const zoom = Math.min(
      1.1,
      Math.max(0.3, Math.min((width - 8) / board.width, (height - FOOT - 6) / board.height)),
    );
    void setViewport({
      x: Math.max(4, (width - board.width * zoom) / 2),
      y: Math.max(4, (height - FOOT - board.height * zoom) / 2),
      zoom,
    });
  }, [board.width, board.height, board.cards.length, setViewport]);
  const shape = `${board.cards.map((c) => c.name).join()}|${model.paths.length}|${Math.round(board.width)}|${Math.round(board.height)}`;
  useEffect(() => {
    fit();
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [shape]);
  useRoom(ground, model, gestures, fit);
  useKeys(
    {
      whole: fit,
      larger: () => void zoomIn(),
      smaller: () => void zoomOut(),
    },
    onBoard,
  );

  const pins = Object.fromEntries(
    board.cards.filter((c) => c.pinned).map((c) => [c.name, { x: c.box.x, y: c.box.y }]),
  );
  const connectEnd: OnConnectEnd = (event, connection) => {
    const from = connection.fromNode?.id;
    const point = "changedTouches" in event ? event.changedTouches[0] : event;
    const to = point ? cardAt(point.clientX, point.clientY) : null;
    if (!from || !to || from === to) return;
    if (connection.fromHandle?.id === "covary") return proposeCovariance(from, to);
    void gestures.change([{ type: "add_path", source: from, target: to }]);
    select({ kind: "path", source: from, target: to });
  };
  const place = usePlace<ColumnsInHand>("board", {
    accepts: ["columns"],
    drop: ({ what }) => nameConstruct(what.columns, what.stem, model, project),
  });

  return (
    <div
      ref={(element) => {
        ground.current = element;
        place.node(element);
      }}
      aria-label="Board"
      role="region"
      className="board-ground relative h-full overflow-hidden rounded-box"
    >
      {board.cards.length === 0 && <EmptyBoard project={project} model={model} gestures={gestures} />}
      <ReactFlow
        nodes={nodes}
        edges={edges}
        nodeTypes={NODES}
        edgeTypes={EDGES}
        onNodesChange={onNodesChange}
        onNodeDragStop={(_, node) => void gestures.pin({ ...pins, [node.id]: node.position }, pins)}
        onConnectEnd={connectEnd}
        onPaneClick={() => select(null)}
        connectionMode={ConnectionMode.Loose}
        connectionLineStyle={{ stroke: "var(--color-primary)", strokeWidth: 2.5 }}
        nodeDragThreshold={4}
        nodesFocusable={false}
        edgesFocusable={false}
        elementsSelectable={false}
        disableKeyboardA11y
        deleteKeyCode={null}
        minZoom={0.2}
        maxZoom={2}
        zoomOnDoubleClick={false}
        proOptions={{ hideAttribution: true }}
      >
        {board.cards.length >= MANY_CARDS && <SmallMap width={board.width} height={board.height} />}
      </ReactFlow>
      {board.arcs.length > MANY_ARCS && selected === null && (
        <p className="pointer-events-none absolute inset-x-0 top-3 text-center text-sm text-quiet">
          {board.arcs.length} covariances: select a construct to see its own.
        </p>
      )}
      <BoardBar project={project} model={model} gestures={gestures} fit={fit} pins={pins} />
    </div>
  );
}

/** The whole of a large model, small, while some of it is out of sight. */
function SmallMap({ width, height }: { width: number; height: number }) {
  const hidden = useStore((s) => {
    const [x, y, zoom] = s.transform;
    return x < -4 || y < -4 || x + width * zoom > s.width + 4 || y + height * zoom > s.height - FOOT + 12;
  });
  if (!hidden) return null;
  return (
    <MiniMap
      pannable
      zoomable
      ariaLabel="Small map of the model"
      className="!bottom-11 !right-2 !m-0 rounded-md border border-line"
      style={{ width: 120, height: 76 }}
      bgColor="var(--color-base-100)"
      maskColor="color-mix(in srgb, var(--board-foot) 55%, transparent)"
      nodeColor="var(--color-base-300)"
    />
  );
}

/** Tells the server how much room there is, so that it can arrange the model in its proportions. */
function useRoom(
  ground: React.RefObject<HTMLDivElement | null>,
  model: ModelState,
  gestures: Gestures,
  fit: () => void,
) {
  const [room, setRoom] = useState<[number, number] | null>(null);
  useEffect(() => {
    const element = ground.current;
    if (!element) return;
    let timer: number | undefined;
    const observer = new ResizeObserver(() => {
      fit();
      window.clearTimeout(timer);
      timer = window.setTimeout(
        () => setRoom([element.clientWidth - 8, element.clientHeight - FOOT - 6]),
        120,
      );
    });
    observer.observe(element);
    return () => {
      window.clearTimeout(timer);
      observer.disconnect();
    };
  }, [ground, fit]);
  const known = model.view.room;
  useEffect(() => {
    if (!room || room[0] < 100 || room[1] < 100) return;
    if (known && Math.abs((known[0] ?? 0) - room[0]) < 24 && Math.abs((known[1] ?? 0) - room[1]) < 24) return;
    void gestures.look({ room });
    // Only another room is worth asking for.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [room, model.id]);
}
