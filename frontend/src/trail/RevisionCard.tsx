import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { attempt } from "../api/attempt";
import { api, take, type ModelState, type Schemas } from "../client/client";
import type { Gestures } from "../api/gestures";
import { useDesk } from "../desk/desk";
import { telling } from "../shared/basis";
import { TextButton } from "../shared/controls";
import { coefficient, plain, pWords } from "../shared/numbers";
import type { Dot } from "./branches";
import { keys } from "../client/queryKeys";

type Edit = Partial<Schemas["RevisionEdit"]>;

/** What a revision was, why, and what it did; named, explained and gone back to from here. */
export function RevisionCard(props: {
  model: ModelState;
  gestures: Gestures;
  dot: Dot;
  before: Dot | undefined;
  other: number;
}) {
  const { model, gestures, dot, before, other } = props;
  const { revision } = dot;
  const queries = useQueryClient();
  const navigate = useNavigate();
  const effect = useQuery({
    queryKey: keys.effect(model.id, revision.id),
    staleTime: Infinity,
    queryFn: () =>
      take(
        api.GET("/api/models/{model_id}/revisions/{revision_id}/effect", {
          params: { path: { model_id: model.id, revision_id: revision.id } },
        }),
      ),
  }).data;
  const edit = async (part: Edit) => {
    const body = { name: null, note: null, reason: null, prompted: null, ...part };
    const trail = await attempt(() =>
      take(
        api.PATCH("/api/models/{model_id}/revisions/{revision_id}", {
          params: { path: { model_id: model.id, revision_id: revision.id } },
          body,
        }),
      ),
    );
    if (trail) queries.setQueryData(keys.trail(model.id), trail);
  };
  const compare = () => {
    useDesk.setState({ comparing: { model: model.id, revisions: [revision.id, other] } });
    void navigate(`/projects/${model.project_id}/compare`);
  };
  const made = new Date(revision.created);
  const difference = effect?.difference;
  return (
    <section
      aria-label="Revision"
      className="w-[268px] shrink-0 overflow-y-auto rounded-box bg-card px-3.5 py-2 shadow-sm"
    >
      <p className="text-xs text-quiet">
        revision {dot.number} ·{" "}
        {made.toLocaleString("en-GB", { day: "numeric", month: "short", hour: "2-digit", minute: "2-digit" })}
      </p>
      <Editable
        label="Name of the revision"
        value={revision.name ?? ""}
        empty={revision.words}
        className="font-serif text-[15px] font-semibold leading-5"
        keep={(name) => void edit({ name })}
      />
      {revision.name && <p className="text-sm text-quiet">{revision.words}</p>}
      <Editable
        label="Reason"
        value={revision.reason ?? ""}
        empty="Add a reason"
        quoted
        className="text-sm"
        keep={(reason) => void edit({ reason })}
      />
      {difference && (
        <p className="text-sm">
          Δχ² = {plain(Math.abs(difference.chi_square), 1)}, Δdf = {difference.df}
          {difference.p_value !== null && `, ${pWords(difference.p_value)}`}
        </p>
      )}
      {effect && effect.readout.length === 0 && <p className="text-sm text-quiet">{effect.message}</p>}
      {before && (
        <p className="text-sm">
          {telling(effect?.readout ?? [])
            .map((figure) => {
              const old = figure.change === null ? null : (figure.value ?? 0) - figure.change;
              const from = old === null ? "" : `${coefficient(old, 3)} → `;
              return `${figure.label} ${from}${figure.text}`;
            })
            .join(", ")}
          {revision.other_data && <span className="text-quiet"> · other data</span>}
        </p>
      )}
      <Editable
        label="Note"
        value={revision.note ?? ""}
        empty="Add a note"
        className="text-sm"
        keep={(note) => void edit({ note })}
      />
      <label className="flex items-center gap-1.5 text-xs text-quiet">
        <input
          type="checkbox"
          className="checkbox checkbox-xs"
          checked={revision.prompted === "data"}
          onChange={(event) => void edit({ prompted: event.target.checked ? "data" : "own" })}
        />
        prompted by these data
      </label>
      <div className="mt-0.5 flex gap-3 text-sm">
        {!dot.present && (
          <TextButton onClick={() => void gestures.back(revision.id)}>Go back here</TextButton>
        )}
        {other !== revision.id && (
          <TextButton onClick={compare}>
            Compare with {dot.present || other !== model.revision.id ? "the other" : "now"}
          </TextButton>
        )}
      </div>
    </section>
  );
}

/** Words that become a field when they are clicked. */
function Editable(props: {
  label: string;
  value: string;
  empty: string;
  className: string;
  quoted?: boolean;
  keep: (text: string) => void;
}) {
  const { label, value, empty, className, quoted, keep } = props;
  const [text, setText] = useState<string | null>(null);
  if (text === null) {
    return (
      <button
        className={`block w-full break-words text-left hover:underline ${className} ${value ? (quoted ? "font-serif italic" : "") : className.includes("serif") ? "" : "text-quiet"}`}
        aria-label={`${label}: ${value || empty}. Click to change.`}
        onClick={() => setText(value)}
      >
        {value ? (quoted ? `“${value}”` : value) : empty}
      </button>
    );
  }
  const done = () => {
    if (text.trim() !== value) keep(text.trim());
    setText(null);
  };
  return (
    <input
      autoFocus
      aria-label={label}
      className="input input-xs w-full"
      value={text}
      onChange={(event) => setText(event.target.value)}
      onBlur={done}
      onKeyDown={(event) => {
        event.stopPropagation();
        if (event.key === "Enter") done();
        else if (event.key === "Escape") setText(null);
      }}
    />
  );
}
