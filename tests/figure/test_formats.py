"""Figures in every format, opened again by a library of that format: shapes, words and what holds on to what."""

from __future__ import annotations

import io
import xml.etree.ElementTree as ET
from functools import cache

import networkx
import pydot
import pytest
from odf import draw, svg
from odf.opendocument import load
from odf.teletype import extractText
from pptx import Presentation

from dusk_arrow.figure.drawing import Drawing, Ellipse, Label, Line, Node, Rectangle, Words
from dusk_arrow.figure.formats.joints import lines, pieces
from dusk_arrow.figure.formats.registry import FORMATS, finest
from dusk_arrow.figure.geometry import Box, Curve
from dusk_arrow.figure.importance import importance_picture
from dusk_arrow.figure.options import FigureOptions
from dusk_arrow.figure.paper import diagram
from dusk_arrow.results.document import ImportancePart
from tests.figure.made_up import made_up
from tests.report.conftest import estimated, renamed

NASTY = {"Training": "R&D <x> 100%", "Support": '=1+1_"b', "tr1": "日本語", "Efficacy": "Ефект #1", "ef1": "{a}\\b$^~"}
A = "{http://schemas.openxmlformats.org/drawingml/2006/main}"


@cache
def drawings() -> dict[str, Drawing]:
    return {
        "plain": diagram(made_up(6, 3, 2), FigureOptions(residuals=True)),
        "cards": diagram(made_up(5, 3, 2), FigureOptions(notation="cards", direction="down", arrows="angled")),
        "measurement": diagram(made_up(4, 3, 2), FigureOptions(parts="measurement", covariances=True)),
        "nasty": diagram(renamed(estimated(), NASTY), FigureOptions(labels=False)),
    }


def shapes(drawing: Drawing) -> dict[str, Rectangle | Ellipse]:
    return {" · ".join(i.node): i for i in drawing.items if isinstance(i, Rectangle | Ellipse) and i.node}


def joined(drawing: Drawing) -> list[Line]:
    known = {item.node for item in shapes(drawing).values()}
    return [i for i in drawing.items if isinstance(i, Line) and i.ends and set(i.ends) <= known]


@pytest.mark.parametrize("name", ["plain", "cards", "measurement", "nasty"])
def test_a_slide_has_shapes_words_and_connectors_that_hold_on(name: str) -> None:
    """Whoever moves a construct in the slide must not have to redraw its arrows."""
    drawing = drawings()[name]
    slide = Presentation(io.BytesIO(FORMATS["pptx"].render(drawing))).slides[0]
    by_id = {shape.shape_id: shape for shape in slide.shapes}
    assert set(shapes(drawing)) <= {shape.name for shape in slide.shapes}
    texts = {
        run.text
        for shape in slide.shapes
        if shape.has_text_frame
        for p in shape.text_frame.paragraphs
        for run in p.runs
    }
    assert {words.text for words in drawing.words()} == texts
    connectors = [shape._element for shape in slide.shapes if shape._element.tag.endswith("cxnSp")]
    starts: list[str] = []
    for connector in connectors:
        held = {side: connector.find(f".//{A}{side}") for side in ("stCxn", "endCxn")}
        names = {side: by_id[int(e.get("id"))].name for side, e in held.items() if e is not None}
        if " · error" in connector.find(".//*[@name]").get("name"):
            assert "endCxn" in names  # an error has no shape of its own
            continue
        assert set(names) == {"stCxn", "endCxn"}
        starts.append(names["stCxn"])
        assert int(held["stCxn"].get("idx")) < 8
    for line in joined(drawing):
        assert line.ends is not None
        assert " · ".join(line.ends[0]) in starts
    heads = [e for connector in connectors for e in connector.iter(f"{A}tailEnd")]
    assert len(heads) >= len(joined(drawing))


@pytest.mark.parametrize("name", ["plain", "cards", "measurement", "nasty"])
def test_an_open_drawing_has_them_too(name: str) -> None:
    """The same for who edits without a licence."""
    drawing = drawings()[name]
    paper = load(io.BytesIO(FORMATS["odg"].render(drawing)))
    made = {
        one.getAttribute("id"): extractText(one.getElementsByType(svg.Title)[0])
        for kind in (draw.Ellipse, draw.Rect)
        for one in paper.getElementsByType(kind)
    }
    assert set(shapes(drawing)) <= set(made.values())
    said = "\n".join(
        extractText(one) for kind in (draw.Ellipse, draw.Rect, draw.TextBox) for one in paper.getElementsByType(kind)
    )
    assert all(words.text in said for words in drawing.words())
    ends = [
        (made.get(one.getAttribute("startshape")), made.get(one.getAttribute("endshape")))
        for one in paper.getElementsByType(draw.Connector)
    ]
    assert sum(1 for start, end in ends if start and end) >= len(joined(drawing))
    for line in joined(drawing):
        assert line.ends is not None
        assert " · ".join(line.ends[0]) in {start for start, _ in ends}
        assert " · ".join(line.ends[1]) in {end for _, end in ends}


