import type { Construct, ModelState, Project } from "../client/client";
import type { Gestures } from "../api/gestures";
import { useEstimates, useQuality } from "../api/hooks";
import { name as nameIt, propose, rename, startPath } from "../desk/desk";
import { control, duplicate, removal } from "../desk/doing";
import { Action, Row, TextButton } from "../shared/controls";
import { coefficient } from "../shared/numbers";
import { HoldMenu } from "../shared/HoldMenu";
import { Judged, Kind, Rule, Title } from "./parts";

/** A construct, or an observed variable in its place. */
export function ConstructLens({
  project,
  model,
  gestures,
  name,
}: {
  project: Project;
  model: ModelState;
  gestures: Gestures;
  name: string;
}) {
  const construct = model.constructs.find((c) => c.name === name);
  const estimates = useEstimates(model).data;
  const measured = useQuality(model).data?.quality;
  const quality = measured?.constructs.find((c) => c.name === name);
  const against = (measured?.loadings ?? [])
    .filter((l) => l.construct === name && (l.loading ?? 0) * (quality?.direction ?? 1) < 0)
    .map((l) => l.indicator);
  const antecedents = (estimates?.parameters ?? []).filter((p) => p.kind === "path" && p.to === name);
  const controlled = model.controls.includes(name);
  const reflective = construct?.mode === "reflective";
  const none = !reflective ? "–" : construct.indicators.length < 2 ? "one indicator" : "not estimated";
  const variance = estimates?.parameters.find((p) => p.kind === "variance" && p.from === name);
  const share = estimates?.r_squared[name];
  return (
    <>
      <Kind>{construct ? `${construct.mode} construct` : controlled ? "control" : "observed variable"}</Kind>
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
            <Judged label="Cronbach's alpha" value={quality?.alpha} figure="alpha" none={none} />
            <Judged
              label="composite reliability"
              value={quality?.composite_reliability}
              figure="composite_reliability"
              none={none}
            />
            <Judged
              label="AVE"
              value={quality?.ave}
              figure="ave"
              none={none}
              reliability={quality?.composite_reliability ?? null}
            />
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
            const vif = measured?.vif_antecedents.find(
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
              <TextButton
                onClick={() => void gestures.change([{ type: "take_back", construct: name, indicator }])}
              >
                Take back
              </TextButton>
            </div>
          ))}
        </>
      )}
      <div className="mt-3 flex flex-wrap gap-2">
        <Action onClick={() => startPath({ name, direction: "out" })} title="Key: →">
          Leads to…
        </Action>
        <Action onClick={() => startPath({ name, direction: "in" })} title="Key: ←">
          Led to by…
        </Action>
        {construct && (
          <>
            <Action onClick={() => rename(name)} title="Key: F2">
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
        {!construct && (
          <Action
            onClick={() => void gestures.change([control(name, model)])}
            title={
              controlled
                ? "What is said of it alone stays; its paths as a control go"
                : "It leads to everything that something else leads to, drawn grey and told in one sentence of the report"
            }
          >
            {controlled ? "No longer a control" : "Control for it"}
          </Action>
        )}
        {construct?.mode !== "formative" && (
          <Action onClick={() => startPath({ name, direction: "with" })} title="Key: C">
            Covaries with…
          </Action>
        )}
        {construct && (
          <>
            <Action onClick={() => nameIt(duplicate(name, model, project))} title="Key: D">
              Another like it
            </Action>
            <MergeMenu {...{ model, construct }} />
            {reflective && (
              <HoldMenu
                model={model}
                gestures={gestures}
                words="Hold its variance"
                parameters={[{ kind: "variance", source: name, target: name, group: null }]}
                held={
                  variance !== undefined && !variance.free && variance.why_fixed === "fixed by a sentence"
                }
                begin={1}
              />
            )}
          </>
        )}
        <Action
          onClick={() => propose(removal([{ kind: construct ? "construct" : "observed", name }], model))}
        >
          Remove…
        </Action>
      </div>
    </>
  );
}

/** Merging with another construct of its kind, asked first. */
function MergeMenu({ model, construct }: { model: ModelState; construct: Construct }) {
  const others = model.constructs.filter((c) => c.name !== construct.name && c.mode === construct.mode);
  if (others.length === 0) return null;
  return (
    <select
      className="select select-sm w-auto border-none bg-base-300 font-semibold"
      aria-label={`Merge ${construct.name} into another construct`}
      value=""
      onChange={(event) => {
        const into = event.target.value;
        propose({
          question: `Merge ${construct.name} into ${into}?`,
          verb: "Merge",
          changes: [{ type: "merge_constructs", name: construct.name, into }],
          then: { kind: "construct", name: into },
        });
      }}
    >
      <option value="" disabled>
        Merge into…
      </option>
      {others.map((c) => (
        <option key={c.name}>{c.name}</option>
      ))}
    </select>
  );
}
