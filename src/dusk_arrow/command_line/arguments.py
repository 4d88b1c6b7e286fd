"""The options of `fit` and `check`. Nothing heavy is imported here, so that help and typing errors are answered at once."""

from __future__ import annotations

import argparse

from dusk_arrow.command_line.places import PROGRAM, scheduler, workers
from dusk_arrow.core.family_options import FAMILY_OPTIONS, options_by_name
from dusk_arrow.core.options import Option
from dusk_arrow.core.run_options import RUN_OPTIONS
from dusk_arrow.exchange.file_formats import endings

ITEMS_TRIED = 40
READ = ", ".join(endings())


def add_reading_options(parser: argparse._ArgumentGroup | argparse.ArgumentParser) -> None:
    """The options that say how a data file is to be read."""
    parser.add_argument("--sheet", metavar="NAME", help="the sheet of a workbook; the first unless given")
    parser.add_argument("--delimiter", help="of a text file; found out unless given; “tab” for a tab")
    parser.add_argument("--decimal", choices=[".", ","], help="found out unless given")
    parser.add_argument("--encoding", help="found out unless given")
    parser.add_argument("--no-header", action="store_true", help="the first line holds data; columns are v1, v2, …")
    parser.add_argument("--cases", action="store_true", help="the rows are cases, even where they look like a matrix")
    parser.add_argument(
        "--turned-marks", default="", metavar="COLUMNS",
        help="columns whose points or commas are to be read the other way than found",
    )  # fmt: skip
    parser.add_argument("--cells", metavar="B3:H40", help="the range of a sheet; all of it unless given")
    parser.add_argument("--skip", type=int, default=0, metavar="ROWS", help="rows above the names to be passed over")
    parser.add_argument("--names", metavar="FILE", help="names and labels of the columns, one a line or as a table")
    parser.add_argument("--steps", metavar="STEPS.json", help="recorded steps, as exported by the Data station")
    parser.add_argument("--missing-codes", default="", metavar="-9,99", help="codes that mean missing")


def fit_parser() -> argparse.ArgumentParser:
    """The options of `./dusk fit`."""
    parser = argparse.ArgumentParser(
        prog=f"{PROGRAM} fit",
        description="Estimate a model. Exit code 0: estimated; 2: something is wrong with file, sentence, option or "
        "matrix; 3: not identified or not converged.",
    )
    parser.add_argument(
        "model",
        metavar="MODEL.txt",
        help="the model in sentences (docs/methods/sentences.md), or a capsule (.zip) to be repeated",
    )
    data = parser.add_argument_group("data")
    data.add_argument("--data", metavar="FILE", help=f"one row a case: {READ}")
    add_reading_options(data)
    data.add_argument("--moments", metavar="MATRIX.csv", help="a covariance or correlation matrix instead of --data")
    data.add_argument("--n", type=int, help="the number of cases behind the matrix")
    data.add_argument("--moments-divisor", choices=["n", "n-1"], default="n-1", help="how the matrix was computed")
    data.add_argument(
        "--matrix-sds", default="", metavar=".8,1.1", help="SDs of the variables of a matrix, in its order"
    )
    data.add_argument("--matrix-means", default="", metavar="3.4,2.9", help="their means")
    data.add_argument(
        "--hold-out-half", type=int, metavar="SEED",
        help="estimate on half of the complete cases; the other half waits unseen",
    )  # fmt: skip
    data.add_argument("--open-half", action="store_true", help="open the half that was held out: both halves compared")
    _add_settings(parser)
    out = parser.add_argument_group("output")
    out.add_argument("--json", metavar="OUT.json", help="the results document; - for standard output")
    out.add_argument(
        "--figure", metavar="OUT.svg", help="the path diagram: .svg, .pdf, .png, .pptx, .odg, .graphml or .dot"
    )
    out.add_argument("--figure-options", metavar="FILE.json", help="how it is drawn, as saved from the Report station")
    out.add_argument(
        "--report", metavar="OUT.docx", action="append", default=[],
        help="figures, tables and words: .docx, .pdf, .html, .xlsx, .tex, .md, .zip (tables as .csv) or .bib; can be given again",
    )  # fmt: skip
    out.add_argument(
        "--report-options", metavar="FILE.json", help="what goes into it, as saved from the Report station"
    )
    out.add_argument(
        "--capsule", metavar="OUT.zip", help="everything that is needed to repeat the analysis, in one file"
    )
    out.add_argument("--without-data", action="store_true", help="with moments in the place of the cases")
    out.add_argument(
        "--criteria", choices=["usual", "strict", "exploratory"], default="usual", help="whose cut-offs verdicts follow"
    )
    out.add_argument(
        "--what-ifs", action=argparse.BooleanOptionalAction, default=None,
        help=f"refit without each item, and with what is left out; unless said, with up to {ITEMS_TRIED} items",
    )  # fmt: skip
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
    how.add_argument("--family", help=", ".join(f"{family.key} ({family.words})" for family in FAMILY_OPTIONS))
    for option in (one for one in options_by_name().values() if not one.of_run):
        _add_option(how, option)
    how.add_argument(
        "--global-item", action="append", default=None, metavar="CONSTRUCT=COLUMN",
        help="an item that sums up a construct made of its items; can be given again",
    )  # fmt: skip
    boot = parser.add_argument_group("bootstrap")
    of_families = (one for one in options_by_name().values() if one.of_run)
    for option in (*RUN_OPTIONS, *of_families):
        _add_option(boot, option)
    boot.add_argument("--workers", type=int, default=workers(), help="processes; changes no number")
    boot.add_argument(
        "--scheduler", default=scheduler(), metavar="ADDRESS", help="a cluster in their place; changes no number"
    )


def _add_option(group: argparse._ArgumentGroup, option: Option) -> None:
    """A setting as an option: one of its values, a number, or a flag."""
    name = f"--{option.name.replace('_', '-')}"
    if option.numbers is not None:
        group.add_argument(name, type=type(option.default), metavar=option.label.upper(), help=option.hint)
    elif option.choices:
        values = ", ".join(choice.value for choice in option.choices)
        group.add_argument(name, metavar=option.name.upper(), help=f"{option.label.lower()}: {values}")
    else:
        group.add_argument(name, action="store_true", default=None, help=option.hint)


def check_parser() -> argparse.ArgumentParser:
    """The options of `./dusk check`."""
    parser = argparse.ArgumentParser(
        prog=f"{PROGRAM} check",
        description=f"Screen a data file ({READ}). Exit code 0: read; 2: the file cannot be used.",
    )
    parser.add_argument("file", metavar="FILE", help="the data file")
    parser.add_argument("--json", metavar="OUT.json", help="the document; - for standard output")
    add_reading_options(parser)
    return parser
