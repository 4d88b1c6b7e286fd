"""A drawing as SVG: text stays text, and the font travels with it."""

from __future__ import annotations

import base64
from functools import cache
from importlib.resources import files
from xml.sax.saxutils import escape

from dusk_arrow.figure.drawing import Drawing, Ellipse, Head, Item, Line, Rectangle
from dusk_arrow.figure.geometry import path_data

FONT = "'Source Sans 3', 'Source Sans Pro', 'Segoe UI', Helvetica, Arial, sans-serif"


def svg(drawing: Drawing, font: bool = True) -> str:
    """The drawing as a file that stands on its own, with its font where `font`."""
    style = f"<style>{_font_face()}</style>" if font else ""
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {drawing.width:.0f} {drawing.height:.0f}" '
        f'width="{drawing.width:.0f}" height="{drawing.height:.0f}" font-family="{FONT}" role="img">'
        f"<title>{escape(drawing.title)}</title>{style}"
        f"{''.join(_element(item) for item in drawing.items)}</svg>\n"
    )


def _element(item: Item) -> str:
    if isinstance(item, Rectangle):
        stroke = f' stroke="{item.stroke}" stroke-width="{item.width:g}"' if item.stroke else ""
        box = item.box
        return (
            f'<rect x="{box.x:.1f}" y="{box.y:.1f}" width="{box.width:.1f}" height="{box.height:.1f}" '
            f'fill="{item.fill}"{stroke}/>'
        )
    if isinstance(item, Ellipse):
        x, y = item.box.centre
        return (
            f'<ellipse cx="{x:.1f}" cy="{y:.1f}" rx="{item.box.width / 2:.1f}" ry="{item.box.height / 2:.1f}" '
            f'fill="{item.fill}" stroke="{item.stroke}" stroke-width="{item.width:g}"/>'
        )
    if isinstance(item, Line):
        dash = ' stroke-dasharray="5 4"' if item.dashed else ""
        data = path_data(list(item.curves))
        return f'<path d="{data}" fill="none" stroke="{item.stroke}" stroke-width="{item.width:g}"{dash}/>'
    if isinstance(item, Head):
        path = "L".join(f"{x:.1f} {y:.1f}" for x, y in item.points)
        return f'<path d="M{path}Z" fill="{item.fill}"/>'
    weight = ' font-weight="600"' if item.bold else ""
    return (
        f'<text x="{item.at[0]:.1f}" y="{item.at[1]:.1f}" font-size="{item.size:g}" text-anchor="{item.anchor}" '
        f'fill="{item.fill}"{weight}>{escape(item.text)}</text>'
    )


@cache
def _font_face() -> str:
    """The bundled font inside the file, so that the figure looks the same wherever it is opened in a browser."""
    font = (files("dusk_arrow.figure") / "fonts" / "source-sans-3-latin-wght-normal.woff2").read_bytes()
    data = base64.b64encode(font).decode()
    return (
        "@font-face{font-family:'Source Sans 3';font-weight:200 900;"
        f"src:url(data:font/woff2;base64,{data}) format('woff2')}}"
    )
