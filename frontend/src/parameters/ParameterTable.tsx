import { useMemo, useState } from "react";
import { attempt } from "../api/attempt";
import {
  api,
  take,
  type Change,
  type ModelState,
  type Parameter,
  type Schemas,
  type Shown,
} from "../client/client";
import type { Gestures } from "../api/gestures";
import { useEstimates } from "../api/hooks";
import { headline } from "../shared/headline";
import { canHold, HoldMenu } from "../shared/HoldMenu";
import { parameterKey } from "../desk/doing";
import { level } from "../shared/basis";
import { Action, Choose, Quiet } from "../shared/controls";
import {
  coefficient,
  interval,
  plain,
  plainInterval,
  pValue,
  pWords,
  resampleWords,
} from "../shared/numbers";
import { Table, type TableColumn } from "../shared/Table";

type Joint = Schemas["JointTest"];

function nameOf(p: Parameter): string {
  if (p.kind === "variance" || p.kind === "intercept" || p.kind === "mean") return p.from;
  return `${p.from} ${p.kind === "covariance" ? "&" : "→"} ${p.to}`;
}

function keyOf(p: Parameter): string {
  return [p.kind, p.from, p.to, p.role].join("\u0000");
}

function columnsOf(
  shown: Shown,
  chosen: Set<string>,
  toggle: (key: string) => void,
): TableColumn<Parameter>[] {
  const free =
    (text: (p: Parameter) => string) =>
    (p: Parameter): string =>
      p.free ? text(p) : "";
  return [
    {
      key: "box",
      head: "",
      hidden: "select",
      left: true,
      width: "24px",
      show: (p) =>
        !p.why_fixed?.startsWith("made of") && (
          <input
            type="checkbox"
            className="checkbox checkbox-xs"
            aria-label={`Select ${nameOf(p)}`}
            checked={chosen.has(keyOf(p))}
            onChange={() => toggle(keyOf(p))}
          />
        ),
    },
    {
      key: "name",
      head: "parameter",
      left: true,
      value: nameOf,
      show: (p) => (
        <>
          <span className="font-semibold">{nameOf(p)}</span>
          {p.label && <span className="text-sm text-quiet"> called {p.label}</span>}
        </>
      ),
    },
    {
      key: "kind",
      head: "kind",
      left: true,
      className: "whitespace-nowrap text-sm text-quiet",
      value: (p) => {
        const kind = p.role ? `${p.role} ${p.kind}` : p.kind;
        return p.free ? kind : `${kind} · fixed: ${p.why_fixed}`;
      },
    },
    { key: "estimate", head: "estimate", value: (p) => p.estimate, text: (p) => plain(p.estimate, 3) },
    { key: "se", head: "SE", value: (p) => p.se, text: free((p) => plain(p.se, 3)) },
    { key: "z", head: "z", value: (p) => p.z, text: free((p) => plain(p.z)) },
    { key: "p", head: "p", value: (p) => p.p_value, text: free((p) => pValue(p.p_value)) },
    {
      key: "interval",
      head: `${level(shown)} % interval`,
      value: free((p) => plainInterval(p.interval, 3)),
    },
    {
      key: "standardized",
      head: "standardized",
      className: "font-semibold",
      value: (p) => p.standardized,
      text: (p) => coefficient(p.standardized, 3),
    },
    {
      key: "standardized_se",
      head: "its SE",
      value: (p) => p.standardized_se,
      text: (p) => (p.standardized_se === null ? "constant" : coefficient(p.standardized_se, 3)),
      className: (p) => (p.standardized_se === null ? "text-sm text-quiet" : ""),
    },
    {
      key: "standardized_interval",
      head: shown.bootstrap ? "bootstrap interval" : "its interval",
      value: (p) => interval(shown.bootstrap && !p.standardized_bootstrap ? null : headline(p), 3),
    },
  ];
}