@pytest.mark.parametrize("name", ["plain", "measurement", "nasty"])
def test_graphs_hold_every_node_and_edge_with_its_words(name: str) -> None:
    """What is computed on a graph, or laid out elsewhere, is the model that was estimated."""
    drawing = drawings()[name]
    found = networkx.read_graphml(io.BytesIO(FORMATS["graphml"].render(drawing)), force_multigraph=True)
    nodes = {key.replace(" · ", "/"): shape for key, shape in shapes(drawing).items()}
    assert set(found.nodes) == set(nodes)
    for key, data in found.nodes(data=True):
        assert (data["x"], data["y"]) == pytest.approx(nodes[key].box.centre)
    edges = {("/".join(line.ends[0]), "/".join(line.ends[1])) for line in joined(drawing) if line.ends}
    assert {(a, b) for a, b, _ in found.edges} == edges
    labels = [data["label"] for _, _, data in found.edges(data=True) if data["kind"] == "path"]
    assert all(labels)
    assert {data["directed"] for _, _, data in found.edges(data=True) if data["kind"] == "covariance"} <= {False}
    (graph,) = pydot.graph_from_dot_data(FORMATS["dot"].render(drawing).decode())  # type: ignore[misc]
    assert len(graph.get_edges()) == found.number_of_edges()
    assert len(graph.get_nodes()) == len(nodes)


@pytest.mark.parametrize("name", ["plain", "cards", "measurement", "nasty"])
def test_svg_is_valid_and_its_text_is_text(name: str) -> None:
    """Names that look like markup stay names."""
    drawing = drawings()[name]
    root = ET.fromstring(FORMATS["svg"].render(drawing))
    texts = [e.text for e in root.iter("{http://www.w3.org/2000/svg}text")]
    assert texts == [words.text for words in drawing.words()]
    assert root.get("width") == f"{drawing.width * drawing.scale:.2f}pt"


def test_a_picture_has_the_dots_that_were_asked_for() -> None:
    """A journal asks for 300 or 600; what would fill the memory is known before."""
    drawing = diagram(made_up(3, 2, 1), FigureOptions(width=84))
    for dots in (100, 300):
        png = FORMATS["png"].render(drawing, dots)
        assert int.from_bytes(png[16:20], "big") == pytest.approx(84 / 25.4 * dots, abs=2)
    assert finest(drawing) > 300
    assert finest(diagram(made_up(20, 6, 1), FigureOptions(width=400))) < 1200


def test_importance_and_performance_stand_where_they_are() -> None:
    """A point in the wrong quadrant is the wrong advice."""
    known = [("Training", 0.4, 60.0), ("Support", -0.1, 80.0), ("Effort", 0.2, None)]
    parts = [
        ImportancePart(
            outcome="Persistence", construct_=name, importance=i, performance=p, against=None, recorded_ends=True
        )
        for name, i, p in known
    ]
    results = made_up(3, 2, 1).model_copy(update={"importance": parts})
    drawing = importance_picture(results, "Persistence")
    dots = {key: shape.box.centre for key, shape in shapes(drawing).items()}
    assert set(dots) == {"Training", "Support"}
    assert dots["Training"][0] > dots["Support"][0]
    assert dots["Training"][1] > dots["Support"][1], "80 stands higher than 60"
    ticks = {words.text: words.at for words in drawing.words()}
    assert dots["Training"][0] == pytest.approx(ticks[".40"][0])
    assert dots["Training"][1] == pytest.approx(ticks["60"][1] - 3.5)
    with pytest.raises(ValueError, match="not known"):
        importance_picture(results, "Support")


