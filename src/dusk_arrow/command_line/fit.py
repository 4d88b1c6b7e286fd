"""`./dusk fit`: estimates a model from files, without server or database."""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from typing import Any, NamedTuple

from pydantic import ValidationError

from dusk_arrow.command_line.arguments import ITEMS_TRIED, fit_parser
from dusk_arrow.command_line.files import (
    ESTIMATED,
    NOT_ESTIMATED,
    WRONG,
    problem,
    read_bytes,
    read_data,
    read_imported,
    report,
    stepped,
    steps_of,
    write_text,
)
from dusk_arrow.command_line.reports import asked_of, write_files
from dusk_arrow.command_line.tables import readable
from dusk_arrow.core.assessment.criteria import Sheet, sheet
from dusk_arrow.core.observations.data import DataSet, Moments, Source
from dusk_arrow.core.observations.steps import HoldOutHalf, Step
from dusk_arrow.core.problems import Problem, ProblemError
from dusk_arrow.core.run_options import USUAL_RESAMPLES
from dusk_arrow.core.specification.model import read
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.core.specification.statements import Specification
from dusk_arrow.exchange.origins import Origin
from dusk_arrow.report.scores import scores_csv
from dusk_arrow.results.analysis import analyse
from dusk_arrow.results.assembly import assemble
from dusk_arrow.results.bootstrapping import ChunkRunner, Onward, Progress, run_here
from dusk_arrow.results.convert import problem_part
from dusk_arrow.results.document import Results
from dusk_arrow.results.holdout import half_step, opened
from dusk_arrow.results.settings import Settings
from dusk_arrow.results.verdicts import judged_by
from dusk_arrow.results.what_ifs import with_what_ifs
from dusk_arrow.runs.workers import Workers, workers_of


class _Read(NamedTuple):
    """What is analysed, what was noticed on reading, what it was before its steps, and the file it came from
    where a capsule is to hold it."""

    source: Source
    noticed: list[Problem]
    imported: Source
    steps: list[Step]
    origin: Origin | None


def _read(options: argparse.Namespace, specification: Specification) -> _Read:
    if bool(options.data) == bool(options.moments):
        raise problem("data_missing", "Give either --data FILE or --moments MATRIX.csv.")
    imported, noticed, origin = (
        read_imported(options.moments, options, "matrix") if options.moments else read_imported(options.data, options)
    )
    kept = origin if options.capsule else None  # it is as large as the data
    if isinstance(imported, Moments):
        if options.hold_out_half is not None:
            raise problem("half_needs_cases", "Half of the cases can only be held out where there are cases.")
        return _Read(imported, list(noticed), imported, [], kept)
    steps = steps_of(options)
    if options.hold_out_half is not None:
        steps = [*steps, HoldOutHalf(read(specification).columns, options.hold_out_half)]
    if options.open_half:
        if half_step(steps) is None:
            raise problem("nothing_held_out", "There is no half to be opened: hold one out with --hold-out-half SEED.")
        steps = [replace(step, opened=True) if isinstance(step, HoldOutHalf) else step for step in steps]
    return _Read(stepped(imported, steps), list(noticed), imported, steps, kept)


def _stored_settings(path: str) -> dict[str, Any]:
    """The settings of a file: as exported, or the whole results document of a run. Raises ProblemError."""
    try:
        stored = json.loads(read_bytes(path))
        stored = stored.get("settings", stored)
        return dict(stored)
    except (ValueError, TypeError, AttributeError):
        raise problem("settings_unreadable", f"{path} holds no settings in JSON.") from None


def _settings(options: argparse.Namespace) -> Settings:
    """Raises ProblemError for an option that does not exist or is not available."""
    chosen = _stored_settings(options.settings) if options.settings else {}
    given = {name: getattr(options, name, None) for name in Settings.model_fields}
    chosen |= {name: value for name, value in given.items() if value is not None}
    if options.estimator and not options.family:
        chosen.pop("family", None)  # an estimator names its family
    if options.global_item is not None:
        pairs = [text.rpartition("=") for text in options.global_item]
        if not all(construct and item for construct, _, item in pairs):
            raise problem("option_invalid", "--global-item: give CONSTRUCT=COLUMN.")
        chosen["global_items"] = {construct.strip(): item.strip() for construct, _, item in pairs}
    if chosen.get("bollen_stine") and not chosen.get("bootstrap"):
        chosen["bootstrap"] = USUAL_RESAMPLES
    try:
        return Settings(**chosen)
    except ValidationError as error:
        first = error.errors()[0]
        name = f"--{str(first['loc'][0]).replace('_', '-')}: " if first["loc"] else ""
        raise problem("option_invalid", f"{name}{first['msg'].removeprefix('Value error, ')}.") from None


