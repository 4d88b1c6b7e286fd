import { ConnectionMode, ReactFlow, useNodesState, useReactFlow, type OnConnectEnd } from "@xyflow/react";
import { useCallback, useEffect, useMemo, useRef, type DragEvent } from "react";
import type { ModelState, Project } from "../api/client";
import type { Gestures } from "../api/hooks";
import { list, rename, select } from "../model/desk";
import { Action } from "../shared/controls";
import { COLUMNS_IN_HAND, constructName, type InHand } from "../model/Shelf";
import { ConstructCard, type CardNode } from "./ConstructCard";
import { EmptyBoard } from "./EmptyBoard";
import { PathArrow, type PathEdge } from "./PathArrow";

const NODES = { card: ConstructCard };
const EDGES = { path: PathArrow };

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
  const { setViewport } = useReactFlow();
  const stale = !model.estimated;
  const { board } = model;

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
        },
      })),
    // The gestures are new functions at every rendering but do the same.
    // eslint-disable-next-line react-hooks/exhaustive-deps
    [board, model.constructs, stale],
  );
  const [nodes, setNodes, onNodesChange] = useNodesState<CardNode>(placed);
  useEffect(() => setNodes(placed), [placed, setNodes]);

  const edges = useMemo<PathEdge[]>(
    () =>
      board.arrows.map((arrow) => ({
        id: `${arrow.from}\u0000${arrow.to}`,
        type: "path",
        source: arrow.from,
        target: arrow.to,
        sourceHandle: "right",
        targetHandle: "left",
        data: { arrow, stale },
      })),
    [board, stale],
  );

  const fit = useCallback(() => {
    const element = ground.current;
    if (!element || board.cards.length === 0) return;
    const { clientWidth: width, clientHeight: height } = element;
    const zoom = Math.min(
      1.1,
      Math.max(0.4, Math.min((width - 8) / board.width, (height - 50) / board.height)),
    );
    void setViewport({
      x: Math.max(4, (width - board.width * zoom) / 2),
      y: Math.max(4, (height - 44 - board.height * zoom) / 2),
      zoom,
    });
  }, [board.width, board.height, board.cards.length, setViewport]);
  const shape = `${board.cards.map((c) => c.name).join()}|${model.paths.length}|${Math.round(board.width)}|${Math.round(board.height)}`;
  useEffect(() => {
    fit();
    window.addEventListener("resize", fit);
    return () => window.removeEventListener("resize", fit);
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [shape]);

  const pins = Object.fromEntries(
    board.cards.filter((c) => c.pinned).map((c) => [c.name, { x: c.box.x, y: c.box.y }]),
  );
  const connectEnd: OnConnectEnd = (event, connection) => {
    const from = connection.fromNode?.id;
    const point = "changedTouches" in event ? event.changedTouches[0] : event;
    const to = point ? cardAt(point.clientX, point.clientY) : null;
    if (!from || !to || from === to) return;
    void gestures.change([{ type: "add_path", source: from, target: to }]);
    select({ kind: "path", source: from, target: to });
  };
  const drop = (event: DragEvent) => {
    const text = event.dataTransfer.getData(COLUMNS_IN_HAND);
    if (!text) return;
    event.preventDefault();
    const { stem, columns } = JSON.parse(text) as InHand;
    const onto = cardAt(event.clientX, event.clientY);
    const construct = model.constructs.find((c) => c.name === onto);
    if (construct) {
      void gestures.change([{ type: "add_indicators", construct: construct.name, indicators: columns }]);
      return;
    }
    const name = constructName(stem ?? `${columns[0]} construct`, model, project);
    void gestures
      .change([{ type: "add_construct", name, indicators: columns, mode: "reflective" }])
      .then((state) => state && rename(name));
  };

  return (
    <div
      ref={ground}
      aria-label="Board"
      role="region"
      className="board-ground relative h-full overflow-hidden rounded-box"
      onDragOver={(event) => event.dataTransfer.types.includes(COLUMNS_IN_HAND) && event.preventDefault()}
      onDrop={drop}
    >
      {board.cards.length === 0 && <EmptyBoard project={project} model={model} gestures={gestures} />}
      <ReactFlow
        nodes={nodes}
        edges={edges}
        nodeTypes={NODES}
        edgeTypes={EDGES}
        onNodesChange={onNodesChange}
        onNodeDragStop={(_, node) => void gestures.pin({ ...pins, [node.id]: node.position })}
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
        minZoom={0.3}
        maxZoom={2}
        zoomOnDoubleClick={false}
        proOptions={{ hideAttribution: true }}
      />
      {board.cards.length > 0 && (
        <div className="absolute bottom-2.5 left-3 z-10 flex gap-1.5">
          <Action
            size="xs"
            className="bg-card"
            title="Let all cards arrange themselves"
            onClick={() => void gestures.pin({}).then(fit)}
          >
            Arrange
          </Action>
          <Action size="xs" className="bg-card" title="Show the whole model" onClick={fit}>
            Whole model
          </Action>
          <Action
            size="xs"
            className="bg-card"
            title="Every loading, path, covariance and variance in one table (P)"
            disabled={!model.estimated}
            onClick={() => list(true)}
          >
            All parameters
          </Action>
        </div>
      )}
    </div>
  );
}
