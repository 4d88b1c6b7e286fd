"""Expectations of a model and what the estimates say of them, with a sentence for the paper each."""

from __future__ import annotations

from typing import NamedTuple

from dusk_arrow.core.effects.hypotheses import Answer, answer
from dusk_arrow.core.problems import listed
from dusk_arrow.core.specification.model import Model, read
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.core.specification.statements import Expects, Specification, Statement
from dusk_arrow.core.wording import INTERVALS, coefficient, interval_text
from dusk_arrow.results.document import EffectPart, HypothesisPart, Interval, Results

ANSWERS: dict[Answer, str] = {
    "supported": "was supported",
    "not supported": "was not supported",
    "opposite": "was contradicted: the effect points the other way",
}
EXPECTED = {"positive": "a positive effect", "negative": "a negative effect", "nonzero": "an effect"}


class _Evidence(NamedTuple):
    """The interval that decides, the one beside the standardized figure, and where both come from."""

    decides: Interval | None
    shown: Interval | None
    basis: str


def _evidence(results: Results, effect: EffectPart) -> _Evidence:
    settings, summary = results.settings, results.bootstrap_summary
    level = f"{100 * settings.level:g} %"
    boot, standardized = effect.bootstrap, effect.standardized_bootstrap
    if boot is not None and summary is not None:
        basis = f"{level} {INTERVALS[settings.interval]} interval, {summary.used:,} resamples"
        return _Evidence(boot.headline, standardized.headline if standardized else boot.headline, basis)
    if effect.kind != "direct" or effect.interval is None:
        return _Evidence(None, None, "no answer without a bootstrap")
    return _Evidence(effect.interval, effect.standardized_interval, f"{level} interval from the standard error")


def _sentence(stated: Expects, label: str, effect: EffectPart, evidence: _Evidence) -> str:
    source, *between, target = stated.route
    through = f" through {listed(list(between))}" if between else ""
    claim = f"{EXPECTED[stated.sign]} of {source} on {target}{through}"
    if evidence.decides is None:
        return f"{label} ({claim}): {evidence.basis}."
    said = ANSWERS[answer(stated.sign, evidence.decides)]
    figures = f"β = {coefficient(effect.standardized)}, {interval_text(evidence.shown)} ({evidence.basis})"
    return f"{label}, {claim}, {said}; {figures}."


def hypotheses(results: Results, model: Model) -> list[HypothesisPart]:
    """Every expectation of a model by a document's effect along its route; one without a label is numbered."""
    by_route = {(e.from_, *(e.via or ()), e.to): e for e in results.effects if e.via is not None}
    parts = []
    for number, stated in enumerate(model.expectations, 1):
        effect = by_route.get(stated.route)
        label = stated.label or f"Expectation {number}"
        if effect is None:
            continue
        evidence = _evidence(results, effect)
        parts.append(
            HypothesisPart(
                label=label,
                route=list(stated.route),
                sign=stated.sign,
                estimate=effect.estimate,
                standardized=effect.standardized,
                interval=evidence.decides,
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
