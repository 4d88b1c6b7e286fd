import { Dialog, DialogPanel, DialogTitle } from "@headlessui/react";
import { useQuery } from "@tanstack/react-query";
import { X } from "lucide-react";
import { useState } from "react";
import { api, take, type Change, type ModelState, type Project, type Schemas } from "../client/client";
import type { Gestures } from "../api/gestures";
import { constructName, owners } from "../desk/columns";
import { Primary, Symbol } from "../shared/controls";
import { coefficient } from "../shared/numbers";
import { Tabs } from "../shared/Tabs";
import { Chosen } from "./Chosen";
import { Growth } from "./Growth";
import { asChanges, pathsOf, SHAPES, type Roles, type Shape } from "./shapes";
import { keys } from "../client/queryKeys";
import { Table, type TableColumn } from "../shared/Table";

interface Props {
  open: boolean;
  close: () => void;
  project: Project;
  model: ModelState;
  gestures: Gestures;
  begin?: "constructs" | "paths";
}

/** Help to begin: constructs proposed from the names of columns, and shapes of paths to be filled. */
export function BuildHelp({ open, close, begin, ...rest }: Props) {
  const [tab, setTab] = useState<string>(begin ?? "constructs");
  const views = [
    { key: "constructs", words: "Constructs from names", show: () => <Constructs {...rest} close={close} /> },
    { key: "paths", words: "A shape of paths", show: () => <Paths {...rest} close={close} /> },
  ];
  return (
    <Dialog open={open} onClose={close} className="relative z-50">
      <div className="fixed inset-0 bg-scrim" aria-hidden="true" />
      <div className="fixed inset-0 grid place-items-center p-6">
        <DialogPanel className="flex max-h-[620px] w-[760px] flex-col rounded-box border border-line bg-base-100 p-5 text-left shadow-xl">
          <div className="mb-2 flex items-center">
            <DialogTitle className="flex-1 font-serif text-[18px] font-semibold">Where to begin</DialogTitle>
            <Symbol label="Close" onClick={close}>
              <X size={16} />
            </Symbol>
          </div>
          <Tabs label="Where to begin" at={tab} choose={setTab} views={views} />
        </DialogPanel>
      </div>
    </Dialog>
  );
}

type Inner = Omit<Props, "open" | "begin">;
type Proposed = Schemas["ConstructProposal"];

function Constructs({ project, model, gestures, close }: Inner) {
  const found = useQuery({
    queryKey: keys.proposals(project.id, project.data_version_id),
    staleTime: Infinity,
    queryFn: () =>
      take(api.GET("/api/projects/{project_id}/proposals", { params: { path: { project_id: project.id } } })),
  });
  const owner = owners(model);
  const rows = (found.data?.proposals ?? [])
    .map((p) => ({ ...p, columns: p.columns.filter((name) => !owner.has(name)) }))
    .filter((p) => p.columns.length > 1);
  const [left, setLeft] = useState<Set<string>>(new Set());
  const [names, setNames] = useState<Record<string, string>>({});
  const chosen = rows.filter((p) => !left.has(p.stem));
  const nameOf = (p: Proposed) => names[p.stem] ?? constructName(p.stem, model, project);
  const make = () => {
    const changes = chosen.map((p): Change => ({
      type: "add_construct",
      name: nameOf(p).trim(),
      indicators: p.columns,
      mode: "reflective",
    }));
    close();
    void gestures.change(changes);
  };
  if (found.isLoadingError) return <p role="alert">{found.error.message}</p>;
  if (!found.data) return <p className="text-quiet">Looking at the names…</p>;
  if (rows.length === 0) {
    return (
      <p className="text-quiet">
        No two columns that are free share the stem of their names, so there is nothing to propose.
      </p>
    );
  }
  const columns: TableColumn<Proposed>[] = [
    {
      key: "take",
      head: "",
      hidden: "Take",
      left: true,
      width: "1.75rem",
      show: (p) => (
        <input
          type="checkbox"
          className="checkbox checkbox-xs"
          aria-label={`Take ${p.stem}`}
          checked={!left.has(p.stem)}
          onChange={() => {
            const next = new Set(left);
            if (!next.delete(p.stem)) next.add(p.stem);
            setLeft(next);
          }}
        />
      ),
    },
    {
      key: "construct",
      head: "construct",
      heads: true,
      left: true,
      show: (p) => (
        <input
          className="input input-xs w-32 font-serif font-semibold"
          aria-label={`Name of the construct of ${p.stem}`}
          value={nameOf(p)}
          onChange={(event) => setNames({ ...names, [p.stem]: event.target.value })}
        />
      ),
    },
    {
      key: "columns",
      head: "columns",
      left: true,
      className: "max-w-52 truncate text-sm",
      value: (p) => p.columns.join(", "),
    },
    {
      key: "r",
      head: "mean r",
      value: (p) => p.mean_correlation,
      text: (p) => coefficient(p.mean_correlation),
    },
    { key: "alpha", head: "alpha", value: (p) => p.alpha, text: (p) => coefficient(p.alpha) },
    {
      key: "weakest",
      head: "hangs together least",
      left: true,
      className: "text-sm",
      show: (p) =>
        p.against.length > 0 ? (
          <span>
            {p.against.join(", ")} {p.against.length > 1 ? "run" : "runs"} against the others
          </span>
        ) : p.weakest ? (
          <span className="text-quiet">
            {p.weakest}, r {coefficient(p.weakest_correlation)}
          </span>
        ) : null,
    },
  ];
  return (
    <>
      <p className="mb-2 text-quiet">
        Columns whose names share a stem, with how they hang together. Theory decides; these figures only show
        where it would be hard to.
      </p>
      <div className="min-h-0 overflow-y-auto">
        <Table
          label="Constructs that the columns propose"
          fixed
          copyable={false}
          {...{ columns, rows }}
          keyOf={(p) => p.stem}
        />
      </div>
      <div className="mt-3 flex justify-end">
        <Primary
          type="button"
          disabled={chosen.length === 0 || chosen.some((p) => !nameOf(p).trim())}
          onClick={make}
        >
          Make {chosen.length === 1 ? "this construct" : `these ${chosen.length} constructs`}
        </Primary>
      </div>
    </>
  );
}

