"""Keeps the documents of some cases, or of all, as they are computed now."""

import sys

from tests.results.golden_cases import CASES, keep

for case in sys.argv[1:] or CASES:
    keep(case)
