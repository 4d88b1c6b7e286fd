import type { ModelState } from "../client/client";
import type { Gestures } from "../api/gestures";
import { useEstimates } from "../api/hooks";
import { headline } from "../shared/headline";
import { propose } from "../desk/desk";
import { removal } from "../desk/doing";
import { basis } from "../shared/basis";
import { Action, Row } from "../shared/controls";
import { coefficient, interval, plain, pValue } from "../shared/numbers";
import { HoldMenu } from "../shared/HoldMenu";
import { Headline, Kind, Title } from "./parts";

/** What is known of a covariance: of constructs, of disturbances, or of residuals. */
export function CovarianceLens(props: {
  model: ModelState;
  gestures: Gestures;
  first: string;
  second: string;
}) {
  const { model, gestures, first, second } = props;
  const { shown } = model;
  const parameter = useEstimates(model).data?.parameters.find(
    (p) => p.kind === "covariance" && [p.from, p.to].includes(first) && [p.from, p.to].includes(second),
  );
  const arc = model.board.arcs.find((a) => a.from === first && a.to === second);
  const explained = (name: string) => model.paths.some((p) => p.target === name);
  const kind =
    arc?.kind === "residual"
      ? "covariance of residuals"
      : explained(first) || explained(second)
        ? "covariance of disturbances"
        : "covariance of constructs";
  return (
    <>
      <Kind>{kind}</Kind>
      <Title>
        {first} & {second}
      </Title>
      {parameter && shown && (
        <>
          <Headline
            value={coefficient(parameter.standardized)}
            bounds={parameter.free ? interval(headline(parameter)) : "fixed"}
            basis={parameter.free ? basis(parameter, shown) : (parameter.why_fixed ?? "")}
          />
          <Row label="unstandardized">
            {plain(parameter.estimate)}{" "}
            {parameter.se !== null && <span className="text-quiet">SE {plain(parameter.se)}</span>}
          </Row>
          {parameter.free && (
            <Row label={`z, p (${shown.errors_words})`}>
              {plain(parameter.z)}, {pValue(parameter.p_value)}
            </Row>
          )}
        </>
      )}
      {!parameter && <p className="mt-2 text-quiet">It is not part of what was estimated last.</p>}
      <p className="mt-2 text-sm text-quiet">
        {arc?.said
          ? "A sentence says so."
          : "Nobody said so: what nothing leads to covaries unless a sentence rules it out."}
      </p>
      <div className="mt-3 flex flex-wrap gap-2">
        <HoldMenu
          model={model}
          gestures={gestures}
          parameters={[{ kind: "covariance", source: first, target: second, group: null }]}
          held={parameter?.why_fixed === "fixed by a sentence"}
          begin={0}
        />
        <Action onClick={() => propose(removal([{ kind: "covariance", first, second }], model))}>
          Remove…
        </Action>
      </div>
    </>
  );
}
