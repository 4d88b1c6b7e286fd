import { CopyAsReported } from "../shared/CopyAsReported";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, take, type ModelState, type Schemas } from "../client/client";
import { useChoices } from "../api/hooks";
import { addIntervals } from "../api/runs";
import type { StationProps } from "../shared/station";
import { useDesk } from "../desk/desk";
import { Heading, TextButton } from "../shared/controls";
import { plain, pValue } from "../shared/numbers";
import { Table, type TableColumn } from "../shared/Table";
import { Differences } from "./Differences";
import { Reconcile } from "./Reconcile";
import { SideBySide } from "./SideBySide";
import { keys } from "../client/queryKeys";

type PathTest = Schemas["PathTestPart"];
type Also = { model: number; family: string };

const WORDS = ["", "One model", "Two models", "Three models", "Four models", "Five models"];

/** Models, revisions and families side by side: figures, paths as whiskers, what differs in words, tests. */
export default function CompareStation({ project, model }: StationProps) {
  const [left, setLeft] = useState<Set<number>>(new Set());
  const [also, setAlso] = useState<Also[]>([]);
  const families = useChoices()?.families ?? [];
  const chosen = project.models.map((m) => m.id).filter((id) => !left.has(id));
  const sent = useDesk(({ comparing }) => (comparing && comparing.model === model.id ? comparing : null));
  const revisions = sent?.revisions ?? [];
  const body = sent
    ? { models: [], revisions, also: [] }
    : { models: chosen.slice(0, 8 - also.length), revisions: [], also };
  const compared = useQuery({
    queryKey: keys.comparison(project.id, body, model.revision.id),
    enabled: body.models.length + revisions.length + also.length > 0,
    placeholderData: (before) => before,
    queryFn: () =>
      take(
        api.POST("/api/projects/{project_id}/comparisons", {
          params: { path: { project_id: project.id } },
          body: body as Schemas["Chosen"],
        }),
      ),
  });
  const found = compared.data;
  const begin = (column: Schemas["ModelColumn"]) =>
    void addIntervals(column.model, model.shown?.settings.seed, column.family as Schemas["NewRun"]["family"]);
  const other = families.find((family) => family.key !== model.settings.family);
  const added = also.some((one) => one.model === model.id);
  return (
    <div className="relative grid h-full grid-cols-[minmax(0,2.5fr)_minmax(0,1fr)] gap-10 overflow-y-auto px-4 pb-4 pt-3">
      <section aria-label="Models side by side" className="min-w-0">
        <div className="flex flex-wrap items-baseline gap-x-5 gap-y-1">
          <h1 className="font-serif text-[19px] font-semibold">
            {sent
              ? "Two revisions of one model"
              : `${WORDS[found?.models.length ?? 1] ?? `${found?.models.length} models`} side by side`}
          </h1>
          {project.models.length > 1 && <CopyAsReported model={model} table="models" />}
          {sent ? (
            <TextButton onClick={() => useDesk.setState({ comparing: null })}>
              Compare models instead
            </TextButton>
          ) : (
            other && (
              <TextButton
                onClick={() => setAlso(added ? [] : [...also, { model: model.id, family: other.key }])}
              >
                {added ? `Without ${model.name} as ${other.words}` : `Add ${model.name} as ${other.words}`}
              </TextButton>
            )
          )}
        </div>
        {!sent && project.models.length > 1 && (
          <div className="mt-1.5 flex flex-wrap gap-x-5 gap-y-1">
            {project.models.map((m) => (
              <label key={m.id} className="flex items-center gap-2">
                <input
                  type="checkbox"
                  className="checkbox checkbox-xs"
                  checked={!left.has(m.id)}
                  onChange={() => {
                    const next = new Set(left);
                    if (!next.delete(m.id)) next.add(m.id);
                    setLeft(next);
                  }}
                />
                {m.name}
              </label>
            ))}
          </div>
        )}
        {!sent && project.models.length === 1 && !added && (
          <p className="mt-1.5 max-w-xl text-quiet">
            There is one model so far. Copy it (by its name in the top line) and change the copy, or look at
            it in the other family: both stand here with what differs.
          </p>
        )}
        {compared.isLoadingError && <p role="alert">{compared.error.message}</p>}
        {found && <SideBySide found={found} begin={begin} />}
      </section>
      <div className="min-w-0">
        {found && found.models.length > 1 && <Differences found={found} />}
        {model.traits.tests && (
          <section aria-label="Every path at zero" className="mt-5 min-w-0">
            <Heading className="mb-1">every path at zero, in {model.name}</Heading>
            <PathsAtZero model={model} />
          </section>
        )}
        <Reconcile key={model.id} model={model} />
      </div>
    </div>
  );
}

function zeroColumns(tests: PathTest[]): TableColumn<PathTest>[] {
  const scaled = tests.some((t) => t.difference !== null && t.difference.scaled !== null);
  const of = (t: PathTest) => (scaled ? t.difference?.scaled : t.difference?.chi_square);
  const p = (t: PathTest) => (scaled ? t.difference?.scaled_p : t.difference?.p_value);
  return [
    {
      key: "path",
      head: "path",
      left: true,
      className: "font-semibold whitespace-nowrap text-sm",
      value: (t) => `${t.from} → ${t.to}`,
    },
    { key: "z", head: "z", value: (t) => t.z, text: (t) => plain(t.z) },
    { key: "z_p", head: "p", value: (t) => t.z_p, text: (t) => pValue(t.z_p) },
    {
      key: "difference",
      head: scaled ? "scaled Δχ²" : "Δχ²",
      value: of,
      text: (t) => (t.difference ? plain(of(t)) : "not identified"),
    },
    { key: "df", head: "Δdf", value: (t) => t.difference?.df },
    { key: "p", head: "p", value: p, text: (t) => (t.difference ? pValue(p(t)) : "") },
  ];
}

function PathsAtZero({ model }: { model: ModelState }) {
  const found = useQuery({
    queryKey: keys.pathsAtZero(model.id, model.revision.id),
    enabled: model.estimated,
    queryFn: () =>
      take(api.GET("/api/models/{model_id}/paths-at-zero", { params: { path: { model_id: model.id } } })),
  });
  if (!model.estimated) return <p className="text-quiet">The model has to be estimated first.</p>;
  if (found.isLoadingError) return <p role="alert">{found.error.message}</p>;
  if (!found.data) return <p className="text-quiet">Fitting the model without each path…</p>;
  const { tests } = found.data;
  if (tests.length === 0) return <p className="text-quiet">The model has no free path.</p>;
  return (
    <>
      <Table
        label="Every path at zero"
        columns={zeroColumns(tests)}
        rows={tests}
        keyOf={(t) => `${t.from}\u0000${t.to}`}
      />
      <p className="mt-2 text-sm text-quiet">
        Each row refits the model with that path fixed at zero. z and Δχ² test the same thing by two routes;
        where they part, trust Δχ². A model that is not identified without the path has no test.
      </p>
    </>
  );
}
