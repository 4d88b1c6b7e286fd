import type { ModelState, Project, Schemas } from "../client/client";
import type { Gestures } from "../api/gestures";
import { name as nameIt, propose, select, type Selected } from "../desk/desk";
import { constructName } from "../desk/columns";
import { gathered, listed, removal, setAside } from "../desk/doing";
import { Action, Quiet } from "../shared/controls";
import { canHold, HoldMenu } from "../shared/HoldMenu";
import { Kind, Title } from "./parts";

type ParameterKey = Schemas["ParameterKey"];

/** What can be done with several things at once. */
export function SeveralLens(props: {
  project: Project;
  model: ModelState;
  gestures: Gestures;
  group: Selected[];
}) {
  const { project, model, gestures, group } = props;
  const items = group.flatMap((one) => (one.kind === "indicator" ? [one] : []));
  const nodes = group.flatMap((one) =>
    one.kind === "construct" || one.kind === "observed" ? [one.name] : [],
  );
  const constructs = group.flatMap((one) => (one.kind === "construct" ? [one.name] : []));
  const paths = group.flatMap((one) => (one.kind === "path" ? [one] : []));
  const owner = items.every((i) => i.construct === items[0]?.construct) ? items[0]?.construct : undefined;
  const formative = model.constructs.some((c) => c.name === owner && c.mode === "formative");
  const parameters: ParameterKey[] = [
    ...items
      .filter((i) => model.constructs.some((c) => c.name === i.construct && c.mode === "reflective"))
      .map((i): ParameterKey => ({ kind: "loading", source: i.construct, target: i.name, group: null })),
    ...paths.map((p): ParameterKey => ({ kind: "path", source: p.source, target: p.target, group: null })),
  ];
  const names = group.map((one) =>
    one.kind === "path"
      ? `${one.source} → ${one.target}`
      : one.kind === "covariance"
        ? `${one.first} & ${one.second}`
        : one.name,
  );
  const pairs = (list: string[]) => list.flatMap((a, i) => list.slice(i + 1).map((b) => [a, b] as const));
  const covary = (list: string[]) =>
    propose({
      question: `Let ${listed(list)} covary?`,
      verb: "Let them covary",
      changes: pairs(list).map(([first, second]) => ({ type: "set_covariance", first, second, free: true })),
    });
  const others = model.constructs.filter((c) => c.name !== owner);
  return (
    <>
      <Kind>selected together</Kind>
      <Title>{group.length} things</Title>
      <p className="mt-1">{listed(names)}</p>
      <div className="mt-3 flex flex-wrap gap-2">
        {canHold(model) && parameters.length > 1 && parameters.length === group.length && (
          <>
            <Action onClick={() => void gestures.change([{ type: "make_equal", parameters }])}>
              Hold equal
            </Action>
            <HoldMenu {...{ model, gestures, parameters }} held={false} begin={0} words="Hold all" />
            <Action onClick={() => void gestures.change([{ type: "free", parameters }])}>Release</Action>
          </>
        )}
        {items.length === group.length && owner && (
          <>
            <Action
              onClick={() =>
                propose(
                  setAside(
                    owner,
                    items.map((i) => i.name),
                  ),
                )
              }
            >
              Set aside…
            </Action>
            <Action
              onClick={() =>
                nameIt({
                  suggestion: constructName(`${owner} part`, model, project),
                  make: (chosen) => [
                    { type: "add_construct", name: chosen, indicators: [], mode: "reflective" },
                    ...items.map((i) => ({
                      type: "move_indicator" as const,
                      indicator: i.name,
                      construct: owner,
                      to: chosen,
                    })),
                  ],
                })
              }
            >
              A construct of their own
            </Action>
            {others.length > 0 && (
              <select
                className="select select-sm w-auto border-none bg-base-300 font-semibold"
                aria-label="Move them to another construct"
                value=""
                onChange={(event) => {
                  const to = event.target.value;
                  void gestures.change(
                    items.map((i) => ({ type: "move_indicator", indicator: i.name, construct: owner, to })),
                  );
                  select({ kind: "construct", name: to });
                }}
              >
                <option value="" disabled>
                  Move to…
                </option>
                {others.map((c) => (
                  <option key={c.name}>{c.name}</option>
                ))}
              </select>
            )}
          </>
        )}
        {items.length === group.length && !formative && (
          <Action onClick={() => covary(items.map((i) => i.name))} title="Their residuals">
            Let them covary…
          </Action>
        )}
        {nodes.length === group.length && (
          <>
            <Action onClick={() => covary(nodes)}>Let them covary…</Action>
            {constructs.length === group.length && (
              <Action
                onClick={() => nameIt(gathered(constructs, model, project))}
                title="A construct of second order, which shows in these"
              >
                Gather under one…
              </Action>
            )}
            <Action
              onClick={() =>
                void gestures.look({
                  cards: Object.fromEntries(constructs.map((one) => [one, "folded" as const])),
                })
              }
            >
              Fold
            </Action>
          </>
        )}
        {(nodes.length === group.length || paths.length === group.length) && (
          <Action onClick={() => propose(removal(group, model))}>Remove…</Action>
        )}
        <Quiet onClick={() => select(null)}>Deselect</Quiet>
      </div>
    </>
  );
}
