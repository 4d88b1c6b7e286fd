"""`./dusk fit`: estimates a model from files, without server or database."""

from __future__ import annotations

import argparse
import json
from pathlib import Path

from pydantic import ValidationError

from dusk_arrow.command_line.files import (
    ESTIMATED,
    NOT_ESTIMATED,
    WRONG,
    add_reading_options,
    problem,
    read_bytes,
    read_data,
    report,
    write_text,
)
from dusk_arrow.command_line.places import workers
from dusk_arrow.command_line.tables import readable
from dusk_arrow.core.problems import Problem, ProblemError
from dusk_arrow.core.specification.sentences import parse
from dusk_arrow.exchange.matrix_files import read_matrix
from dusk_arrow.figure.paper import paper_figure
from dusk_arrow.results.analysis import Source, analyse
from dusk_arrow.results.assembly import assemble
from dusk_arrow.results.bootstrapping import ChunkRunner, run_here
from dusk_arrow.results.convert import problem_part
from dusk_arrow.results.document import Results
from dusk_arrow.results.settings import DEFAULT_SEED, Settings
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
    how = parser.add_argument_group("estimation")
    how.add_argument("--family", choices=["covariance"], default="covariance")
    how.add_argument("--estimator", choices=["ml"], default="ml")
    how.add_argument("--scaling", choices=["marker", "unit-variance"], default="marker")
    how.add_argument("--divisor", choices=["n", "n-1"], default="n")
    how.add_argument("--errors", choices=["expected", "observed", "sandwich", "satorra-bentler"], default="expected")
    how.add_argument("--missing", choices=["listwise"], default="listwise")
    boot = parser.add_argument_group("bootstrap")
    boot.add_argument("--bootstrap", type=int, default=0, metavar="RESAMPLES")
    boot.add_argument("--seed", type=int, default=DEFAULT_SEED)
    boot.add_argument("--workers", type=int, default=workers(), help="processes; changes no number")
    boot.add_argument("--interval", choices=["percentile", "bias-corrected"], default="percentile")
    boot.add_argument("--level", type=float, default=0.95)
    out = parser.add_argument_group("output")
    out.add_argument("--json", metavar="OUT.json", help="the results document; - for standard output")
    out.add_argument("--figure", metavar="OUT.svg", help="the path diagram")
    return parser


def _source(options: argparse.Namespace) -> tuple[Source, list[Problem]]:
    if bool(options.data) == bool(options.moments):
        raise problem("data_missing", "Give either --data FILE or --moments MATRIX.csv.")
    if options.moments:
        name = Path(options.moments).stem
        offset = 1 if options.moments_divisor == "n-1" else 0
        return read_matrix(read_bytes(options.moments), name, options.n, offset)
    reading = read_data(options.data, options)
    return reading.data, list(reading.problems)


def _settings(options: argparse.Namespace) -> Settings:
    names = [name for name in Settings.model_fields if hasattr(options, name)]
    try:
        return Settings(**{name: getattr(options, name) for name in names})
    except ValidationError as error:
        first = error.errors()[0]
        raise problem("option_invalid", f"--{first['loc'][0]}: {first['msg']}.") from None


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
