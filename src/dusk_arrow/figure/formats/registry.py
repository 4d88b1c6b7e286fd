"""The formats of a figure. Adding one is adding a line here and a file beside this one."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from importlib import import_module
from math import sqrt

from dusk_arrow.figure.drawing import Drawing

DOTS = 300
MOST_DOTS = 60_000_000  # of a whole picture


@dataclass(frozen=True)
class Format:
    """How a drawing becomes a file, and what kind of file that is; the module that writes it is loaded when it is wanted, since
    each takes long."""

    words: str
    mimetype: str
    module: str

    def render(self, drawing: Drawing, dots: int = DOTS) -> bytes:
        """The file; only a picture in dots asks how many an inch has."""
        write: Callable[..., bytes] = import_module(f"dusk_arrow.figure.formats.{self.module}").write
        return write(drawing, dots) if self.module == "png" else write(drawing)


def finest(drawing: Drawing) -> int:
    """The most dots an inch that a picture can have."""
    inches = drawing.width * drawing.height * (drawing.scale / 72) ** 2
    return int(sqrt(MOST_DOTS / max(inches, 1e-9)))


FORMATS = {
    "svg": Format("SVG", "image/svg+xml", "svg"),
    "pdf": Format("PDF", "application/pdf", "pdf"),
    "png": Format("PNG", "image/png", "png"),
    "pptx": Format("slide", "application/vnd.openxmlformats-officedocument.presentationml.presentation", "pptx"),
    "odg": Format("drawing", "application/vnd.oasis.opendocument.graphics", "odg"),
    "graphml": Format("graph", "application/graphml+xml", "graphml"),
    "dot": Format("graph", "text/vnd.graphviz", "dot"),
}
