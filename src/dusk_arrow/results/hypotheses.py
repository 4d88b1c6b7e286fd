"""Expectations of a model and what the estimates say of them, with a sentence for the paper each."""

from __future__ import annotations

from typing import NamedTuple

from dusk_arrow.core.effects.hypotheses import Answer, answer
from dusk_arrow.core.problems import listed
from dusk_arrow.core.resampling.intervals import enough
from dusk_arrow.core.run_options import INTERVAL
from dusk_arrow.core.specification.model import Model, read
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.core.specification.statements import Expects, Specification, Statement
from dusk_arrow.core.wording import coefficient, interval_text
from dusk_arrow.results.document import EffectPart, HypothesisPart, Interval, Results, reading

ANSWERS: dict[Answer, str] = {
    "supported": "was supported",
    "not supported": "was not supported",
    "opposite": "was contradicted: the effect points the other way",
}
EXPECTED = {"positive": "a positive effect", "negative": "a negative effect", "nonzero": "an effect"}


class _Evidence(NamedTuple):
    """The interval that decides, which is printed, that in units, and where both come from (or why there is none)."""

    decides: Interval | None
    in_units: Interval | None
    basis: str


def basis_of(results: Results, effect: EffectPart) -> str:
    """Where the interval that decides comes from."""
    settings, summary = results.settings, results.bootstrap_summary
    level = f"{100 * settings.level:g} %"
    if summary is not None and reading(effect).boot is not None:
        return f"{level} {INTERVAL.words(settings.interval)} interval, {summary.used:,} resamples"
    if effect.standardized_monte_carlo is not None and results.monte_carlo is not None:
        return f"{level} Monte-Carlo interval, {results.monte_carlo.draws:,} draws"
    return f"{level} interval from the standard error"


def _evidence(results: Results, effect: EffectPart, held: bool) -> _Evidence:
    judged, own = reading(effect), reading(effect, False)
    if results.admissible is False:
        return _Evidence(None, None, "the solution is inadmissible")
    if held:
        return _Evidence(None, None, "the path is held")
    if judged.bounds is None:
        drawn = results.bootstrap_summary is not None or results.monte_carlo is not None
        return _Evidence(None, None, "there is nothing to decide" if drawn else "that takes a bootstrap")
    if judged.boot is not None and not enough(judged.boot.n_used, results.settings.level):
        return _Evidence(None, None, f"{judged.boot.n_used} resamples are too few")
    return _Evidence(judged.bounds, own.bounds, basis_of(results, effect))


def _sentence(stated: Expects, label: str, effect: EffectPart, evidence: _Evidence) -> str:
    source, *between, target = stated.route
    through = f" through {listed(list(between))}" if between else ""
    claim = f"{EXPECTED[stated.sign]} of {source} on {target}{through}"
    beta = f"β = {coefficient(effect.standardized)}"
    if evidence.decides is None:
        return f"{label}, {claim}, has no answer yet ({beta}): {evidence.basis}."
    said = ANSWERS[answer(stated.sign, evidence.decides)]
    return f"{label}, {claim}, {said}; {beta}, {interval_text(evidence.decides)} ({evidence.basis})."


def hypotheses(results: Results, model: Model) -> list[HypothesisPart]:
    """Every expectation of a model by a document's effect along its route; one without a label is numbered."""
    by_route = {(e.from_, *(e.via or ()), e.to): e for e in results.effects if e.via is not None}
    held = {(p.from_, p.to) for p in results.parameters if p.kind == "path" and not p.free}
    parts = []
    for number, stated in enumerate(model.expectations, 1):
        effect = by_route.get(stated.route)
        label = stated.label or f"Expectation {number}"
        if effect is None:
            continue
        evidence = _evidence(results, effect, stated.route in held)
        parts.append(
            HypothesisPart(
                label=label,
                route=list(stated.route),
                sign=stated.sign,
                estimate=effect.estimate,
                standardized=effect.standardized,
                interval=evidence.in_units,
                standardized_interval=evidence.decides,
                answer=None if evidence.decides is None else answer(stated.sign, evidence.decides),
                basis=evidence.basis,
                sentence=_sentence(stated, label, effect, evidence),
            )
        )
    return parts


def same_but_expectations(first: Specification, second: Specification) -> bool:
    """Whether two specifications estimate the same: an expectation changes no figure."""
    return _estimated(first) == _estimated(second)


def _estimated(specification: Specification) -> list[Statement]:
    return [statement for statement in specification.statements if not isinstance(statement, Expects)]


def answering(results: Results, text: str) -> Results:
    """A document with the text of a model that differs from its own in expectations alone, and their answers."""
    return results.model_copy(update={"model": text, "hypotheses": hypotheses(results, read(parse(text)))})
