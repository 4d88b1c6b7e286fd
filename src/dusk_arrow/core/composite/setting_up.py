"""A model made ready for composites: its program, the evidence on its columns, and what is asked of it."""

from __future__ import annotations

from dataclasses import dataclass

from dusk_arrow.core.composite.blueprint import Block, Blueprint, OuterMode
from dusk_arrow.core.composite.program import Program
from dusk_arrow.core.composite.refusals import left_out_paths, parts_of
from dusk_arrow.core.family import EstimationSettings
from dusk_arrow.core.observations.data import Source
from dusk_arrow.core.observations.evidence import Evidence, gather
from dusk_arrow.core.specification.model import Construct, Model


@dataclass(frozen=True)
class Ready:
    """The program of a model that was checked, its constructs and observed variables in paths, the paths that are estimated
    (by name), and the evidence on the program's columns."""

    program: Program
    constructs: tuple[Construct, ...]
    observed: tuple[str, ...]
    paths: tuple[tuple[str, str], ...]
    evidence: Evidence
    consistent: bool


def _mode(construct: Construct) -> OuterMode:
    return "B" if construct.mode == "formative" else "A"


def estimated_paths(model: Model) -> tuple[tuple[str, str], ...]:
    """The paths of a model but for those that are held at 0."""
    out = left_out_paths(model)
    return tuple(path for path in model.paths if path not in out)


def plan_program(model: Model, settings: EstimationSettings) -> Program:
    """The program of a model that `refusals` found nothing against."""
    measurement = settings.part == "measurement"
    paths = () if measurement else estimated_paths(model)
    nodes = [c.name for c in model.constructs]
    nodes += [] if measurement else [n for n in model.observed if any(n in path for path in paths)]
    members = {c.name: c.indicators for c in model.constructs} | {n: (n,) for n in nodes if n not in model.by_name}
    parts = parts_of(model)
    of_constructs = dict.fromkeys(name for name in model.columns if name in {m for ms in members.values() for m in ms})
    columns = tuple(of_constructs)
    consistent = settings.estimator == "plsc"
    modes = {c.name: _mode(c) for c in model.constructs}
    at = {name: i for i, name in enumerate(columns)}

    def plain(name: str) -> Block:
        return Block(name, tuple(at[m] for m in members[name]), modes.get(name, "A"), consistent)

    def pairs(names: list[str], among: tuple[tuple[str, str], ...]) -> tuple[tuple[int, int], ...]:
        row = {name: i for i, name in enumerate(names)}
        return tuple((row[a], row[b]) for a, b in among)

    everything = tuple((name, tuple(members[name])) for name in nodes)
    if not parts:
        blueprint = Blueprint(
            columns, tuple(plain(n) for n in nodes), pairs(nodes, paths), settings.scheme, measurement
        )
        return Program(columns, everything, blueprint)
    if settings.second_order == "repeated":
        return Program(columns, everything, _repeated(model, nodes, members, parts, paths, at, columns, settings))
    lower = [name for name in nodes if name not in parts]
    row_of_whole = {whole: parts[whole] for whole in parts}
    spread = tuple(
        dict.fromkeys(
            (a, b)
            for source, target in paths
            for a in row_of_whole.get(source, (source,))
            for b in row_of_whole.get(target, (target,))
        )
    )
    first = Blueprint(columns, tuple(plain(n) for n in lower), pairs(lower, spread), settings.scheme, measurement)
    inside = {part for members_ in parts.values() for part in members_}
    upper = [name for name in nodes if name not in inside]
    later_columns = tuple(dict.fromkeys(member for name in upper for member in members[name]))
    later_at = {name: i for i, name in enumerate(later_columns)}
    blocks = tuple(Block(n, tuple(later_at[m] for m in members[n]), modes.get(n, "A"), consistent) for n in upper)
    second = Blueprint(later_columns, blocks, pairs(upper, paths), settings.scheme, measurement)
    return Program(columns, everything, first, second)


def _repeated(
    model: Model,
    nodes: list[str],
    members: dict[str, tuple[str, ...]],
    parts: dict[str, tuple[str, ...]],
    paths: tuple[tuple[str, str], ...],
    at: dict[str, int],
    columns: tuple[str, ...],
    settings: EstimationSettings,
) -> Blueprint:
    """One blueprint in which a construct of constructs has all the columns of its parts, linked to each of them: from them
    where it is made of them, to them where it shows in them. It is not corrected: its columns measure its parts."""
    consistent = settings.estimator == "plsc"
    modes = {c.name: _mode(c) for c in model.constructs}
    blocks = []
    links = []
    row = {name: i for i, name in enumerate(nodes)}
    for name in nodes:
        if name not in parts:
            blocks.append(Block(name, tuple(at[m] for m in members[name]), modes.get(name, "A"), consistent))
            continue
        own = tuple(at[column] for part in parts[name] for column in members[part])
        blocks.append(Block(name, own, modes[name], consistent=False, repeats=True))
        for part in parts[name]:
            links.append((row[part], row[name]) if modes[name] == "B" else (row[name], row[part]))
    return Blueprint(
        columns,
        tuple(blocks),
        tuple((row[a], row[b]) for a, b in paths),
        settings.scheme,
        settings.part == "measurement",
        tuple(links),
    )


def make_ready(model: Model, source: Source, settings: EstimationSettings) -> Ready:
    """The program and the evidence on its columns, with divisor N − 1."""
    program = plan_program(model, settings)
    missing = settings.missing if settings.missing != "full-information" else "listwise"
    evidence = gather(source, program.columns, missing, "n-1")
    observed = tuple(name for name in program.names if name not in model.by_name)
    paths = () if settings.part == "measurement" else estimated_paths(model)
    return Ready(program, model.constructs, observed, paths, evidence, settings.estimator == "plsc")
