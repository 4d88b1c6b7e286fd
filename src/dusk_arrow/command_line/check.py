"""`./dusk check`: screens a data file without a browser."""

from __future__ import annotations

import json
import sys

from dusk_arrow.command_line.arguments import check_parser
from dusk_arrow.command_line.files import ESTIMATED, WRONG, read_data, report, write_text
from dusk_arrow.command_line.tables import table
from dusk_arrow.core.problems import ProblemError
from dusk_arrow.core.wording import p_text, p_words, plain
from dusk_arrow.results.convert import problem_part
from dusk_arrow.results.screening import CheckDocument, check_document

SHOWN = 10


def _readable(document: CheckDocument) -> str:
    screening, data = document.screening, document.data
    if screening is None or data is None:
        return ""
    rows = [
        [c.name, c.level, str(c.n), str(c.missing), *(plain(v, 2) for v in (c.mean, c.sd, c.min, c.max, c.skewness, c.kurtosis))]
        for c in screening.columns
    ]  # fmt: skip
    parts = [
        f"{data.name}: {data.n_total} cases, {len(screening.columns)} columns; {data.n_used} cases without a gap in the numbers",
        table(["column", "type", "n", "missing", "mean", "SD", "min", "max", "skewness", "kurtosis"], rows),
    ]
    tests = screening.multivariate_normality
    if tests is not None:
        parts.append(
            f"Mardia on {tests.n} complete cases of {len(tests.columns)} columns: skewness {tests.skewness:.3f}, "
            f"χ² = {tests.skewness_chi_square:.1f}, df = {tests.skewness_df}, {p_words(tests.skewness_p)}; "
            f"kurtosis {tests.kurtosis:.3f}, z = {tests.kurtosis_z:.2f}, {p_words(tests.kurtosis_p)}"
        )
    if screening.mahalanobis:
        far = [[str(d.case), f"{d.d2:.2f}", p_text(d.p_value)] for d in screening.mahalanobis[:SHOWN]]
        parts.append(f"Farthest from the centre (cut-off {screening.mahalanobis_cut_off:.2f}):")
        parts.append(table(["case", "d²", "p"], far))
    if screening.little is not None:
        test = screening.little
        parts.append(
            f"Missing in {test.patterns} patterns; Little's test χ² = {test.chi_square:.1f}, df = {test.df}, "
            f"{p_words(test.p_value)}"
        )
    return "\n\n".join(parts)


def check(arguments: list[str]) -> int:
    """Runs `./dusk check` and returns its exit code; problems go to standard error, one a line."""
    options = check_parser().parse_args(arguments)
    try:
        data, noticed = read_data(options.file, options)
        document = check_document(data, noticed)
        for found in document.problems:
            print(f"{found.severity}: {found.message}", file=sys.stderr)
        code = ESTIMATED
    except ProblemError as error:
        report(error.problems)
        document = CheckDocument(data=None, problems=[problem_part(p) for p in error.problems], screening=None)
        code = WRONG
    try:
        if options.json:
            write_text(options.json, json.dumps(document.model_dump(mode="json"), ensure_ascii=False, indent=1) + "\n")
        elif code == ESTIMATED:
            print(_readable(document))
    except ProblemError as error:
        report(error.problems)
        return WRONG
    return code
