"""A model made ready: its parameters, the evidence on its columns, and how it will be estimated."""

from __future__ import annotations

from dataclasses import dataclass

from dusk_arrow.core.covariance.estimators.estimator import Estimator
from dusk_arrow.core.covariance.estimators.registry import ESTIMATORS
from dusk_arrow.core.covariance.moment_layout import MomentLayout
from dusk_arrow.core.covariance.parameters import ParameterTable, compile_model
from dusk_arrow.core.covariance.robust import NEED_CASES
from dusk_arrow.core.family import EstimationSettings
from dusk_arrow.core.observations.data import DataSet, Source
from dusk_arrow.core.observations.evidence import CompleteCases, Evidence, MatrixEvidence
from dusk_arrow.core.observations.gathering import gather
from dusk_arrow.core.observations.screening import check_covariance
from dusk_arrow.core.options import Choose
from dusk_arrow.core.problems import Problem, Repair
from dusk_arrow.core.specification.model import Model
from dusk_arrow.core.specification.statements import (
    Begins,
    Calls,
    Holds,
    InterceptOf,
    Matches,
    Reference,
    Releases,
    Specification,
)

NO_CASES = "{} works on single cases, so it needs the raw data; a matrix has none."


@dataclass(frozen=True)
class Ready:
    """The parameters of a model that was checked and the evidence in their order, for every group, and the estimator."""

    tables: tuple[ParameterTable, ...]
    evidence: tuple[Evidence, ...]
    estimator: Estimator

    def covariance_problems(self) -> list[Problem]:
        """What stands against the covariances of each group."""
        return [
            problem
            for table, own in zip(self.tables, self.evidence, strict=True)
            for problem in check_covariance(table.observed, own.covariance, own.n, isinstance(own, MatrixEvidence))
        ]


def _speaks_of_means(specification: Specification) -> bool:
    """Whether a sentence fixes, names, starts or matches an intercept."""
    for statement in specification.statements:
        targets = [statement.target] if isinstance(statement, Holds | Begins | Releases | Calls) else []
        if isinstance(statement, Matches):
            targets = [m for m in statement.members if not isinstance(m, Reference)]
        if any(isinstance(target, InterceptOf) for target in targets):
            return True
    return False


def make_ready(specification: Specification, model: Model, source: Source, settings: EstimationSettings) -> Ready:
    """Means are modelled where they are asked for, spoken of, or needed by incomplete cases."""
    incomplete = settings.missing == "full-information" and isinstance(source, DataSet)
    means = settings.means or incomplete or _speaks_of_means(specification)
    table = compile_model(model, settings.scaling, means)
    evidence = gather(source, table.observed, settings.missing, settings.divisor)
    return Ready((table,), (evidence,), ESTIMATORS[settings.estimator])


def needs_cases(source: Source, settings: EstimationSettings) -> list[Problem]:
    """What the settings ask for and a matrix cannot give; pairwise moments are of no sample that could be likely."""
    if settings.missing == "pairwise":
        message = (
            "Pairwise covariances belong to composites: no one sample has them, so no test and no error holds. "
            "Use full information, or leave cases out."
        )
        ways = (Repair("Use every answer (full information)", Choose("missing", "full-information")),)
        return [Problem("missing_not_available", "error", message, repairs=ways)]
    if isinstance(source, DataSet):
        return []
    asked = {
        "full_information_needs_cases": (settings.missing == "full-information", "Full information"),
        "bootstrap_needs_cases": (settings.bootstrap or settings.bollen_stine, "The bootstrap"),
        "errors_need_cases": (
            settings.analytic_errors in NEED_CASES,
            f"The choice of {settings.analytic_errors} errors",
        ),
        "estimator_needs_cases": (
            ESTIMATORS[settings.estimator].needs_cases,
            ESTIMATORS[settings.estimator].words,
        ),
    }
    return [Problem(code, "error", NO_CASES.format(what)) for code, (wanted, what) in asked.items() if wanted]


def refusals(ready: Ready, settings: EstimationSettings) -> list[Problem]:
    """Settings that do not go together on this evidence, each with the way out."""
    estimator, found = ready.estimator, []
    if settings.missing == "full-information" and not estimator.takes_incomplete:
        message = (
            f"Full information is maximum likelihood; {settings.estimator.upper()} works on complete cases (listwise)."
        )
        found.append(Problem("full_information_needs_ml", "error", message))
    if settings.bollen_stine and not (
        estimator.transforms and all(isinstance(own, CompleteCases) for own in ready.evidence)
    ):
        message = (
            "The Bollen–Stine test transforms complete cases, with maximum likelihood or GLS. Use listwise deletion."
        )
        found.append(Problem("bollen_stine_needs_complete_cases", "error", message))
    for table, own in zip(ready.tables, ready.evidence, strict=True):
        layout = MomentLayout(len(table.observed), table.means)
        found += estimator.refusals(own, layout, settings.analytic_errors)
    if any(t.means and own.means is None for t, own in zip(ready.tables, ready.evidence, strict=True)):
        message = "Means are asked for, but the matrix comes without them. Add a row “mean”, or leave means out."
        found.append(Problem("means_missing", "error", message))
    return found
