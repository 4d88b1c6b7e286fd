"""`./dusk start|fit|check|backup|restore` in a checkout; `dusk-arrow fit|check` where the package is installed."""

from __future__ import annotations

import multiprocessing
import os
import sys
import threading

from dusk_arrow import __version__
from dusk_arrow.command_line.places import IN_CHECKOUT

INTERRUPTED = 130
USAGE = """Dusk Arrow: structural equation models from a questionnaire to a path diagram

  dusk-arrow fit MODEL.txt --data FILE   estimate a model (see dusk-arrow fit --help)
  dusk-arrow check FILE                  screen a data file (see dusk-arrow check --help)
  dusk-arrow --version                   print the version
"""
EXTRAS = {
    **dict.fromkeys(
        [
            "docx",
            "jinja2",
            "lxml",
            "markdown_it",
            "networkx",
            "odf",
            "pptx",
            "pydot",
            "reportlab",
            "resvg_py",
            "xlsxwriter",
        ],
        "report",
    ),
    **dict.fromkeys(["flask", "procrastinate", "psycopg", "sqlalchemy", "uvicorn"], "server"),
    "distributed": "cluster",
}
RECORDS = {
    "backup": "Write all studies to one file.",
    "restore": "Put the studies of a backup in the place of the present ones, which are backed up first.",
}


def main(arguments: list[str]) -> int:
    """Runs a subcommand and returns its exit code; only what it needs is imported."""
    command, rest = (arguments[0], arguments[1:]) if arguments else ("", [])
    if command in ("fit", "check"):
        from dusk_arrow.command_line.arguments import check_parser, fit_parser

        # help and wrong options end here, before anything that takes long to load
        (fit_parser() if command == "fit" else check_parser()).parse_args(rest)
    if command == "fit":
        from dusk_arrow.command_line.fit import fit

        return fit(rest)
    if command == "check":
        from dusk_arrow.command_line.check import check

        return check(rest)
    if command == "--version":
        print(f"dusk-arrow {__version__}")
        return 0
    if not IN_CHECKOUT:
        if command in ("start", *RECORDS):
            print(
                f"dusk-arrow {command} needs a checkout with its pages and database: ./dusk {command}", file=sys.stderr
            )
        else:
            print(USAGE, file=sys.stdout if command in ("help", "--help", "-h") else sys.stderr)
        return 0 if command in ("help", "--help", "-h") else 2
    if command == "start":
        from dusk_arrow.command_line.start import start

        return start(rest)
    if command in RECORDS:
        from dusk_arrow.command_line.start import with_records

        return with_records(command, RECORDS[command], rest)
    print("usage: start | fit | check | backup | restore", file=sys.stderr)
    return 2


def run() -> None:
    """The entry point: ends the process with the exit code of the subcommand."""
    try:
        sys.exit(main(sys.argv[1:]))
    except KeyboardInterrupt:
        _leave()
    except ModuleNotFoundError as error:
        extra = EXTRAS.get((error.name or "").partition(".")[0])
        if extra is None:
            raise
        print(f"This needs more than was installed: pip install 'dusk-arrow[{extra}]' ({error.name})", file=sys.stderr)
        sys.exit(2)


def _leave() -> None:
    """Ends at once, and every worker with it: whoever presses Ctrl-C waits for nothing."""
    threading.excepthook = lambda _: None  # the thread that minds the workers may find them gone before all has ended
    for child in multiprocessing.active_children():
        child.kill()
    os._exit(INTERRUPTED)


if __name__ == "__main__":
    run()
