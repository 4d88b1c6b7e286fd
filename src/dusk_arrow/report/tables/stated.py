"""What is said of a model beside its paths and loadings: covariances, equalities, held values, wholes of other constructs."""

from __future__ import annotations

from dusk_arrow.core.parameter_key import ParameterKey
from dusk_arrow.core.specification.model import target_of
from dusk_arrow.core.specification.statements import Reference, Target
from dusk_arrow.report.cells import Cell, Column, Number, Range, Row, Table
from dusk_arrow.report.material import Material
from dusk_arrow.report.tables.structure import decision
from dusk_arrow.results.document import ParameterPart


def target(p: ParameterPart) -> Target:
    """What a sentence would call a parameter."""
    return target_of(ParameterKey(p.kind, p.from_, p.to))


def covarying(material: Material) -> list[ParameterPart]:
    """The covariances that were stated: of residuals, of disturbances, of anything that does not covary by default."""
    stated = {tuple(sorted(pair)) for pair in material.model.covariances}
    return [
        p
        for p in material.results.parameters
        if p.kind == "covariance" and p.free and tuple(sorted((p.from_, p.to))) in stated
    ]


def held(material: Material) -> list[ParameterPart]:
    """What a sentence holds at a value."""
    return [p for p in material.results.parameters if target(p) in material.model.fixed]


def equal(material: Material) -> list[list[ParameterPart]]:
    """Parameters that are held equal, set by set."""
    names, found = material.model.names, []
    for members in material.model.matches:
        wanted = {names.get(m.name) if isinstance(m, Reference) else m for m in members}
        own = [p for p in material.results.parameters if target(p) in wanted]
        if len(own) > 1:
            found.append(own)
    return found


def wholes(material: Material) -> dict[str, tuple[str, ...]]:
    """Constructs that show in other constructs, with those."""
    by_name = material.model.by_name
    return {c.name: c.indicators for c in material.model.constructs if any(name in by_name for name in c.indicators)}


def words_of(p: ParameterPart) -> str:
    """A parameter in words."""
    if p.kind in ("variance", "intercept", "mean"):
        return f"{p.role + ' ' if p.role else ''}{p.kind} of {p.from_}"
    return f"{p.from_} {'with' if p.kind == 'covariance' else '→'} {p.to}"


def stated(material: Material) -> Table | None:
    """Every covariance that was stated, every equality, every held value."""
    rows = []

    def line(what: str, p: ParameterPart) -> Row:
        judged = material.standardized(p)
        bounds: list[Cell] = [
            Range(judged.bounds if p.free else None),
            material.printed_p(judged) if p.free else Number(None, "p"),
        ]
        said = decision(material, p)
        return Row((words_of(p), what, Number(p.estimate, "plain", 3), Number(p.standardized), *bounds, said))

    rows += [line("covary", p) for p in covarying(material)]
    for number, own in enumerate(equal(material), 1):
        rows += [line(f"equal ({number})", p) for p in own]
    rows += [line("held", p) for p in held(material)]
    if not rows:
        return None
    columns = (
        Column("Parameter", "text"), Column("What was stated", "text"), Column("Estimate"), Column("Standardized"),
        Column(f"{material.level} interval", "range"), Column("p"), Column("Decision", "text"),
    )  # fmt: skip
    notes = ["Interval and p are of the standardized value, which for a covariance is the correlation."]
    return Table("stated", "Covariances, equalities and held values", columns, tuple(rows), tuple(notes))
