import { useState } from "react";
import type { Column, ModelState } from "../client/client";
import type { Gestures } from "../api/gestures";
import { useEstimates, useQuality } from "../api/hooks";
import { headline } from "../shared/headline";
import { propose, select, startPath } from "../desk/desk";
import { setAside } from "../desk/doing";
import { basis } from "../shared/basis";
import { Action, Primary, Row } from "../shared/controls";
import { coefficient, interval, plain, pValue } from "../shared/numbers";
import { HoldMenu } from "../shared/HoldMenu";
import { Headline, Judged, Kind, Title } from "./parts";
import { valueLabels } from "../shared/valueLabels";
import { WhatIf } from "../shared/WhatIf";

interface Props {
  model: ModelState;
  gestures: Gestures;
  construct: string;
  name: string;
  column: Column | undefined;
}

export function IndicatorLens({ model, gestures, construct, name, column }: Props) {
  const owner = model.constructs.find((c) => c.name === construct);
  const aside = owner?.aside.find((a) => a.indicator === name);
  if (!owner) return null;
  if (aside)
    return <AsideLens {...{ gestures, construct, name, column }} reason={aside.reason} model={model} />;
  return <InUse key={name} {...{ model, gestures, construct, name, column }} />;
}

function InUse({ model, gestures, construct, name, column }: Props) {
  const owner = model.constructs.find((c) => c.name === construct);
  const { shown } = model;
  const measured = useQuality(model).data?.quality;
  const formative = owner?.mode === "formative";
  const parameter = useEstimates(model).data?.parameters.find((p) =>
    formative
      ? p.kind === "weight" && p.from === name && p.to === construct
      : p.kind === "loading" && p.from === construct && p.to === name,
  );
  const own = measured?.loadings.find((l) => l.construct === construct && l.indicator === name);
  const cross = measured?.cross_loadings;
  const row = cross?.rows.indexOf(name) ?? -1;
  const others = (cross?.columns ?? [])
    .map((other, i) => ({ other, value: cross?.values[row]?.[i] ?? null }))
    .filter(({ other, value }) => other !== construct && value !== null)
    .sort((a, b) => Math.abs(b.value ?? 0) - Math.abs(a.value ?? 0))
    .slice(0, 3);
  const alone = measured?.loadings.filter((l) => l.indicator === name).length === 1;
  const direction = measured?.constructs.find((c) => c.name === construct)?.direction ?? 1;
  return (
    <>
      <Kind>{formative ? `makes up ${construct}` : `indicator of ${construct}`}</Kind>
      <Title>{name}</Title>
      {column?.label && <p className="italic">“{column.label}”</p>}
      {column && valueLabels(column) && <p className="text-sm text-quiet">{valueLabels(column)}</p>}
      {parameter && shown && (
        <Headline
          value={coefficient(parameter.standardized)}
          bounds={interval(headline(parameter))}
          basis={`${formative ? "weight" : "loading"} · ${basis(parameter, shown)}`}
        />
      )}
      {parameter && (
        <>
          <Row label="unstandardized">
            {plain(parameter.estimate)}{" "}
            <span className="text-quiet">
              {parameter.free ? `SE ${plain(parameter.se)}` : (parameter.why_fixed ?? "fixed")}
            </span>
          </Row>
          <Row label={shown ? `z, p (${shown.errors_words})` : "z, p"}>
            {parameter.free ? (
              `${plain(parameter.z)}, ${pValue(parameter.p_value)}`
            ) : (
              <span className="text-quiet">fixed</span>
            )}
          </Row>
          {!formative && (
            <Judged
              label="against the criterion"
              value={parameter.standardized}
              direction={direction}
              figure="loading"
              none="–"
            />
          )}
          {!formative && Math.abs(parameter.standardized ?? 0) > 1 + 1e-8 && alone && (
            <p className="rounded-md bg-base-200 px-2 py-1 text-sm">
              A loading beyond 1 would explain more than all of {name}: its residual variance is negative.
            </p>
          )}
          <Row
            label={formative ? "VIF among the indicators" : "VIF in its block"}
            title="High by nature among reflective indicators"
          >
            {coefficient(own?.vif)}
          </Row>
        </>
      )}
      {others.length > 0 && (
        <p className="mt-1 text-sm text-quiet">
          also correlates with {others.map(({ other, value }) => `${other} ${coefficient(value)}`).join(", ")}{" "}
          (implied)
        </p>
      )}
      {column && column.missing > 0 && (
        <p className="text-sm text-quiet">
          {column.missing} of {column.n + column.missing} answers missing
        </p>
      )}
      <WhatIf
        model={model}
        question={`What if ${name} were set aside?`}
        changes={[{ type: "set_aside", construct, indicator: name, reason: null }]}
      />
      <div className="flex flex-wrap gap-2">
        <Action onClick={() => propose(setAside(construct, [name]))} title="Key: A">
          Set aside…
        </Action>
        {parameter?.free && !formative && (
          <Action
            onClick={() => void gestures.change([{ type: "make_marker", construct, indicator: name }])}
            title="Its loading is fixed to 1, so the construct is measured on its scale"
          >
            Let it carry the scale
          </Action>
        )}
        <Keeping {...{ gestures, construct, name }} kept={owner?.kept.includes(name) ?? false} />
        {!formative && (
          <>
            <Action onClick={() => startPath({ name, direction: "with" })} title="Its residual; key: C">
              Covaries with…
            </Action>
            <HoldMenu
              model={model}
              gestures={gestures}
              words="Hold its loading"
              parameters={[{ kind: "loading", source: construct, target: name, group: null }]}
              held={parameter?.why_fixed === "fixed by a sentence"}
              begin={1}
            />
          </>
        )}
        <Action
          onClick={() =>
            propose({
              question: `Remove ${name} from ${construct}?`,
              verb: "Remove",
              changes: [{ type: "remove_indicator", construct, indicator: name }],
            })
          }
          title="Back to the shelf, without a trace in the model"
        >
          Remove…
        </Action>
        {model.constructs.length > 1 && (
          <select
            className="select select-sm w-auto border-none bg-base-300 font-semibold"
            aria-label={`Move ${name} to another construct`}
            value=""
            onChange={(event) => {
              const to = event.target.value;
              void gestures.change([{ type: "move_indicator", indicator: name, construct, to }]);
              select({ kind: "indicator", construct: to, name });
            }}
          >
            <option value="" disabled>
              Move to…
            </option>
            {model.constructs
              .filter((c) => c.name !== construct)
              .map((c) => (
                <option key={c.name}>{c.name}</option>
              ))}
          </select>
        )}
      </div>
    </>
  );
}

