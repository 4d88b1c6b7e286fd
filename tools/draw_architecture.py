"""Draws docs/architecture.svg from the imports of the code: rooms in floors, each above all that it imports."""

from __future__ import annotations

from html import escape
from pathlib import Path

import grimp

from dusk_arrow.figure.layout import Spacing, arrange
from dusk_arrow.figure.parts import Arrow, Card

ROOT = Path(__file__).resolve().parents[1]
PACKAGE = "dusk_arrow"
SAID = {
    "command_line": "without a browser; starting and stopping",
    "server": "Flask, one module a resource",
    "runs": "work in the background",
    "records": "PostgreSQL, migrations, backups",
    "figure": "one layout for board and figure",
    "results": "one analysis in stages; the document",
    "exchange": "files in and out",
    "core.families": "which families there are",
    "core.family": "what a family answers",
    "core.covariance": "common factors: estimators, robust errors",
    "core.effects": "routes, effects, mediation",
    "core.assessment": "fit, reliability, validity, the registry",
    "core.resampling": "plans, intervals",
    "core.observations": "columns, steps, evidence, screening",
    "core.specification": "sentences, changes, what is wrong",
}
WIDE, HIGH, GAP, RISE = 280, 52, 30, 44


def rooms() -> dict[str, set[str]]:
    """For every room of the package the rooms that it imports."""
    graph = grimp.build_graph(PACKAGE, include_external_packages=False)
    found: dict[str, set[str]] = {name: set() for name in SAID}

    def room(module: str) -> str | None:
        inner = module.removeprefix(f"{PACKAGE}.")
        return next((name for name in found if inner == name or inner.startswith(f"{name}.")), None)

    for module in graph.modules:
        own = room(module)
        if own is None:
            continue
        for imported in graph.find_modules_directly_imported_by(module):
            other = room(imported)
            if other is not None and other != own:
                found[own].add(other)
    return found


def needed(imports: dict[str, set[str]]) -> list[tuple[str, str]]:
    """The arrows that say something: those that no way through other rooms says as well."""

    def reach(name: str) -> set[str]:
        return imports[name] | {far for other in imports[name] for far in reach(other)}

    return [
        (name, other)
        for name, others in imports.items()
        for other in sorted(others)
        if not any(other in reach(between) for between in others if between != other)
    ]


def _across(point: tuple[float, float]) -> str:
    """A point of the layout, which runs from left to right, in a picture that runs from top to bottom."""
    return f"{point[1]:.1f} {point[0]:.1f}"


def draw(imports: dict[str, set[str]]) -> str:
    """The picture, laid out as the product lays out a model."""
    cards = [Card(name, HIGH, WIDE) for name in imports]
    arrows = [Arrow(name, other, 0.0, 0.0) for name, other in needed(imports)]
    layout = arrange(cards, arrows, spacing=Spacing(column=RISE, row=GAP))
    width, height = layout.height, layout.width
    parts = [
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {width:.0f} {height:.0f}" width="{width:.0f}" '
        f'height="{height:.0f}" font-family="Source Sans 3, system-ui, sans-serif">',
        '<defs><marker id="head" viewBox="0 0 8 8" refX="7" refY="4" markerWidth="7" markerHeight="7" orient="auto">'
        '<path d="M0 0L8 4L0 8Z" fill="#8286ad"/></marker></defs>',
        f'<rect width="{width:.0f}" height="{height:.0f}" fill="#faf6ef"/>',
    ]
    for routed in layout.arrows:
        way = f"M{_across(routed.curves[0].start)}"
        way += "".join(f"C{_across(c.first)} {_across(c.second)} {_across(c.end)}" for c in routed.curves)
        parts.append(f'<path d="{way}" fill="none" stroke="#8286ad" stroke-width="1.4" marker-end="url(#head)"/>')
    for name, box in layout.cards.items():
        ground = "#fffdf9" if name.startswith("core.") else "#f2eadd"
        x, y = box.y, box.x
        parts.append(
            f'<rect x="{x:.0f}" y="{y:.0f}" width="{WIDE}" height="{HIGH}" rx="10" fill="{ground}" stroke="#d9ccb6"/>'
            f'<text x="{x + 12:.0f}" y="{y + 22:.0f}" font-size="15" font-weight="600" fill="#232540">'
            f"{escape(name.replace('.', ' / '))}</text>"
            f'<text x="{x + 12:.0f}" y="{y + 40:.0f}" font-size="12" fill="#5f5f73">{escape(SAID[name])}</text>'
        )
    return "\n".join([*parts, "</svg>"]) + "\n"


if __name__ == "__main__":
    (ROOT / "docs/architecture.svg").write_text(draw(rooms()))
