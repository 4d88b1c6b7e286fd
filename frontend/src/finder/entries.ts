import type { Change, Criterion, ModelState, Project, Schemas } from "../client/client";
import type { Gestures } from "../api/gestures";
import { keysOf, piecesOf, type KeyId } from "../shared/keys";
import { withChoice, withFamily } from "../shared/settings";
import type { Station } from "../shared/station";
import { switchTheme } from "../shared/theme";
import { nameConstruct } from "../desk/columns";
import {
  find,
  focusOn,
  list,
  name,
  openModel,
  propose,
  rename,
  select,
  sheetOpen,
  startPath,
  unfoldTrail,
  write,
  type Selection,
} from "../desk/desk";
import { control, duplicate, removal, setAside } from "../desk/doing";
import { EXPORTS } from "../shared/exports";
import { NOT_HERE, OTHER_NAMES } from "./otherNames";

/** Something that can be found by name: done, looked at, gone to, or read about. */
export interface Entry {
  id: string;
  kind: "do" | "in this model" | "go to" | "learn" | "not here";
  words: string;
  detail?: string;
  keys?: string[];
  /** Other names it goes by, short words among them. */
  also?: string[];
  /** What it would change, to be looked at first. */
  changes?: Change[];
  /** Why it cannot be done now. */
  barred?: string | undefined;
  run: () => void;
}

interface World {
  project: Project;
  model: ModelState;
  gestures: Gestures;
  station: string;
  stations: Pick<Station, "key" | "label">[];
  selection: Selection;
  criteria: Criterion[];
  choices: Schemas["Choices"] | undefined;
  go: (station: string) => void;
}

const PAGES = [
  { page: "README", words: "All methods" },
  { page: "sentences", words: "Sentences: how a model is written" },
  { page: "estimation", words: "Estimation and standard errors" },
  { page: "composites", words: "Composites (partial least squares)" },
  { page: "fit", words: "Fit" },
  { page: "quality", words: "Reliability, validity, collinearity" },
  { page: "effects", words: "Effects, mediation and the bootstrap" },
  { page: "screening", words: "Screening" },
  { page: "data", words: "Data: reading, recorded steps, downloads" },
];

function keyed(id: KeyId): string[] {
  const [key] = keysOf(id);
  return key ? piecesOf(key) : [];
}

function read(page: string) {
  window.open(`/methods/${page}`, "_blank", "noopener");
}

/** What can be done with the selection comes first. */
function withSelection({ project, model, gestures, selection, go }: World): Entry[] {
  const entries: Entry[] = [];
  const add = (id: string, words: string, run: () => void, more: Partial<Entry> = {}) =>
    entries.push({
      id,
      kind: "do",
      words,
      run: () => {
        go("model");
        run();
      },
      ...more,
    });
  if (selection?.kind === "indicator") {
    const { name: item, construct } = selection;
    const owner = model.constructs.find((c) => c.name === construct);
    if (owner?.indicators.includes(item)) {
      const proposal = setAside(construct, [item]);
      add("aside selected", `Set ${item} aside…`, () => propose(proposal), {
        keys: keyed("aside"),
        changes: proposal.changes,
        barred: owner.kept.includes(item) ? `${item} is kept as essential` : undefined,
      });
      const marker: Change[] = [{ type: "make_marker", construct, indicator: item }];
      add("marker", `Let ${item} carry the scale of ${construct}`, () => void gestures.change(marker), {
        keys: keyed("marker"),
      });
      const essential = !owner.kept.includes(item);
      add(
        "essential",
        essential ? `Keep ${item} as essential` : `${item} is no longer essential`,
        () => void gestures.change([{ type: "keep", construct, indicator: item, essential, reason: null }]),
        { keys: keyed("essential") },
      );
      add("covary-item", `Let ${item} covary with…`, () => startPath({ name: item, direction: "with" }), {
        keys: keyed("covary"),
        detail: "its residual",
      });
    }
  }
  if (selection?.kind === "construct" || selection?.kind === "observed") {
    const node = selection.name;
    add("path-out", `Draw a path from ${node}…`, () => startPath({ name: node, direction: "out" }), {
      keys: keyed("path-out"),
    });
    add("path-in", `Draw a path to ${node}…`, () => startPath({ name: node, direction: "in" }), {
      keys: keyed("path-in"),
    });
    add("covary", `Let ${node} covary with…`, () => startPath({ name: node, direction: "with" }), {
      keys: keyed("covary"),
    });
    if (selection.kind === "observed") {
      const change = [control(node, model)];
      const words = model.controls.includes(node) ? `${node} is no longer a control` : `Control for ${node}`;
      add("control", words, () => void gestures.change(change), { changes: change });
    }
    if (selection.kind === "construct") {
      add("rename", `Rename ${node}`, () => rename(node), { keys: keyed("rename") });
      add("duplicate", `Another construct like ${node}…`, () => name(duplicate(node, model, project)), {
        keys: keyed("duplicate"),
      });
      const mode = model.constructs.find((c) => c.name === node)?.mode;
      const other = mode === "reflective" ? "formative" : "reflective";
      const change: Change[] = [{ type: "set_mode", name: node, mode: other }];
      add("mode", `Make ${node} ${other}`, () => void gestures.change(change), { changes: change });
    }
  }
  const gone = selection ? removal([selection], model) : null;
  if (gone && selection?.kind !== "indicator") {
    add("remove", gone.question.replace(/\?$/, "…"), () => propose(gone), {
      keys: keyed("remove"),
      changes: gone.changes,
    });
  }
  return entries;
}