def test_names_stand_at_their_points() -> None:
    """Of two points side by side each has its name beside it, off the other and its name."""
    where = {"Training": (0.2, 60.0), "Support": (0.21, 61.0), "Effort": (0.19, 62.0), "Efficacy": (0.4, 40.0)}
    parts = [
        ImportancePart(
            outcome="Persistence", construct_=name, importance=i, performance=p, against=None, recorded_ends=True
        )
        for name, (i, p) in where.items()
    ]
    drawing = importance_picture(made_up(3, 2, 1).model_copy(update={"importance": parts}), "Persistence")
    dots = {key: shape.box for key, shape in shapes(drawing).items()}
    names = {item.words[0].text: item.box for item in drawing.items if isinstance(item, Label) and not item.ends}
    assert set(where) <= set(names)
    for name in where:
        near = dots[name].moved(-9, -9)
        assert names[name].overlap(Box(near.x, near.y, near.width + 18, near.height + 18)), "at its own"
        assert not any(names[name].overlap(dot) for dot in dots.values())
        assert not any(names[name].overlap(names[other], -0.5) for other in where if other != name)


def test_a_curve_without_room_is_a_straight_line_in_an_open_drawing() -> None:
    """A construct that was put close to its neighbour must not be joined to it by a loop."""
    results = made_up(6, 3, 2)
    near = {name: (0.62 * x, y) for name, (x, y) in diagram(results).places.items()}
    drawing = diagram(results, FigureOptions(places=near))
    made = load(io.BytesIO(FORMATS["odg"].render(drawing))).getElementsByType(draw.Connector)
    short = 0
    for part, one in zip((part for line in lines(drawing) for part in pieces(line)), made, strict=True):
        at = 0 if part.bend == "across" else 1
        if part.bend != "straight":
            room = abs(part.end[at] - part.start[at]) * drawing.scale
            assert one.getAttribute("type") == ("line" if room < 28 else "curve")
            short += room < 28
    assert short


@pytest.mark.parametrize("lean", [0.15, 0.5, 0.85])
@pytest.mark.parametrize("down", [False, True])
def test_a_connector_turns_where_the_arrow_does(down: bool, lean: float) -> None:
    """A number beside the turn of its arrow would stand at nothing, or at another arrow."""
    along, across = (120.0, 60.0)
    size = (along, across) if not down else (across, along)
    first, second = (
        ((lean * along, 0.0), (lean * along, across)) if not down else ((0.0, lean * along), (across, lean * along))
    )
    curve = Curve((0.0, 0.0), first, second, size)
    ends: tuple[Node, Node] = (("a",), ("b",))
    boxes = (
        (Box(-30, -10, 30, 20), Box(size[0], size[1] - 10, 30, 20))
        if not down
        else (Box(-15, -20, 30, 20), Box(size[0] - 15, size[1], 30, 20))
    )
    ovals = [Ellipse(box, "#ffffff", "#000000", 1, end) for box, end in zip(boxes, ends, strict=True)]
    drawing = Drawing(200, 200, "", (*ovals, Line((curve,), "#000000", 1, ends=ends, kind="path", full=(curve,))))
    turns = curve.at(0.5)[int(down)]
    slide = Presentation(io.BytesIO(FORMATS["pptx"].render(drawing))).slides[0]
    (connector,) = [shape for shape in slide.shapes if shape.shape_type is None or shape.has_text_frame is False]
    shares = [
        guide.get("fmla")
        for guide in connector._element.iter("{http://schemas.openxmlformats.org/drawingml/2006/main}gd")
    ]
    assert shares == ([] if lean == 0.5 else [f"val {round(turns / along * 100_000)}"])
    (made,) = load(io.BytesIO(FORMATS["odg"].render(drawing))).getElementsByType(draw.Connector)
    skew = made.getAttribute("lineskew")
    assert float((skew or "0pt").removesuffix("pt")) == pytest.approx(turns - along / 2, abs=0.01)


def test_wider_letters_of_another_machine_break_no_number() -> None:
    """Office programs set text in a face that they have: an R² must not fall apart, and a note's lines not run into each other."""
    drawing = diagram(made_up(15, 6, 2, 2), FigureOptions(parts="both", direction="down", width=174))
    slide = Presentation(io.BytesIO(FORMATS["pptx"].render(drawing))).slides[0]
    boxes = {shape.text_frame.text: shape for shape in slide.shapes if shape.has_text_frame}
    beside = [item for item in drawing.items if isinstance(item, Words) and item.anchor != "middle"]
    assert len(beside) > 5
    for words in beside:
        assert boxes[words.text].width >= 1.5 * drawing.width_of(words) * drawing.scale * 12700
    note = next(text for text in boxes if text.startswith("Note."))
    assert " ".join(note.split()) == drawing.note, "one text box, so that a line that is broken moves the next one down"
    edge = boxes[note].left + boxes[note].width
    assert edge <= slide.part.package.presentation_part.presentation.slide_width + 12700
