import type { ModelState } from "../client/client";
import type { Gestures } from "../api/gestures";
import { useEstimates, useQuality } from "../api/hooks";
import { headline } from "../shared/headline";
import { propose } from "../desk/desk";
import { removal } from "../desk/doing";
import { basis } from "../shared/basis";
import { Action, Row } from "../shared/controls";
import { coefficient, interval, plain, pValue } from "../shared/numbers";
import { HoldMenu } from "../shared/HoldMenu";
import { Headline, Judged, Kind, Rule, Title } from "./parts";
import { WhatIf } from "../shared/WhatIf";

interface Props {
  model: ModelState;
  gestures: Gestures;
  source: string;
  target: string;
}

export function PathLens({ model, gestures, source, target }: Props) {
  const { shown } = model;
  const estimates = useEstimates(model).data;
  const measured = useQuality(model).data?.quality;
  const parameter = estimates?.parameters.find(
    (p) => p.kind === "path" && p.from === source && p.to === target,
  );
  const vif = measured?.vif_antecedents.find((v) => v.outcome === target && v.antecedent === source)?.vif;
  const share = estimates?.f_squared.find((f) => f.from === source && f.to === target);
  const uses = (route: string[]) => route.some((name, i) => name === source && route[i + 1] === target);
  const routes = (estimates?.effects ?? []).filter(
    (effect) =>
      effect.kind === "specific indirect" && effect.via && uses([effect.from, ...effect.via, effect.to]),
  );
  const fixed = parameter && !parameter.free;
  const composite = shown?.traits.factors === false;
  return (
    <>
      <Kind>path</Kind>
      <Title>
        {source} → {target}
      </Title>
      {parameter && shown && (
        <>
          <Headline
            value={coefficient(parameter.standardized)}
            bounds={fixed ? "fixed" : interval(headline(parameter))}
            basis={fixed ? (parameter.why_fixed ?? "") : basis(parameter, shown)}
          />
          {!composite && (
            <Row label="unstandardized">
              {plain(parameter.estimate)}{" "}
              {parameter.se !== null && <span className="text-quiet">SE {plain(parameter.se)}</span>}
            </Row>
          )}
          {(!composite || parameter.se !== null) && (
            <Row label={composite ? "SE, p (bootstrap)" : `z, p (${shown.errors_words})`}>
              {fixed ? (
                <span className="text-quiet">fixed: nothing to test</span>
              ) : (
                `${plain(composite ? parameter.se : parameter.z)}, ${pValue(parameter.p_value)}`
              )}
            </Row>
          )}
          <Judged label={`VIF of ${source} here`} value={vif} figure="vif_antecedents" none="–" />
          <Row
            label="f²"
            title="How much R² would fall without this antecedent, relative to what is unexplained (Cohen 1988)"
          >
            {coefficient(share?.value)} <span className="text-quiet">{share?.words}</span>
          </Row>
        </>
      )}
      {!fixed && (
        <WhatIf
          model={model}
          question={composite ? "What if this path were left out?" : "What if this path were zero?"}
          changes={
            composite
              ? [{ type: "remove_path", source, target }]
              : [{ type: "fix_path", source, target, value: 0 }]
          }
        />
      )}
      {routes.length > 0 && (
        <>
          <Rule />
          <h3 className="text-sm text-quiet">indirect routes that use it</h3>
          {routes.slice(0, 6).map((effect) => (
            <Row
              key={[effect.from, ...(effect.via ?? []), effect.to].join()}
              label={[effect.from, ...(effect.via ?? []), effect.to].join(" › ")}
            >
              {coefficient(effect.standardized)}
            </Row>
          ))}
          {routes.length > 6 && <p className="text-sm text-quiet">and {routes.length - 6} more in Effects</p>}
        </>
      )}
      <div className="mt-3 flex flex-wrap gap-2">
        <HoldMenu
          model={model}
          gestures={gestures}
          parameters={[{ kind: "path", source, target, group: null }]}
          held={Boolean(fixed)}
          begin={0}
        />
        <Action onClick={() => propose(removal([{ kind: "path", source, target }], model))}>Remove…</Action>
      </div>
    </>
  );
}
