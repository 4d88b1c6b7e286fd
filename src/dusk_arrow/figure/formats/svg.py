"""A drawing as SVG: text stays text, and the font travels with it."""

from __future__ import annotations

import base64
from functools import cache
from importlib.resources import files
from xml.sax.saxutils import escape

from dusk_arrow.figure.drawing import Drawing, Ellipse, Item, Line, Rectangle, Words
from dusk_arrow.figure.geometry import path_data
from dusk_arrow.figure.typefaces import TYPEFACES, Typeface


def svg(drawing: Drawing, font: bool = True) -> str:
    """The drawing as a file that stands on its own, with its font where `font`, as large as it is printed."""
    faces = drawing.faces
    style = f"<style>{font_face(drawing.typeface)}</style>" if font else ""
    family = f"'{faces.family}', {faces.otherwise}"
    wide, high = drawing.width * drawing.scale, drawing.height * drawing.scale
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {drawing.width:.1f} {drawing.height:.1f}" '
        f'width="{wide:.2f}pt" height="{high:.2f}pt" font-family="{family}" role="img">'
        f"<title>{escape(drawing.title)}</title>{style}"
        f"{''.join(_element(item) for item in drawing.items)}</svg>\n"
    )


def write(drawing: Drawing) -> bytes:
    """The file."""
    return svg(drawing).encode()


def _words(item: Words) -> str:
    weight = ' font-weight="600"' if item.bold else ""
    return (
        f'<text x="{item.at[0]:.1f}" y="{item.at[1]:.1f}" font-size="{item.size:g}" text-anchor="{item.anchor}" '
        f'fill="{item.fill}"{weight}>{escape(item.text)}</text>'
    )


def _element(item: Item) -> str:
    if isinstance(item, Words):
        return _words(item)
    if isinstance(item, Line):
        dash = ' stroke-dasharray="5 4"' if item.dashed else ""
        data = path_data(list(item.curves))
        tips = ("L".join(f"{x:.1f} {y:.1f}" for x, y in one.points) for one in item.heads)
        heads = "".join(f'<path d="M{path}Z" fill="{one.fill}"/>' for path, one in zip(tips, item.heads, strict=True))
        return f'<path d="{data}" fill="none" stroke="{item.stroke}" stroke-width="{item.width:.2f}"{dash}/>{heads}'
    inside = "".join(_words(one) for one in item.words)
    box = item.box
    if isinstance(item, Ellipse):
        x, y = box.centre
        return (
            f'<ellipse cx="{x:.1f}" cy="{y:.1f}" rx="{box.width / 2:.1f}" ry="{box.height / 2:.1f}" '
            f'fill="{item.fill}" stroke="{item.stroke}" stroke-width="{item.width:g}"/>{inside}'
        )
    stroke, radius = "", ""
    if isinstance(item, Rectangle):
        stroke = f' stroke="{item.stroke}" stroke-width="{item.width:g}"' if item.stroke else ""
        radius = f' rx="{item.radius:g}"' if item.radius else ""
    return (
        f'<rect x="{box.x:.1f}" y="{box.y:.1f}" width="{box.width:.1f}" height="{box.height:.1f}"{radius} '
        f'fill="{item.fill}"{stroke}/>{inside}'
    )


@cache
def font_face(typeface: Typeface = "source") -> str:
    """The Latin letters of a bundled typeface inside the file, so that the figure looks the same wherever it is opened in a
    browser."""
    faces = TYPEFACES[typeface]
    rules = []
    for name, weight in faces.web:
        font = (files("dusk_arrow.figure") / "fonts" / f"{name}.woff2").read_bytes()
        data = base64.b64encode(font).decode()
        rules.append(
            f"@font-face{{font-family:'{faces.family}';font-weight:{weight};"
            f"src:url(data:font/woff2;base64,{data}) format('woff2')}}"
        )
    return "".join(rules)
