"""Running a capsule again, and comparing what comes with what it says."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from dusk_arrow.capsules.capsule import Capsule
from dusk_arrow.core.family_options import traits_of
from dusk_arrow.core.observations.data import DataSet, Source
from dusk_arrow.core.observations.taking_steps import apply_steps
from dusk_arrow.core.problems import ProblemError
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.exchange.origins import Origin
from dusk_arrow.results.analysis import analyse
from dusk_arrow.results.assembly import assemble
from dusk_arrow.results.bootstrapping import ChunkRunner, Progress, run_here
from dusk_arrow.results.document import Results
from dusk_arrow.results.verdicts import judged_by

SAME = 1e-9
ASIDE = ("problems", "settings", "version", "what_ifs", "holdout")


@dataclass(frozen=True)
class Repetition:
    """What came of a capsule: the new document, how many numbers were compared, the largest relative difference and where it is,
    whether resamples were left out because there are no cases, and whether the original file, read again, gives the same data (None:
    it is not there)."""

    results: Results
    compared: int
    largest: float
    where: str
    without_bootstrap: bool
    original: bool | None = None
    file_name: str = ""

    @property
    def same(self) -> bool:
        """Whether every number is the same to nine digits."""
        return self.compared > 0 and self.largest <= SAME and self.original is not False

    @property
    def words(self) -> str:
        """What is said of it."""
        left = (
            " The bootstrap was left out: it needs the cases, and this capsule holds moments."
            if self.without_bootstrap
            else ""
        )
        if self.original is False:
            return f"Not repeated: {self.file_name}, read again, gives other data than the capsule holds.{left}"
        if self.original:
            left = f" {self.file_name}, read again, gives the same data.{left}"
        if self.largest == 0:
            return f"Repeated: all {self.compared:,} numbers of the capsule are the same to the last digit.{left}"
        what = "Repeated" if self.same else "Not repeated"
        return f"{what}: of {self.compared:,} numbers of the capsule the largest difference is {self.largest:.1e}, in {self.where}.{left}"


def source_of(capsule: Capsule) -> Source:
    """The data of a capsule after its steps. Raises ProblemError where one cannot be taken."""
    if not isinstance(capsule.source, DataSet):
        return capsule.source
    data, faults = apply_steps(capsule.source, list(capsule.steps))
    if faults:
        raise ProblemError(faults)
    return data


def _same_data(origin: Origin, source: Source) -> bool:
    """Whether the original file holds what the capsule says it does."""
    try:
        read = origin.read()[0]
        if isinstance(read, DataSet) and isinstance(source, DataSet):
            return read.contents() == source.contents()  # what is known of a column is guessed anew by every version
        return read.fingerprint() == source.fingerprint()
    except ProblemError:
        return False


def repeated(capsule: Capsule, runner: ChunkRunner = run_here, progress: Progress | None = None) -> Repetition:
    """Runs the analysis of a capsule and compares every number that it has. Raises ProblemError."""
    moments = not isinstance(capsule.source, DataSet)
    without = moments and (capsule.settings.bootstrap > 0 or capsule.settings.bollen_stine)
    settings = capsule.settings.without_bootstrap() if without else capsule.settings
    analysis = analyse(parse(capsule.model), source_of(capsule), settings, runner, progress, depth="thorough")
    results = assemble(analysis)
    results.problems = judged_by(results, capsule.criteria)
    before = capsule.results.model_dump(mode="json", by_alias=True, exclude=set(ASIDE))
    after = results.model_dump(mode="json", by_alias=True)
    compared, largest, where = 0, 0.0, ""
    skipped = RESTS_ON_CASES if moments else frozenset()
    if without and (capsule.settings.errors == "bootstrap" or not traits_of(capsule.results.family).errors):
        skipped |= ERRORS
    for at, old, new in _pairs(before, after, "", skipped):
        compared += 1
        scale = max(abs(old), abs(new), 1e-6)
        gap = abs(old - new) / scale if new == new else float("inf")
        if gap > largest:
            largest, where = gap, at
    origin = capsule.origin
    original = None if origin is None else _same_data(origin, capsule.source)
    return Repetition(results, compared, largest, where, without, original, origin.file_name if origin else "")


def _pairs(old: Any, new: Any, at: str, skipped: frozenset[str]) -> Iterator[tuple[str, float, float]]:
    """Every number of the one document with that of the other; what is missing there counts as none at all."""
    if isinstance(old, dict):
        for key, value in old.items():
            if key in skipped or (skipped and ("bootstrap" in key or "distribution" in key)):
                continue
            known = new.get(key) if isinstance(new, dict) else None
            yield from _pairs(value, known, f"{at}.{key}".lstrip("."), skipped)
    elif isinstance(old, list):
        for i, value in enumerate(old):
            known = new[i] if isinstance(new, list) and i < len(new) else None
            yield from _pairs(value, known, f"{at}[{i}]", skipped)
    elif isinstance(old, int | float) and not isinstance(old, bool):
        yield at, float(old), float(new) if isinstance(new, int | float) else float("nan")


RESTS_ON_CASES = frozenset(
    {"data", "mediation", "hypotheses", "share_of_total", "prediction", "importance", "scaled", "reference", "scores", "redundancy",
     "common_method", "tracked", "differences"}
)  # fmt: skip
ERRORS = frozenset(
    {"se", "z", "p_value", "interval", "standardized_se", "standardized_interval", "standardized_p_value"}
)
