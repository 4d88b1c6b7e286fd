"""A drawing as a graph in the DOT language, its nodes where they stand."""

from __future__ import annotations

from typing import Any

import pydot

from dusk_arrow.figure.drawing import Drawing
from dusk_arrow.figure.formats.graph import graph

INCH = 72.0


def _quoted(text: str) -> str:
    """A text in which nothing means anything to the language."""
    plain = text.replace("\\", "\\\\").replace('"', '\\"').replace("\n", "\\n")
    return f'"{plain}"'


def write(drawing: Drawing) -> bytes:
    """The file."""
    found = graph(drawing)
    made = pydot.Dot("figure", graph_type="digraph", splines="true")
    for name, node in found.nodes(data=True):
        made.add_node(
            pydot.Node(
                _quoted(name), label=_quoted(node["label"]), shape="ellipse" if node["round"] else "box", fixedsize="true",
                width=f"{node['width'] / INCH:.3f}", height=f"{node['height'] / INCH:.3f}",
                pos=_quoted(f"{node['x']:.1f},{drawing.height - node['y']:.1f}!"),
            )
        )  # fmt: skip
    for source, target, edge in found.edges(data=True):
        looks: dict[str, Any] = {"style": "dashed"} if edge["dashed"] else {}
        if not edge["directed"]:
            looks |= {"dir": "both", "constraint": "false"}
        made.add_edge(pydot.Edge(_quoted(source), _quoted(target), label=_quoted(edge["label"]), **looks))
    return str(made.to_string()).encode()