function general({ project, model, gestures, choices, go }: World): Entry[] {
  const onBoard = (run: () => void) => () => {
    go("model");
    run();
  };
  const act = (id: string, words: string, run: () => void, more: Partial<Entry> = {}): Entry => ({
    id,
    kind: "do",
    words,
    run,
    ...more,
  });
  const settings = model.settings;
  const family = choices?.families.find((one) => one.key === settings.family);
  return [
    act("undo", "Undo", () => void gestures.undo(), {
      keys: keyed("undo"),
      detail: model.can_undo ? model.revision.words : "",
      barred: model.can_undo ? undefined : "there is nothing to undo",
    }),
    act("redo", "Redo", () => void gestures.redo(), {
      keys: keyed("redo"),
      barred: model.can_redo ? undefined : "there is nothing to redo",
    }),
    act(
      "new",
      "New construct…",
      onBoard(() => nameConstruct([], null, model, project)),
      {
        keys: keyed("new"),
      },
    ),
    act(
      "parameters",
      "All parameters",
      onBoard(() => list(true)),
      {
        keys: keyed("parameters"),
        barred: model.estimated ? undefined : "the model is not estimated",
      },
    ),
    act(
      "sentences",
      "Write the model in sentences",
      onBoard(() => write(true)),
      {
        keys: keyed("sentences"),
      },
    ),
    act(
      "trail",
      "Unfold the trail: what was changed and why",
      onBoard(() => unfoldTrail(true)),
      {
        keys: keyed("trail"),
      },
    ),
    act(
      "removed",
      "What was removed, and why",
      onBoard(() => unfoldTrail(true)),
      { detail: "items and cases, in the trail" },
    ),
    act(
      "covariances",
      model.view.arcs ? "Hide covariances" : "Show covariances",
      onBoard(() => void gestures.look({ arcs: !model.view.arcs })),
      { keys: keyed("covariances") },
    ),
    act(
      "arrange",
      "Arrange the cards",
      onBoard(() => void gestures.pin({}, {})),
      { keys: keyed("arrange") },
    ),
    act("night", "Day or night", switchTheme, { keys: keyed("night") }),
    act("criteria", "Cut-offs: strict, usual, exploratory, or your own", () => sheetOpen(true)),
    act("keys", "Keys, and changing them", () => find("keys"), { keys: keyed("keys") }),
    ...model.constructs.flatMap((c) =>
      c.aside.map(({ indicator, reason }) =>
        act(
          `back ${c.name} ${indicator}`,
          `Take ${indicator} back from aside`,
          () => void gestures.change([{ type: "take_back", construct: c.name, indicator }]),
          {
            detail: reason ? `“${reason}”` : c.name,
            changes: [{ type: "take_back", construct: c.name, indicator }],
          },
        ),
      ),
    ),
    ...model.constructs.flatMap((c) =>
      c.indicators.map((item) => {
        const proposal = setAside(c.name, [item]);
        return act(
          `aside ${c.name} ${item}`,
          `Set ${item} aside…`,
          onBoard(() => propose(proposal)),
          {
            detail: c.name,
            changes: proposal.changes,
            barred: c.kept.includes(item) ? `${item} is kept as essential` : undefined,
          },
        );
      }),
    ),
    ...(family?.options ?? []).flatMap((option) =>
      option.choices
        .filter((choice) => settings[option.name as keyof typeof settings] !== choice.value)
        .filter((choice) => choice.value !== "bootstrap")
        .map((choice) =>
          act(
            `set ${option.name} ${choice.value}`,
            `${option.label}: ${choice.words}`,
            () => void gestures.settings(withChoice(settings, option.name, choice.value)),
            { detail: choice.hint },
          ),
        ),
    ),
    ...EXPORTS.map((one) =>
      act(`save ${one.key}`, `Save ${one.words}`, () => window.location.assign(one.href(model)), {
        detail: `.${one.ending}`,
        barred: !model.estimated
          ? "the model is not estimated"
          : one.factors && !model.traits.factors
            ? "composites have none"
            : undefined,
      }),
    ),
    ...(choices?.families ?? [])
      .filter((one) => one.key !== settings.family)
      .map((one) =>
        act(`family ${one.key}`, `Constructs are ${one.words}`, () => {
          void gestures.settings(withFamily(settings, one));
        }),
      ),
  ];
}

