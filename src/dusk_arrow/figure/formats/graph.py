"""A drawing as a graph: constructs and items are its nodes, with their places; loadings, paths and covariances its edges."""

from __future__ import annotations

import networkx

from dusk_arrow.figure.drawing import Drawing, Ellipse
from dusk_arrow.figure.formats.joints import label_of, lines, nodes


def graph(drawing: Drawing) -> networkx.MultiDiGraph:
    """Nodes by name (an item by construct and name), places in points from the upper left; an edge of a covariance has no
    direction, whatever its ends are called."""
    found = networkx.MultiDiGraph(name=drawing.title)
    shapes = nodes(drawing)
    for node, shape in shapes.items():
        x, y = shape.box.centre
        kind = (
            "item"
            if len(node) > 1
            else "construct"
            if isinstance(shape, Ellipse) or len(shape.words) > 1
            else "observed"
        )
        words = "\n".join(words.text for words in shape.words) if len(node) > 1 else node[0]
        found.add_node(
            "/".join(node), label=words, kind=kind, x=x, y=y, width=shape.box.width, height=shape.box.height,
            round=isinstance(shape, Ellipse),
        )  # fmt: skip
    for line in lines(drawing):
        if line.ends is None or not set(line.ends) <= set(shapes):
            continue
        source, target = ("/".join(end) for end in line.ends)
        found.add_edge(
            source,
            target,
            kind=line.kind,
            label=label_of(drawing, line),
            dashed=line.dashed,
            directed=line.kind != "covariance",
        )
    return found