const NOBODY: Roles = { antecedents: [], mediators: [], outcomes: [], controls: [] };
const ROLES: { key: keyof Roles; words: string }[] = [
  { key: "antecedents", words: "Who begins?" },
  { key: "mediators", words: "Through whom?" },
  { key: "outcomes", words: "Where does it lead?" },
  { key: "controls", words: "What else counts? (controls)" },
];

function Paths({ project, model, gestures, close }: Inner) {
  const [shape, setShape] = useState<Shape["key"]>("parallel");
  return (
    <>
      <div className="mb-3 grid grid-cols-4 gap-3" role="group" aria-label="Shape">
        {SHAPES.map((one) => (
          <button
            key={one.key}
            type="button"
            className={`rounded-box px-3 py-2 text-left ring-1 ${one.key === shape ? "bg-base-200 ring-2 ring-ember" : "ring-line"}`}
            aria-pressed={one.key === shape}
            onClick={() => setShape(one.key)}
          >
            <Sketch shape={one.key} />
            <span className="block font-semibold">{one.words}</span>
            <span className="block text-sm text-quiet">{one.hint}</span>
          </button>
        ))}
      </div>
      {shape === "growth" ? (
        <Growth {...{ project, model, gestures, close }} />
      ) : (
        <Filling {...{ project, model, gestures, close, shape }} />
      )}
    </>
  );
}

/** Who takes part in a shape of paths. */
function Filling({ project, model, gestures, close, shape }: Inner & { shape: Shape["key"] }) {
  const [roles, setRoles] = useState<Roles>(NOBODY);
  const owner = owners(model);
  const names = [
    ...model.constructs.map((c) => c.name),
    ...model.observed,
    ...project.columns
      .filter(
        (c) =>
          c.numeric && c.level !== "identifier" && !owner.has(c.name) && !model.observed.includes(c.name),
      )
      .map((c) => c.name),
  ];
  const taken = new Set(Object.values(roles).flat());
  const paths = pathsOf(shape, roles, model.paths);
  const wanted = SHAPES.find((one) => one.key === shape);
  const done = () => {
    close();
    void gestures.change(asChanges(paths, roles.controls, model.controls));
  };
  return (
    <>
      <div className="-m-1 min-h-0 space-y-2 overflow-y-auto p-1">
        {ROLES.filter((role) => role.key !== "mediators" || wanted?.mediators).map((role) => (
          <Chosen
            key={role.key}
            question={role.words}
            names={roles[role.key]}
            left={names.filter((name) => !taken.has(name))}
            first="choose…"
            next="another…"
            set={(chosen) => setRoles({ ...roles, [role.key]: chosen })}
          />
        ))}
      </div>
      <div className="mt-3 flex items-center justify-end gap-4">
        <span className="text-sm text-quiet">
          {paths.length > 0
            ? paths
                .slice(0, 4)
                .map((p) => `${p.source} → ${p.target}`)
                .join(", ") + (paths.length > 4 ? ` and ${paths.length - 4} more` : "")
            : "Choose who begins and where it leads."}
        </span>
        <Primary type="button" disabled={paths.length === 0} onClick={done}>
          Draw {paths.length === 1 ? "this path" : `these ${paths.length} paths`}
        </Primary>
      </div>
    </>
  );
}

/** A shape in a few strokes. */
function Sketch({ shape }: { shape: Shape["key"] }) {
  const spots: Record<Shape["key"], [number, number][]> = {
    simple: [
      [10, 18],
      [110, 18],
    ],
    parallel: [
      [10, 18],
      [60, 7],
      [60, 29],
      [110, 18],
    ],
    serial: [
      [10, 24],
      [43, 10],
      [77, 10],
      [110, 24],
    ],
    growth: [
      [10, 28],
      [43, 22],
      [77, 14],
      [110, 8],
    ],
  };
  const lines: Record<Shape["key"], [number, number][]> = {
    simple: [[0, 1]],
    parallel: [
      [0, 1],
      [0, 2],
      [1, 3],
      [2, 3],
      [0, 3],
    ],
    serial: [
      [0, 1],
      [1, 2],
      [2, 3],
      [0, 3],
    ],
    growth: [
      [0, 1],
      [1, 2],
      [2, 3],
    ],
  };
  const at = spots[shape];
  return (
    <svg width="120" height="36" viewBox="0 0 120 36" aria-hidden="true" className="mb-1">
      {lines[shape].map(([a, b]) => (
        <line
          key={`${a}${b}`}
          x1={at[a]?.[0]}
          y1={at[a]?.[1]}
          x2={at[b]?.[0]}
          y2={at[b]?.[1]}
          strokeWidth="1.5"
          className="stroke-arrow"
        />
      ))}
      {at.map(([x, y]) => (
        <circle key={`${x} ${y}`} cx={x} cy={y} r="5.5" className="fill-gold" />
      ))}
    </svg>
  );
}