function things({ project, model, go }: World): Entry[] {
  const look = (id: string, words: string, detail: string, selection: Selection, focus?: string): Entry => ({
    id,
    kind: "in this model",
    words,
    detail,
    run: () => {
      go("model");
      select(selection);
      if (focus) focusOn(focus);
    },
  });
  const owned = new Set(
    model.constructs.flatMap((c) => [...c.indicators, ...c.aside.map((a) => a.indicator)]),
  );
  const cards = new Map(model.board.cards.map((c) => [c.name, c]));
  const loading = (construct: string, item: string) =>
    cards.get(construct)?.rows.find((row) => row.indicator === item)?.value;
  return [
    ...model.constructs.map((c) =>
      look(`construct ${c.name}`, c.name, `${c.mode} construct`, { kind: "construct", name: c.name }, c.name),
    ),
    ...model.constructs.flatMap((c) => [
      ...c.indicators.map((item) => {
        const value = loading(c.name, item);
        const detail = `${c.name}${typeof value === "number" ? ` · ${value.toFixed(2).replace(/^(-?)0/, "$1")}` : ""}`;
        return look(`item ${c.name} ${item}`, item, detail, {
          kind: "indicator",
          construct: c.name,
          name: item,
        });
      }),
      ...c.aside.map(({ indicator }) =>
        look(`aside ${c.name} ${indicator}`, `${indicator}, set aside`, c.name, {
          kind: "indicator",
          construct: c.name,
          name: indicator,
        }),
      ),
    ]),
    ...model.observed.map((one) =>
      look(`observed ${one}`, one, "observed variable", { kind: "observed", name: one }, one),
    ),
    ...model.paths.map(({ source, target }) =>
      look(`path ${source} ${target}`, `${source} → ${target}`, "path", { kind: "path", source, target }),
    ),
    ...project.columns
      .filter((column) => !owned.has(column.name) && !model.observed.includes(column.name))
      .map((column) =>
        look(`column ${column.name}`, column.name, column.label ?? "column on the shelf", {
          kind: "column",
          name: column.name,
        }),
      ),
  ];
}

function places({ project, model, go, stations }: World): Entry[] {
  return [
    ...stations.map((station): Entry => ({
      id: `station ${station.key}`,
      kind: "go to",
      words: station.label,
      detail: "station",
      keys: [...keyed("go"), station.label[0] ?? ""],
      run: () => go(station.key),
    })),
    ...project.models
      .filter((other) => other.id !== model.id)
      .map((other): Entry => ({
        id: `model ${other.id}`,
        kind: "go to",
        words: other.name,
        detail: "model of this project",
        run: () => openModel(project.id, other.id),
      })),
    { id: "projects", kind: "go to", words: "All projects", run: () => window.location.assign("/") },
  ];
}

function lessons({ criteria }: World): Entry[] {
  return [
    ...criteria.map((one): Entry => ({
      id: `figure ${one.key}`,
      kind: "learn",
      words: one.label,
      detail: one.definition,
      also: OTHER_NAMES[one.key] ?? [],
      run: () => read(one.page),
    })),
    ...PAGES.map((one): Entry => ({
      id: `page ${one.page}`,
      kind: "learn",
      words: one.words,
      detail: "methods",
      also: OTHER_NAMES[one.page] ?? [],
      run: () => read(one.page),
    })),
  ];
}

/** What people look for and do not find: said, with what can be done instead, rather than "nothing is called so". */
function missing(): Entry[] {
  return NOT_HERE.map((one): Entry => ({
    id: `not-here ${one.words}`,
    kind: "not here",
    words: one.words,
    barred: one.instead,
    also: one.also,
    run: () => undefined,
  }));
}

/** Everything that can be found, in the order of its kinds. */
export function entries(world: World): Entry[] {
  return [
    ...withSelection(world),
    ...general(world),
    ...things(world),
    ...places(world),
    ...lessons(world),
    ...missing(),
  ];
}
