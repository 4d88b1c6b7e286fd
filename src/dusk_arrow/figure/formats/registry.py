"""The formats of a figure. Adding one is adding a line here and a file beside this one."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from dusk_arrow.figure.drawing import Drawing


@dataclass(frozen=True)
class Format:
    """How a drawing becomes a file, and what kind of file that is."""

    words: str
    mimetype: str
    render: Callable[[Drawing], bytes]


def _svg(drawing: Drawing) -> bytes:
    from dusk_arrow.figure.formats.svg import svg

    return svg(drawing).encode()


def _pdf(drawing: Drawing) -> bytes:
    from dusk_arrow.figure.formats.pdf import pdf  # loaded late, as below: each takes long

    return pdf(drawing)


def _png(drawing: Drawing) -> bytes:
    from dusk_arrow.figure.formats.png import png

    return png(drawing)


FORMATS = {
    "svg": Format("SVG", "image/svg+xml", _svg),
    "pdf": Format("PDF", "application/pdf", _pdf),
    "png": Format("PNG", "image/png", _png),
}
