import type { ModelState } from "../api/client";
import { useCriteria, type Gestures } from "../api/hooks";
import { useDesk } from "../model/desk";
import { coefficient } from "../shared/numbers";
import { Action, Judged, Kind, Row, Rule, Title } from "./parts";

/** A construct, or an observed variable in its place. */
export function ConstructLens({
  model,
  gestures,
  name,
}: {
  model: ModelState;
  gestures: Gestures;
  name: string;
}) {
  const { select, setPathFrom, setRenaming } = useDesk();
  const criteria = useCriteria();
  const construct = model.constructs.find((c) => c.name === name);
  const results = model.results.converged ? model.results : model.last_good;
  const quality = results?.quality?.constructs.find((c) => c.name === name);
  const against = (results?.quality?.loadings ?? [])
    .filter((l) => l.construct === name && (l.loading ?? 0) * (quality?.direction ?? 1) < 0)
    .map((l) => l.indicator);
  const antecedents = (results?.parameters ?? []).filter((p) => p.kind === "path" && p.to === name);
  const criterion = (key: string) => criteria.data?.criteria.find((c) => c.key === key);
  const reflective = construct?.mode === "reflective";
  const none = !reflective ? "–" : construct.indicators.length < 2 ? "one indicator" : "not estimated";
  const share = results?.r_squared[name];
  return (
    <>
      <Kind>{construct ? `${construct.mode} construct` : "observed variable"}</Kind>
      <Title>{name}</Title>
      <div className="mt-2">
        <Row label="R²">
          {construct?.mode === "formative" ? (
            <span className="text-quiet">made of its indicators</span>
          ) : share === null || share === undefined ? (
            <span className="text-quiet">nothing leads to it</span>
          ) : (
            coefficient(share, 3)
          )}
        </Row>
        {reflective && (
          <>
            <Judged
              label="Cronbach's alpha"
              value={quality?.alpha}
              criterion={criterion("alpha")}
              none={none}
            />
            <Judged
              label="composite reliability"
              value={quality?.composite_reliability}
              criterion={criterion("composite_reliability")}
              none={none}
            />
            <Judged label="AVE" value={quality?.ave} criterion={criterion("ave")} none={none} />
            {against.length > 0 && (
              <p className="mt-1 rounded-md bg-base-200 px-2 py-1 text-sm">
                {against.join(", ")} {against.length > 1 ? "run" : "runs"} against the others: until recoded,
                reliability of the sum means nothing.
              </p>
            )}
          </>
        )}
      </div>
      {antecedents.length > 0 && (
        <>
          <Rule />
          <h3 className="text-sm text-quiet">what leads to it: β, and VIF among them</h3>
          {antecedents.map((p) => {
            const vif = results?.quality?.vif_antecedents.find(
              (v) => v.outcome === name && v.antecedent === p.from,
            )?.vif;
            return (
              <Row key={p.from} label={p.from}>
                {coefficient(p.standardized)} <span className="ml-2 text-quiet">VIF {coefficient(vif)}</span>
              </Row>
            );
          })}
        </>
      )}
      {construct && construct.aside.length > 0 && (
        <>
          <Rule />
          <h3 className="text-sm text-quiet">set aside</h3>
          {construct.aside.map(({ indicator, reason }) => (
            <div key={indicator} className="flex items-baseline justify-between gap-2 py-0.5">
              <span>
                {indicator} {reason && <span className="text-quiet">“{reason}”</span>}
              </span>
              <button
                className="font-semibold text-ember hover:underline"
                onClick={() => void gestures.change([{ type: "take_back", construct: name, indicator }])}
              >
                Take back
              </button>
            </div>
          ))}
        </>
      )}
      <div className="mt-3 flex flex-wrap gap-2">
        <Action onClick={() => setPathFrom({ name, direction: "out" })} title="Key: →">
          Leads to…
        </Action>
        <Action onClick={() => setPathFrom({ name, direction: "in" })} title="Key: ←">
          Led to by…
        </Action>
        {construct && (
          <>
            <Action onClick={() => setRenaming(name)} title="Key: F2">
              Rename
            </Action>
            <Action
              onClick={() =>
                void gestures.change([
                  {
                    type: "set_mode",
                    name,
                    mode: construct.mode === "reflective" ? "formative" : "reflective",
                  },
                ])
              }
              title={
                reflective
                  ? "The indicators make up the construct instead of showing it"
                  : "The construct shows in its indicators instead of being made of them"
              }
            >
              {reflective ? "Make formative" : "Make reflective"}
            </Action>
          </>
        )}
        <Action
          onClick={() => {
            void gestures.change([
              construct ? { type: "remove_construct", name } : { type: "remove_observed", name },
            ]);
            select(null);
          }}
        >
          Remove
        </Action>
      </div>
    </>
  );
}
