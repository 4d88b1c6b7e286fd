import { useState, type KeyboardEvent } from "react";
import { Link } from "react-router";
import type { Effect, ModelState, Project, Schemas, Shown } from "../client/client";
import type { Gestures } from "../api/gestures";
import { useEstimates } from "../api/hooks";
import { level } from "../shared/basis";
import { LINK, TextButton } from "../shared/controls";
import { containsZero, pValue } from "../shared/numbers";
import { Distribution } from "./Distribution";
import { Contrast, Kind, Steps } from "./Judging";
import { Expecting } from "./Expecting";
import { Reading } from "./Reading";
import { CHAIN, Chain, places, stride } from "./RouteRow";
import { circular, controls, inOrder, stationsOf, ticksOf } from "./routes";
import { decides, drawn, inScale, writing, type Scale } from "./scale";
import { Whisker } from "./Whisker";
import { mediationOf } from "../desk/figures";

const MOST = 8;
const WHISKER = 220;

interface Props {
  project: Project;
  model: ModelState;
  gestures: Gestures;
  shown: Shown;
  scale: Scale;
  effects: Effect[];
  mediation: Schemas["MediationPart"] | undefined;
}

const keyOf = (effect: Effect) => `${effect.kind} ${effect.via?.join(" › ") ?? ""}`;

