"""The half of the cases that was held out, opened: both halves fitted freely, and how far the second is from the first."""

from __future__ import annotations

from collections.abc import Sequence

from dusk_arrow.core.families import FAMILIES
from dusk_arrow.core.observations.data import DataSet, Source
from dusk_arrow.core.observations.steps import HoldOutHalf, Step, other_half
from dusk_arrow.core.observations.taking_steps import apply_steps
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.results.analysis import Analysis, analyse
from dusk_arrow.results.assembly import assemble
from dusk_arrow.results.convert import number
from dusk_arrow.results.document import HalfPart, HalfPath, HoldoutPart, Results


def half_step(steps: Sequence[Step]) -> HoldOutHalf | None:
    """The step that holds half of the cases out, if there is one and it is on."""
    return next((step for step in steps if isinstance(step, HoldOutHalf) and step.on), None)


def _half(analysis: Analysis) -> HalfPart:
    results = assemble(analysis)
    paths = [
        HalfPath(from_=p.from_, to=p.to, standardized=p.standardized) for p in results.parameters if p.kind == "path"
    ]
    message = next((p.message for p in results.problems if p.severity == "error"), None)
    return HalfPart(n=results.data.n_used if results.data else 0, fit=results.fit, paths=paths, message=message)


def holdout(results: Results, first: Source, second: Source, seed: int) -> HoldoutPart:
    """The model of a document on both halves, with its settings."""
    specification, settings = parse(results.model), results.settings.without_bootstrap()
    halves = [analyse(specification, source, settings, depth="brief") for source in (first, second)]
    family = FAMILIES[settings.family]
    fitted, other = (half.fitted for half in halves)
    apart = own = None
    if fitted is not None and other is not None:
        apart, own = (number(family.apart(fitted, sample)) for sample in (other.set_up, fitted.set_up))
    return HoldoutPart(
        seed=seed,
        measure=family.apart_words(settings.estimator),
        first=_half(halves[0]),
        second=_half(halves[1]),
        discrepancy=apart,
        own_discrepancy=own,
    )


def opened(results: Results, imported: DataSet, steps: Sequence[Step]) -> HoldoutPart | None:
    """Both halves of data whose held half was opened; None where none was held out, or it is still closed."""
    step = half_step(steps)
    if step is None or not step.opened or not results.converged:
        return None
    first, _ = apply_steps(imported, steps)
    second, _ = apply_steps(imported, other_half(steps))
    return holdout(results, first, second, step.seed)
