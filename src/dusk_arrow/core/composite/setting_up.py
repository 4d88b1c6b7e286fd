"""A model made ready for composites: its program, the evidence on its columns, and what is asked of it."""

from __future__ import annotations

from dataclasses import dataclass

from dusk_arrow.core.composite.blueprint import Block, Blueprint, OuterMode
from dusk_arrow.core.composite.program import Program
from dusk_arrow.core.composite.refusals import left_out_paths, parts_of
from dusk_arrow.core.family import EstimationSettings, Observed
from dusk_arrow.core.observations.data import Source
from dusk_arrow.core.observations.gathering import gather
from dusk_arrow.core.specification.model import Model


@dataclass(frozen=True)
class Ready:
    """The program of a model that was checked, the paths that are estimated (by name), and what is observed of every block: the
    evidence on the program's columns."""

    program: Program
    paths: tuple[tuple[str, str], ...]
    blocks: tuple[Observed, ...]
    consistent: bool


def estimated_paths(model: Model) -> tuple[tuple[str, str], ...]:
    """The paths of a model but for those that are held at 0."""
    out = left_out_paths(model)
    return tuple(path for path in model.paths if path not in out)


Pairs = tuple[tuple[str, str], ...]
Members = dict[str, tuple[str, ...]]


@dataclass(frozen=True)
class _Draft:
    """What every blueprint of a model is made of: the members of each block by name, the modes, and how to estimate."""

    members: Members
    modes: dict[str, OuterMode]
    settings: EstimationSettings

    def blueprint(
        self, columns: tuple[str, ...], names: list[str], paths: Pairs, whole: Members | None = None, links: Pairs = ()
    ) -> Blueprint:
        """Blocks over columns; those in `whole` have all the columns of their parts and are not corrected."""
        at, row = ({name: i for i, name in enumerate(own)} for own in (columns, names))
        consistent = self.settings.estimator == "plsc"
        blocks = []
        for name in names:
            repeats = name in (whole or {})
            own = [c for m in self.members[name] for c in (self.members[m] if repeats else (m,))]
            places = tuple(at[column] for column in own)
            blocks.append(Block(name, places, self.modes.get(name, "A"), consistent and not repeats, repeats))
        pairs, linked = (tuple((row[a], row[b]) for a, b in among) for among in (paths, links))
        measurement = self.settings.part == "measurement"
        return Blueprint(columns, tuple(blocks), pairs, self.settings.scheme, measurement, linked)


def plan_program(model: Model, settings: EstimationSettings) -> Program:
    """The program of a model that `refusals` found nothing against."""
    measurement = settings.part == "measurement"
    paths = () if measurement else estimated_paths(model)
    linked = {name for path in paths for name in path}
    observed = [name for name in model.observed if name in linked]
    names = [*(c.name for c in model.constructs), *observed]
    members: Members = {c.name: c.indicators for c in model.constructs} | {name: (name,) for name in observed}
    used = {member for own in members.values() for member in own}
    columns = tuple(name for name in model.columns if name in used)
    everything = tuple(members.items())
    draft = _Draft(members, {c.name: "B" if c.mode == "formative" else "A" for c in model.constructs}, settings)
    parts = parts_of(model)
    if not parts:
        return Program(columns, everything, draft.blueprint(columns, names, paths))
    if settings.second_order == "repeated":
        # From the parts where they make up the whole, to them where it shows in them (Wold 1982; Lohmöller 1989).
        links = tuple(
            (part, whole) if draft.modes[whole] == "B" else (whole, part) for whole in parts for part in parts[whole]
        )
        return Program(columns, everything, draft.blueprint(columns, names, paths, parts, links))
    spread = [
        (a, b) for source, target in paths for a in parts.get(source, (source,)) for b in parts.get(target, (target,))
    ]
    lower = [name for name in names if name not in parts]
    inside = {part for own in parts.values() for part in own}
    upper = [name for name in names if name not in inside]
    later = tuple(dict.fromkeys(member for name in upper for member in members[name]))
    first = draft.blueprint(columns, lower, tuple(dict.fromkeys(spread)))
    return Program(columns, everything, first, draft.blueprint(later, upper, paths))


def make_ready(model: Model, source: Source, settings: EstimationSettings) -> Ready:
    """The program and the evidence on its columns, with divisor N − 1."""
    program = plan_program(model, settings)
    missing = settings.missing if settings.missing != "full-information" else "listwise"
    evidence = gather(source, program.columns, missing, "n-1")
    paths = () if settings.part == "measurement" else estimated_paths(model)
    return Ready(program, paths, (Observed(program.columns, evidence),), settings.estimator == "plsc")