/** One pair: its routes as chains on one zero line, then what they come to, and what that means. */
export function OnePair({ project, model, gestures, shown, scale, effects, mediation }: Props) {
  const estimates = useEstimates(model).data;
  const [chosen, choose] = useState<string | null>(null);
  const [second, chooseSecond] = useState<string | null>(null);
  const [all, showAll] = useState(false);
  const [steps, showSteps] = useState(false);
  const round = circular(estimates?.effects ?? []);
  const size = (effect: Effect) => Math.abs(effect.standardized ?? 0);
  const routes = effects.filter((e) => e.via !== null && (!round || e.kind === "direct"));
  const many = routes.length > MOST;
  const sorted = many ? [...routes].sort((a, b) => size(b) - size(a)) : routes;
  const visible = many && !all ? sorted.slice(0, MOST) : sorted;
  const folded = sorted.slice(visible.length);
  const sums = effects.filter(
    (e) => e.via === null && !(routes.length === 1 && e.kind === "total" && !round),
  );
  const rows = [...visible, ...sums];
  const selected =
    rows.find((e) => keyOf(e) === chosen) ?? rows.find((e) => e.kind === "specific indirect") ?? rows[0];
  if (!selected) return null;
  const order = inOrder(visible);
  const { number, range } = writing(scale);
  const ends = rows.flatMap((e) => drawn(e, scale) ?? [inScale(e, scale).value ?? 0]);
  const [low, high] = [Math.min(0, ...ends), Math.max(0, ...ends)];
  const at = places(order);
  const span = high - low || 1;
  const x = (v: number) => 6 + ((v - low) / span) * (WHISKER - 12);
  const also = controls(routes, model.paths);
  const others = routes.filter((e) => keyOf(e) !== keyOf(selected));
  const against = others.find((e) => keyOf(e) === second) ?? (selected.via === null ? undefined : others[0]);
  const walk = (event: KeyboardEvent) => {
    const by = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    const here = event.target instanceof HTMLElement ? event.target.closest("[data-row]") : null;
    if (!by || !here) return;
    event.preventDefault();
    const next = rows[rows.findIndex((e) => keyOf(e) === keyOf(selected)) + by];
    if (!next) return;
    choose(keyOf(next));
    const cell = here.parentElement?.querySelector<HTMLElement>(`[data-row="${CSS.escape(keyOf(next))}"]`);
    cell?.focus();
  };
  return (
    <div className="min-h-0 flex-1 overflow-y-auto pb-4">
      <div role="group" aria-label="Routes" onKeyDown={walk}>
        <div className="flex items-end text-sm text-quiet">
          <span className="relative block h-6 shrink-0" style={{ width: CHAIN }}>
            {order.map((name) => (
              <span
                key={name}
                className={`${order.length > 6 ? "text-[11.5px]" : "text-[14.5px]"} absolute bottom-0 -translate-x-1/2 truncate text-center font-serif font-semibold text-base-content`}
                style={{ left: at.get(name), maxWidth: stride(order) - (order.length > 6 ? 3 : 10) }}
                title={name}
              >
                {name}
              </span>
            ))}
          </span>
          <span className="w-20 text-right">{scale === "standardized" ? "effect, β" : "effect"}</span>
          <svg width={WHISKER} height={16} className="ml-8 block shrink-0" aria-hidden="true">
            {ticksOf(low, high).map((tick) => (
              <text key={tick} x={x(tick)} y={12} textAnchor="middle" fontSize={11} className="fill-quiet">
                {tick === 0 ? "0" : writing(scale, high - low < 0.5 ? 2 : 1).number(tick)}
              </text>
            ))}
          </svg>
          <span className="flex-1 text-right">
            {level(shown)} %{" "}
            {shown.bootstrap
              ? shown.interval_words
              : effects.some((e) => e.monte_carlo)
                ? "Monte-Carlo"
                : "delta method, approximate"}
          </span>
          <span className="w-20 pr-2 text-right">p</span>
        </div>
        {rows.map((effect) => {
          const { value, boot } = inScale(effect, scale);
          const found = drawn(effect, scale);
          const mine = effect === selected;
          const sum = effect.via === null;
          return (
            <button
              key={keyOf(effect)}
              data-row={keyOf(effect)}
              data-testid={`route-${sum ? effect.kind : stationsOf(effect).join("-")}`}
              aria-pressed={mine}
              className={`flex w-full items-center rounded-md text-left ${mine ? "bg-ember/15" : "hover:bg-base-200"} ${sum ? "h-9" : ""}`}
              onClick={(event) =>
                event.shiftKey && !sum ? chooseSecond(keyOf(effect)) : choose(keyOf(effect))
              }
            >
              {sum ? (
                <span className="shrink-0 pl-4" style={{ width: CHAIN }}>
                  <span className="mr-4 inline-block w-24 font-semibold">
                    {effect.kind === "total" ? "total" : "all indirect"}
                  </span>
                  <span className="text-sm text-quiet">
                    {effect.kind === "total"
                      ? routes.some((e) => e.kind === "direct")
                        ? "direct and indirect together"
                        : "all that goes through others"
                      : round
                        ? "through others, however often round"
                        : through(routes.filter((e) => e.kind !== "direct").length)}
                  </span>
                </span>
              ) : (
                <>
                  <Chain
                    {...{ effect, order, scale }}
                    parameters={estimates?.parameters ?? []}
                    selected={mine}
                  />
                  <span className="sr-only">{stationsOf(effect).join(" › ")}</span>
                </>
              )}
              <span
                className={`w-20 text-right tabular-nums ${mine ? "text-[17px] font-semibold" : "font-semibold"}`}
              >
                {writing(scale, 2).number(value)}
              </span>
              <span className="ml-8">
                <Whisker
                  {...{ value, range: found, low, high }}
                  open={!decides(effect, scale) || containsZero(found)}
                  label={`${number(value)} ${range(found)}`}
                />
              </span>
              <span className="flex-1 text-right text-sm tabular-nums">{range(found)}</span>
              <span className="w-20 pr-2 text-right text-sm tabular-nums text-quiet">
                {boot ? pValue(boot.p_value, boot.n_used) : "–"}
              </span>
            </button>
          );
        })}
        {folded.length > 0 && (
          <TextButton onClick={() => showAll(true)}>
            {folded.length} more, together{" "}
            {number(folded.reduce((t, e) => t + (inScale(e, scale).value ?? 0), 0))}
          </TextButton>
        )}
      </div>
      {round && (
        <p className="mt-1 text-sm">
          Paths run in a circle, so an effect passes the same variable again and again: routes cannot be
          listed one by one, only what they come to.
        </p>
      )}
      {also.length > 0 && (
        <p className="mt-1 text-sm text-quiet">Held constant in these equations: {also.join(", ")}.</p>
      )}
      <div className="mt-4 grid grid-cols-[minmax(0,1.25fr)_minmax(0,0.8fr)_minmax(0,0.8fr)] gap-10">
        <Distribution effect={selected} {...{ scale, shown }} />
        <div>
          <Kind mediation={mediation} effects={effects} scale={scale} />
          <p className="mt-2 text-sm">
            <TextButton aria-expanded={steps} onClick={() => showSteps(!steps)}>
              {steps ? "Fold the steps" : "The steps one by one"}
            </TextButton>
          </p>
          {steps && <Steps effects={estimates?.effects ?? []} pair={effects} scale={scale} />}
          <Reading {...{ project, model }} effect={selected} />
        </div>
        <div>
          {against && !round && (
            <Contrast
              differences={estimates?.differences ?? []}
              first={selected}
              second={against}
              others={others}
              choose={(e) => chooseSecond(keyOf(e))}
              scale={scale}
            />
          )}
          <Expecting {...{ model, gestures }} effect={selected} />
          <SendPicture {...{ model, gestures }} source={selected.from} outcome={selected.to} />
        </div>
      </div>
    </div>
  );
}

/** The mediation as a picture goes to the report. */
function SendPicture(props: { model: ModelState; gestures: Gestures; source: string; outcome: string }) {
  const { model, gestures, source, outcome } = props;
  const { report } = model;
  const sent = report.figures.some((one) => one.source === source && one.outcome === outcome);
  if (sent) {
    return (
      <p className="mt-4 text-sm text-quiet">
        The picture of it is in the{" "}
        <Link className={LINK} to={`/projects/${model.project_id}/report`}>
          report
        </Link>
        .
      </p>
    );
  }
  return (
    <p className="mt-4">
      <TextButton
        className="text-sm"
        data-testid="send-picture"
        onClick={() =>
          void gestures.report((now) => ({
            ...now,
            figures: [...now.figures, mediationOf(source, outcome)],
          }))
        }
      >
        Send its picture to the report
      </TextButton>
    </p>
  );
}

function through(routes: number): string {
  if (routes === 1) return "the one route through others";
  return routes === 2 ? "both routes through others" : `all ${routes} routes through others`;
}
