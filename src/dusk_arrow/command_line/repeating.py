"""`./dusk fit CAPSULE.zip`: runs a capsule again and says whether the same came of it; and writing one."""

from __future__ import annotations

import argparse
import json
from collections.abc import Callable, Sequence
from typing import Any

from dusk_arrow.capsules.capsule import Capsule, read, without_cases, write
from dusk_arrow.capsules.repeating import repeated, source_of
from dusk_arrow.command_line.files import ESTIMATED, NOT_ESTIMATED, read_bytes, report, write_bytes, write_text
from dusk_arrow.command_line.reports import asked_of, write_files
from dusk_arrow.command_line.tables import readable
from dusk_arrow.core.assessment.criteria import Sheet
from dusk_arrow.core.observations.data import Source
from dusk_arrow.core.observations.steps import Step
from dusk_arrow.exchange.origins import Origin
from dusk_arrow.results.bootstrapping import ChunkRunner, run_here
from dusk_arrow.results.document import Results
from dusk_arrow.runs.workers import Workers, workers_of


def save(
    options: argparse.Namespace,
    results: Results,
    imported: Source,
    steps: Sequence[Step],
    criteria: Sheet,
    origin: Origin | None,
) -> None:
    """Writes the capsule that was asked for; without the data where that was."""
    capsule = Capsule(results.model, results.settings, imported, list(steps), results, criteria, origin=origin)
    write_bytes(options.capsule, write(without_cases(capsule) if options.without_data else capsule))


def repeat(options: argparse.Namespace, progress: Callable[[int], Any]) -> int:
    """Runs a capsule again and returns the exit code: that of something that was not repeated where numbers differ by more than
    nine digits. Raises ProblemError where the capsule cannot be used."""
    capsule = read(read_bytes(options.model))
    asked = asked_of(options)
    runner: ChunkRunner = run_here
    pool: Workers | None = None
    try:
        if capsule.settings.bootstrap > 1000 and (options.workers > 1 or options.scheduler):
            runner = pool = workers_of(options.workers, options.scheduler)
        with progress(capsule.settings.bootstrap) as tell:
            found = repeated(capsule, runner, tell)
    finally:
        if pool is not None:
            pool.close()
    report(found.results.problems)
    if options.json:
        document = found.results.model_dump(mode="json")
        write_text(options.json, json.dumps(document, ensure_ascii=False, indent=1) + "\n")
    write_files(asked, found.results, source_of(capsule), capsule.source, list(capsule.steps), capsule.criteria)
    if options.capsule:
        save(options, found.results, capsule.source, capsule.steps, capsule.criteria, capsule.origin)
    if options.json != "-":
        print(readable(found.results, capsule.criteria) + f"\n\n{found.words}" if not options.json else found.words)
    return ESTIMATED if found.same else NOT_ESTIMATED
