"""`python -m dusk_arrow.command_line start|fit|check`: what `./dusk` hands over to."""

from __future__ import annotations

import sys


def main(arguments: list[str]) -> int:
    """Runs a subcommand and returns its exit code; only what it needs is imported."""
    command, rest = (arguments[0], arguments[1:]) if arguments else ("", [])
    if command == "fit":
        from dusk_arrow.command_line.fit import fit

        return fit(rest)
    if command == "check":
        from dusk_arrow.command_line.check import check

        return check(rest)
    if command == "start":
        from dusk_arrow.command_line.start import start

        return start(rest)
    print("usage: start | fit | check", file=sys.stderr)
    return 2


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