def _write_scores(results: Results, source: Source, options: argparse.Namespace) -> None:
    """Scores as a table: of the cases of the analysis, or of another file with the same columns."""
    cases: Source = source
    if options.score_cases:
        cases = read_data(options.score_cases, options)[0]
    if not isinstance(cases, DataSet):
        raise problem("scores_need_cases", "Scores are of single cases; give them with --score-cases FILE.")
    write_text(options.scores, scores_csv(results, cases, "bartlett" if options.bartlett else "regression"))


def _tried(results: Results, source: Source, options: argparse.Namespace, criteria: Sheet) -> Results:
    """With the what-ifs, unless they were not asked for and are so many that they would take long."""
    items = len(results.quality.loadings) if results.quality else 0
    wanted = items <= ITEMS_TRIED if options.what_ifs is None else options.what_ifs
    return with_what_ifs(results, source, criteria) if wanted else results


def _emit(results: Results, path: str) -> None:
    write_text(path, json.dumps(results.model_dump(mode="json"), ensure_ascii=False, indent=1) + "\n")


@contextmanager
def _progress(resamples: int) -> Iterator[Progress | None]:
    """A bar on standard error while a bootstrap runs and somebody looks on."""
    if not resamples or not sys.stderr.isatty():
        yield None
        return
    from tqdm import tqdm  # loaded late: only a bootstrap needs it

    with tqdm(total=resamples, unit=" resamples", leave=False, dynamic_ncols=True) as bar:

        def tell(done: int, requested: int) -> Onward:
            bar.update(done - bar.n)
            return "on"

        yield tell


def fit(arguments: list[str]) -> int:
    """Runs `./dusk fit` and returns its exit code; problems go to standard error, one a line."""
    options = fit_parser().parse_args(arguments)
    settings, criteria = Settings(), sheet(options.criteria)
    pool: Workers | None = None
    try:
        if options.model.lower().endswith(".zip"):
            from dusk_arrow.command_line.repeating import repeat  # loaded late: most runs need none

            return repeat(options, _progress)
        settings = _settings(options)
        specification = parse(read_bytes(options.model).decode("utf-8-sig", errors="replace"))
        source, noticed, imported, steps, origin = _read(options, specification)
        asked = asked_of(options)
        runner: ChunkRunner = run_here
        if settings.bootstrap and (options.scheduler or (settings.bootstrap > 1000 and options.workers > 1)):
            runner = pool = workers_of(options.workers, options.scheduler)
        with _progress(settings.bootstrap) as progress:
            analysis = analyse(specification, source, settings, runner, progress, depth="thorough")
        results = _tried(assemble(analysis), source, options, criteria)
        if isinstance(imported, DataSet):
            results.holdout = opened(results, imported, steps)
        results.problems = [*(problem_part(problem) for problem in noticed), *judged_by(results, criteria)]
        report(results.problems)
        if options.json:
            _emit(results, options.json)
        if analysis.outcome == "estimated":
            write_files(asked, results, source, imported, steps, criteria)
            if options.capsule:
                from dusk_arrow.command_line.repeating import save

                save(options, results, imported, steps, criteria, origin)
            if options.scores:
                _write_scores(results, source, options)
            if not options.json:
                print(readable(results, criteria))
        return {"estimated": ESTIMATED, "refused": WRONG, "not_estimated": NOT_ESTIMATED}[analysis.outcome]
    except ProblemError as error:
        report(error.problems)
        if options.json:
            empty = Results(settings=settings, model="", data=None, problems=[problem_part(p) for p in error.problems])
            _emit(empty, options.json)
        return WRONG
    finally:
        if pool is not None:
            pool.close()