/** One table of every loading, path, covariance, variance, intercept and mean, free or fixed. */
export function ParameterTable({ model, gestures }: { model: ModelState; gestures: Gestures }) {
  const { shown } = model;
  const found = useEstimates(model).data;
  const [kind, setKind] = useState("all");
  const [chosen, setChosen] = useState<Set<string>>(new Set());
  const columns = useMemo(
    () =>
      shown
        ? columnsOf(shown, chosen, (key) => {
            const next = new Set(chosen);
            if (!next.delete(key)) next.add(key);
            setChosen(next);
          })
        : [],
    [shown, chosen],
  );
  const everything = found?.parameters;
  const rows = useMemo(
    () => (everything ?? []).filter((p) => kind === "all" || p.kind === kind),
    [everything, kind],
  );
  if (!shown) return <p className="text-quiet">The model is not estimated, so there is nothing to list.</p>;
  const kinds = [...new Set((everything ?? []).map((p) => p.kind))];
  return (
    <>
      <div className="mb-2 flex items-center gap-4">
        <Choose
          label="Kind of parameter"
          size="xs"
          className="w-36"
          value={kind}
          set={setKind}
          choices={[
            { value: "all", words: "every kind" },
            ...kinds.map((value) => ({ value: value as string, words: value })),
          ]}
        />
        <p className="min-w-0 flex-1 truncate text-sm text-quiet">
          SE, z, p and interval from {shown.errors_words}
          {shown.bootstrap
            ? `; the last column from ${resampleWords(shown)}, ${shown.interval_words} intervals`
            : ""}
          ; standardized errors by the delta method.
        </p>
      </div>
      <Table
        label="Parameters"
        className="flex-1 pb-4"
        columns={columns}
        rows={rows}
        keyOf={keyOf}
        selected={(p) => chosen.has(keyOf(p))}
        empty={<p className="text-quiet">{found ? "Nothing of this kind." : "Fetching…"}</p>}
      />
      {chosen.size > 0 && (
        <JointTests
          key={[...chosen].join()}
          {...{ model, gestures }}
          chosen={(everything ?? []).filter((p) => chosen.has(keyOf(p)))}
          clear={() => setChosen(new Set())}
        />
      )}
    </>
  );
}

function JointTests(props: {
  model: ModelState;
  gestures: Gestures;
  chosen: Parameter[];
  clear: () => void;
}) {
  const { model, gestures, chosen, clear } = props;
  const free = chosen.every((p) => p.free);
  const parameters = chosen.map(parameterKey);
  const change = (changes: Change[]) => void gestures.change(changes).then((state) => state && clear());
  const [found, setFound] = useState<Joint | null>(null);
  const ask = async (hypothesis: "zero" | "equal") => {
    setFound(null);
    const answer = await attempt(() =>
      take(
        api.POST("/api/models/{model_id}/joint-tests", {
          params: { path: { model_id: model.id } },
          body: { hypothesis, parameters: chosen.map((p) => ({ kind: p.kind, from: p.from, to: p.to })) },
        }),
      ),
    );
    setFound(answer);
  };
  const line = (
    words: string,
    value: number | null | undefined,
    p: number | null | undefined,
    df: number,
  ) => (
    <span className="whitespace-nowrap">
      <span className="text-quiet">{words}</span>{" "}
      {value === null || value === undefined ? "–" : `${plain(value)} (${df}), ${pWords(p)}`}
    </span>
  );
  return (
    <div
      className="flex flex-wrap items-center gap-x-5 gap-y-1 border-t border-line py-2.5"
      aria-label="Test of the selected parameters"
    >
      <span className="font-semibold">{chosen.length} selected</span>
      {canHold(model) ? (
        <>
          <Action size="xs" disabled={!free} onClick={() => void ask("zero")}>
            {chosen.length === 1 ? "Is it zero?" : "Are all of them zero?"}
          </Action>
          <Action size="xs" disabled={!free || chosen.length < 2} onClick={() => void ask("equal")}>
            Are they equal?
          </Action>
        </>
      ) : (
        <span className="text-quiet">
          composites have no χ² to test parameters by; the bootstrap has intervals
        </span>
      )}
      {found && (
        <>
          {line("Δχ²", found.difference?.chi_square, found.difference?.p_value, found.df)}
          {found.difference?.scaled !== null && found.difference?.scaled !== undefined
            ? line("scaled Δχ²", found.difference.scaled, found.difference.scaled_p, found.df)
            : null}
          {line("Wald", found.wald, found.wald_p, found.df)}
          {line("score", found.score, found.score_p, found.df)}
        </>
      )}
      <span className="flex-1" />
      {canHold(model) && (
        <>
          <HoldMenu size="xs" {...{ model, gestures, parameters }} held={false} begin={0} />
          <Action
            size="xs"
            disabled={chosen.length < 2}
            onClick={() => change([{ type: "make_equal", parameters }])}
          >
            Hold equal
          </Action>
          <Action
            size="xs"
            title="No longer held or equal; released where a default fixes it"
            onClick={() => change([{ type: "free", parameters }])}
          >
            Release
          </Action>
        </>
      )}
      {chosen.every((p) => p.kind === "covariance") && (
        <Action
          size="xs"
          onClick={() =>
            change(
              chosen.map((p) => ({
                type: "set_covariance",
                first: p.from,
                second: p.to,
                free: model.board.arcs.some((a) => a.said && a.from === p.from && a.to === p.to)
                  ? null
                  : false,
              })),
            )
          }
        >
          Remove
        </Action>
      )}
      <Quiet size="xs" onClick={clear}>
        Deselect
      </Quiet>
    </div>
  );
}
