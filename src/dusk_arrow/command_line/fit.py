"""`./dusk fit`: estimates a model from files, without server or database."""

from __future__ import annotations

import argparse
import json
from typing import Any

from pydantic import ValidationError

from dusk_arrow.command_line.files import (
    ESTIMATED,
    NOT_ESTIMATED,
    WRONG,
    add_reading_options,
    problem,
    read_bytes,
    read_data,
    read_source,
    report,
    write_text,
)
from dusk_arrow.command_line.places import workers
from dusk_arrow.command_line.tables import readable
from dusk_arrow.core.observations.data import DataSet
from dusk_arrow.core.problems import Problem, ProblemError
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.figure.paper import paper_figure
from dusk_arrow.results.analysis import Source, analyse
from dusk_arrow.results.assembly import assemble
from dusk_arrow.results.bootstrapping import ChunkRunner, run_here
from dusk_arrow.results.convert import problem_part
from dusk_arrow.results.document import Results
from dusk_arrow.results.scoring import scores_csv
from dusk_arrow.results.settings import RESAMPLES, Settings
from dusk_arrow.runs.pool import WorkerPool


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        prog="./dusk fit",
        description="Estimate a model. Exit code 0: estimated; 2: something is wrong with file, sentence, option or "
        "matrix; 3: not identified or not converged.",
    )
    parser.add_argument("model", metavar="MODEL.txt", help="the model in sentences (docs/sentences.md)")
    data = parser.add_argument_group("data")
    data.add_argument(
        "--data", metavar="FILE", help="one row a case: .csv, .tsv, .xlsx, .sav, .zsav, .dta, .sas7bdat, .parquet"
    )
    add_reading_options(data)
    data.add_argument("--moments", metavar="MATRIX.csv", help="a covariance or correlation matrix instead of --data")
    data.add_argument("--n", type=int, help="the number of cases behind the matrix")
    data.add_argument("--moments-divisor", choices=["n", "n-1"], default="n-1", help="how the matrix was computed")
    _add_settings(parser)
    out = parser.add_argument_group("output")
    out.add_argument("--json", metavar="OUT.json", help="the results document; - for standard output")
    out.add_argument("--figure", metavar="OUT.svg", help="the path diagram")
    out.add_argument("--scores", metavar="OUT.csv", help="scores of the cases on the constructs")
    out.add_argument("--score-cases", metavar="FILE", help="score the cases of another file instead")
    out.add_argument("--bartlett", action="store_true", help="Bartlett's scores instead of regression scores")
    return parser


def _add_settings(parser: argparse.ArgumentParser) -> None:
    """Options that change a number; what is left out comes from --settings, else from the defaults."""
    how = parser.add_argument_group("estimation")
    how.add_argument(
        "--settings", metavar="SETTINGS.json", help="every option as stored with a run; others override it"
    )
    how.add_argument("--family", help="covariance")
    how.add_argument("--estimator", help="ml, gls, uls or adf")
    how.add_argument("--scaling", help="marker or unit-variance")
    how.add_argument("--divisor", help="n or n-1")
    how.add_argument("--errors", help="expected, observed, sandwich, satorra-bentler or bootstrap")
    how.add_argument("--missing", help="listwise, full-information or mean")
    how.add_argument("--means", action="store_true", default=None, help="model means and intercepts too")
    boot = parser.add_argument_group("bootstrap")
    boot.add_argument("--bootstrap", type=int, metavar="RESAMPLES")
    boot.add_argument("--seed", type=int)
    boot.add_argument("--workers", type=int, default=workers(), help="processes; changes no number")
    boot.add_argument("--interval", help="percentile, bias-corrected or bca")
    boot.add_argument("--level", type=float)
    boot.add_argument(
        "--bollen-stine", action="store_true", default=None, help="test the fit on data transformed to the model"
    )


def _source(options: argparse.Namespace) -> tuple[Source, list[Problem]]:
    if bool(options.data) == bool(options.moments):
        raise problem("data_missing", "Give either --data FILE or --moments MATRIX.csv.")
    source, noticed = (
        read_source(options.moments, options, "matrix") if options.moments else read_source(options.data, options)
    )
    return source, list(noticed)


LATER = {
    ("family", "composite"): "The composite-based family is not available yet.",
    ("estimator", "pls"): "The composite-based family is not available yet.",
    ("estimator", "plsc"): "The composite-based family is not available yet.",
    (
        "missing",
        "pairwise",
    ): "Pairwise covariances belong to the composite-based family; use full-information or listwise.",
}


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
    for (name, value), message in LATER.items():
        if chosen.get(name) == value:
            raise problem("option_not_available", f"--{name} {value}: {message}")
    if chosen.get("bollen_stine") and not chosen.get("bootstrap"):
        chosen["bootstrap"] = RESAMPLES
    try:
        return Settings(**chosen)
    except ValidationError as error:
        first = error.errors()[0]
        raise problem("option_invalid", f"--{str(first['loc'][0]).replace('_', '-')}: {first['msg']}.") from None


def _write_scores(results: Results, source: Source, options: argparse.Namespace) -> None:
    """Scores as a table: of the cases of the analysis, or of another file with the same columns."""
    cases: Source = source
    if options.score_cases:
        cases = read_data(options.score_cases, options)[0]
    if not isinstance(cases, DataSet):
        raise problem("scores_need_cases", "Scores are of single cases; give them with --score-cases FILE.")
    write_text(options.scores, scores_csv(results, cases, "bartlett" if options.bartlett else "regression"))


def _emit(results: Results, path: str) -> None:
    write_text(path, json.dumps(results.model_dump(mode="json"), ensure_ascii=False, indent=1) + "\n")


def fit(arguments: list[str]) -> int:
    """Runs `./dusk fit` and returns its exit code; problems go to standard error, one a line."""
    options = _parser().parse_args(arguments)
    settings = Settings()
    pool: WorkerPool | None = None
    try:
        settings = _settings(options)
        source, noticed = _source(options)
        specification = parse(read_bytes(options.model).decode("utf-8-sig", errors="replace"))
        if options.figure and not options.figure.lower().endswith(".svg"):
            raise problem("figure_format", "The figure can be saved as .svg.")
        runner: ChunkRunner = run_here
        if settings.bootstrap > 1000 and options.workers > 1:
            runner = pool = WorkerPool(options.workers)
        analysis = analyse(specification, source, settings, runner)
        results = assemble(analysis)
        results.problems[:0] = [problem_part(problem) for problem in noticed]
        report([*noticed, *analysis.problems])
        if options.json:
            _emit(results, options.json)
        if analysis.outcome == "estimated":
            if options.figure:
                write_text(options.figure, paper_figure(results))
            if options.scores:
                _write_scores(results, source, options)
            if not options.json:
                print(readable(results))
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
