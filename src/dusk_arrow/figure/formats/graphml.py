"""A drawing as GraphML."""

from __future__ import annotations

import io

import networkx

from dusk_arrow.figure.drawing import Drawing
from dusk_arrow.figure.formats.graph import graph


def write(drawing: Drawing) -> bytes:
    """The file."""
    file = io.BytesIO()
    networkx.write_graphml(graph(drawing), file)
    return file.getvalue()
