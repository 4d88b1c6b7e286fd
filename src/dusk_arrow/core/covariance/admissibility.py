"""Whether a solution makes sense as a model: variances, covariance matrices, correlations."""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray

from dusk_arrow.core.assessment.alike import constructs_alike
from dusk_arrow.core.covariance.compiled import Block, CompiledModel
from dusk_arrow.core.covariance.implied import Matrices, matrices, matrix, residual_variances
from dusk_arrow.core.covariance.parameters import ParameterTable
from dusk_arrow.core.covariance.point import BlockPoint, Point
from dusk_arrow.core.covariance.scales import MARKER
from dusk_arrow.core.linear_algebra import Array, correlation_from
from dusk_arrow.core.problems import Problem, Repair
from dusk_arrow.core.specification.changes import MakeMarker, SetAside
from dusk_arrow.core.specification.model import Construct
from dusk_arrow.core.statistics import StatisticName, Statistics
from dusk_arrow.core.wording import coefficient

TOLERANCE = -1e-8
ESTIMATES: tuple[StatisticName, StatisticName] = ("estimate", "standardized")
HARDLY = 0.1  # a loading nearer to zero than this runs neither with the others nor against them


def _semi_definite(matrix: Array) -> NDArray[np.bool_]:
    scale = np.sqrt(np.maximum(np.abs(np.diagonal(matrix, axis1=-2, axis2=-1)), 1e-300))
    scaled = matrix / (scale[..., :, None] * scale[..., None, :])
    result: NDArray[np.bool_] = np.linalg.eigvalsh(scaled)[..., 0] >= TOLERANCE
    return result


def admissible(model: CompiledModel, theta: Array) -> NDArray[np.bool_]:
    """Which solutions θ (b, q) have no negative variance and Ψ, Θ positive semi-definite in every block: (b,)."""
    found: NDArray[np.bool_] = np.logical_and.reduce([_admissible(block, theta) for block in model.blocks])
    return found


def _admissible(block: Block, theta: Array) -> NDArray[np.bool_]:
    if block.split is None:
        return _possible(matrices(block, theta))
    possible: NDArray[np.bool_] = np.all(residual_variances(block, theta) >= 0, axis=-1)
    return possible & _semi_definite(matrix(block, "node", theta))


def _possible(parts: Matrices) -> NDArray[np.bool_]:
    result: NDArray[np.bool_] = _semi_definite(parts.node) & _semi_definite(parts.residual)
    return result


def admissible_at(point: Point) -> bool:
    """The same of one solution."""
    return all(bool(_possible(block.parts)) for block in point.blocks)


def explain(point: Point, found: Statistics) -> list[Problem]:
    """Warnings about one solution: negative variances, impossible correlations, loadings beyond 1, loops."""
    return [problem for block in point.blocks for problem in _explained(block, found)]


def _explained(point: BlockPoint, found: Statistics) -> list[Problem]:
    problems: list[Problem] = []
    table, parts, nodes = point.model.table, point.parts, point.found.nodes
    values, standardized = (
        [found.value(which, parameter.key) for parameter in table.parameters] for which in ESTIMATES
    )
    owner = {name: c for c in table.constructs for name in c.indicators}
    for i, parameter in enumerate(table.parameters):
        value = float(values[i])
        if parameter.kind == "variance" and parameter.free and value < 0:
            name = parameter.source
            what = "residual variance" if parameter.role == "residual" else "variance"
            message = (
                f"The {what} of {name} is negative ({coefficient(value, 3)}), which no variance can be. Usual reasons: too few "
                "indicators, two indicators that nearly repeat each other, a small sample, or a wrong model. "
                "The estimates stand, but should not be reported as they are."
            )
            repairs: tuple[Repair, ...] = ()
            if name in owner and len(owner[name].indicators) > 2:
                repairs = (Repair(f"Set {name} aside", SetAside(owner[name].name, name, "negative variance")),)
            problems.append(Problem("negative_variance", "warning", message, (name,), repairs))
    if not problems and not _possible(point.parts):
        message = "The estimated covariances among residuals or constructs are impossible together (not positive semi-definite)."
        problems.append(Problem("not_semi_definite", "warning", message))
    constructs = [i for i, name in enumerate(table.nodes) if name in {c.name for c in table.constructs}]
    modes = {c.name: c.mode for c in table.constructs}
    correlation = correlation_from(nodes)
    for a in constructs:
        for b in constructs:
            if a < b:
                first, second = table.nodes[a], table.nodes[b]
                alike = constructs_alike(first, second, float(correlation[a, b]), modes[first] == modes[second])
                problems += [alike] if alike else []
    for i, parameter in enumerate(table.parameters):
        alone = sum(parameter.target in c.indicators for c in table.constructs) == 1
        if parameter.kind == "loading" and alone and abs(standardized[i]) > 1 + 1e-8:
            message = f"The standardized loading of {parameter.target} is {coefficient(standardized[i])}, beyond 1."
            problems.append(Problem("loading_beyond_one", "warning", message, (parameter.target, parameter.source)))
    problems += _reversed_indicators(table, found)
    if float(np.abs(np.linalg.eigvals(parts.effect)).max(initial=0.0)) >= 1:
        message = "The loop in the model grows without end at these estimates, so total effects have no meaning."
        problems.append(Problem("unstable_loop", "warning", message))
    return problems


def _loadings(table: ParameterTable, found: Statistics, construct: Construct) -> dict[str, float]:
    """Standardized loadings of the indicators that a construct shares with no other, and that no sentence holds."""
    everyone = [name for other in table.constructs for name in other.indicators]
    return {
        p.target: found.value("standardized", p.key)
        for p in table.parameters
        if p.kind == "loading"
        and p.source == construct.name
        and everyone.count(p.target) == 1
        and (p.free or p.why_fixed == MARKER)
    }


def direction_of(table: ParameterTable, found: Statistics, construct: Construct) -> Literal[1, -1]:
    """The direction of most of a construct's indicators, by which all are judged: −1 where the one that carries the scale
    runs against them. The scale itself stays where it was said."""
    return 1 if sum(np.sign(v) for v in _loadings(table, found, construct).values()) >= 0 else -1


def _reversed_indicators(table: ParameterTable, found: Statistics) -> list[Problem]:
    """Indicators that run against their block."""
    problems: list[Problem] = []
    for construct in table.constructs:
        own = _loadings(table, found, construct)
        if len(own) < 3:
            continue
        sign = direction_of(table, found, construct)
        carries = {p.target for p in table.parameters if p.source == construct.name and p.why_fixed == MARKER}
        for name, loading in own.items():
            about = (name, construct.name)
            aside = Repair(f"Set {name} aside", SetAside(construct.name, name))
            if sign * loading < -HARDLY:
                message = (
                    f"{name} runs against the other indicators of {construct.name} (loading {coefficient(loading)}). "
                    "It may be worded the other way round; then it should be recoded before it is used."
                )
                repairs: tuple[Repair, ...] = (aside,)
                if name in carries:
                    sound = [o for o in own if 0 < sign * own[o] <= 1] or list(own)
                    other = max(sound, key=lambda o: sign * own[o])
                    message += f" As it carries the scale of {construct.name}, the whole construct is measured the other way round."
                    repairs = (Repair(f"Let {other} carry the scale", MakeMarker(construct.name, other)), aside)
                problems.append(Problem("runs_against_block", "warning", message, about, repairs))
    return problems