/** Marking an indicator as essential, with a reason that the trail and the report repeat. */
function Keeping(props: { gestures: Gestures; construct: string; name: string; kept: boolean }) {
  const { gestures, construct, name, kept } = props;
  const [asking, ask] = useState(false);
  const [reason, setReason] = useState("");
  const change = (essential: boolean) => {
    ask(false);
    void gestures.change([
      { type: "keep", construct, indicator: name, essential, reason: reason.trim() || null },
    ]);
  };
  if (kept)
    return (
      <Action onClick={() => change(false)} title="Its removal may be proposed again; key: E">
        No longer essential
      </Action>
    );
  if (!asking)
    return (
      <Action onClick={() => ask(true)} title="Its removal is never proposed; key: E">
        Keep as essential…
      </Action>
    );
  return (
    <form
      className="flex w-full gap-2"
      onSubmit={(event) => {
        event.preventDefault();
        change(true);
      }}
    >
      <input
        autoFocus
        className="input input-sm flex-1"
        placeholder="Why? (optional)"
        aria-label={`Reason for keeping ${name}`}
        value={reason}
        onChange={(event) => setReason(event.target.value)}
        onKeyDown={(event) => event.key === "Escape" && ask(false)}
      />
      <Primary>Keep</Primary>
    </form>
  );
}

function AsideLens(props: Props & { reason: string | null }) {
  const { model, gestures, construct, name, column, reason } = props;
  return (
    <>
      <Kind>{`set aside from ${construct}`}</Kind>
      <Title>{name}</Title>
      {column?.label && <p className="italic">“{column.label}”</p>}
      <p className="mt-2">{reason ? `Reason given: ${reason}` : "No reason was given."}</p>
      <WhatIf
        model={model}
        question="What if it were taken back?"
        changes={[{ type: "take_back", construct, indicator: name }]}
      />
      <Action onClick={() => void gestures.change([{ type: "take_back", construct, indicator: name }])}>
        Take back
      </Action>
    </>
  );
}
