import type { ModelState } from "../api/client";
import { useCriteria, type Gestures } from "../api/hooks";
import { basis, headline } from "../board/headline";
import { errorsWords } from "../shared/basis";
import { useDesk } from "../model/desk";
import { coefficient, interval, plain, pValue } from "../shared/numbers";
import { Action, Headline, Judged, Kind, Row, Rule, Title } from "./parts";
import { WhatIf } from "./WhatIf";

interface Props {
  model: ModelState;
  gestures: Gestures;
  source: string;
  target: string;
}

export function PathLens({ model, gestures, source, target }: Props) {
  const select = useDesk((desk) => desk.select);
  const criteria = useCriteria();
  const results = model.results.converged ? model.results : model.last_good;
  const parameter = results?.parameters.find(
    (p) => p.kind === "path" && p.from === source && p.to === target,
  );
  const vif = results?.quality?.vif_antecedents.find(
    (v) => v.outcome === target && v.antecedent === source,
  )?.vif;
  const share = results?.f_squared.find((f) => f.from === source && f.to === target);
  const uses = (route: string[]) => route.some((name, i) => name === source && route[i + 1] === target);
  const routes = (results?.effects ?? []).filter(
    (effect) =>
      effect.kind === "specific indirect" && effect.via && uses([effect.from, ...effect.via, effect.to]),
  );
  const fixed = parameter && !parameter.free;
  return (
    <>
      <Kind>path</Kind>
      <Title>
        {source} → {target}
      </Title>
      {parameter && results && (
        <>
          <Headline
            value={coefficient(parameter.standardized)}
            bounds={fixed ? "fixed" : interval(headline(parameter))}
            basis={fixed ? (parameter.why_fixed ?? "") : basis(parameter, results)}
          />
          <Row label="unstandardized">
            {plain(parameter.estimate)}{" "}
            {parameter.se !== null && <span className="text-quiet">SE {plain(parameter.se)}</span>}
          </Row>
          <Row label={results ? `z, p (${errorsWords(results)})` : "z, p"}>
            {fixed ? (
              <span className="text-quiet">fixed: nothing to test</span>
            ) : (
              `${plain(parameter.z)}, ${pValue(parameter.p_value)}`
            )}
          </Row>
          <Judged
            label={`VIF of ${source} here`}
            value={vif}
            criterion={criteria.data?.criteria.find((c) => c.key === "vif_antecedents")}
            none="–"
          />
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
          question="What if this path were zero?"
          changes={[{ type: "fix_path", source, target, value: 0 }]}
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
        <Action
          onClick={() =>
            void gestures.change([{ type: "fix_path", source, target, value: fixed ? null : 0 }])
          }
          title={fixed ? "Estimate this path again" : "Keep the arrow, but fix it to zero"}
        >
          {fixed ? "Set free" : "Hold at 0"}
        </Action>
        <Action
          onClick={() => {
            void gestures.change([{ type: "remove_path", source, target }]);
            select(null);
          }}
        >
          Remove
        </Action>
      </div>
    </>
  );
}
