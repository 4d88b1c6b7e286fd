"""A drawing as PNG, made from its SVG with the bundled font."""

from __future__ import annotations

from importlib.resources import as_file, files

from resvg_py import svg_to_bytes

from dusk_arrow.figure.drawing import Drawing
from dusk_arrow.figure.formats.svg import svg

CSS = 96  # dots an inch that a length in points is read with


def write(drawing: Drawing, dots_per_inch: int) -> bytes:
    """The drawing in dots."""
    with as_file(files("dusk_arrow.figure") / "fonts") as folder:
        return bytes(
            svg_to_bytes(
                svg_string=svg(drawing, font=False),
                dpi=CSS,
                zoom=dots_per_inch / CSS,
                font_dirs=[str(folder)],
                sans_serif_family=drawing.faces.family,
            )
        )
