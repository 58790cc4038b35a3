"""A drawing as a file: texts, lines and areas, written as SVG with text as text, or as PDF with its fonts embedded.

The same drawing gives the same bytes.
"""

from __future__ import annotations

import re
from html import escape
from io import BytesIO
from pathlib import Path
from typing import Literal

import msgspec

from cavet.drawings.colours import ROLES, colour_of
from cavet.files import write_whole
from cavet.wording import WrongError

Point = tuple[float, float]
Theme = Literal["light", "dark"]
FONT = "DejaVu Sans Mono, monospace"
POINT_PIXELS = 72 / 96
CHARACTER = 0.602
"""The width of a character, in its size: that of the font."""
NOT_IN_XML = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\ufffe\uffff\ud800-\udfff]")


class Words(msgspec.Struct, frozen=True):
    """A text from a point on, at its base line."""

    x: float
    y: float
    text: str
    role: str = "paper"
    size: float = 13
    bold: bool = False
    anchor: Literal["start", "middle", "end"] = "start"


class Stroke(msgspec.Struct, frozen=True):
    """A line through points; `name` tells what it is, to who reads the file; `dashed` for what is not known."""

    points: tuple[Point, ...]
    role: str = "hair"
    width: float = 1
    name: str = ""
    dashed: bool = False


class Area(msgspec.Struct, frozen=True):
    """A rectangle of one colour."""

    x: float
    y: float
    width: float
    height: float
    role: str = "raised"


Shape = Words | Stroke | Area


class Drawing(msgspec.Struct, frozen=True, kw_only=True):
    """All shapes, the size in pixels, and what it shows, in words, for who can't see it."""

    width: float
    height: float
    title: str
    description: str
    shapes: tuple[Shape, ...]


def _plain(number: float) -> str:
    return f"{number:.2f}".rstrip("0").rstrip(".")


def _xml(text: str) -> str:
    return escape(NOT_IN_XML.sub("·", text), quote=False)


def to_svg(drawing: Drawing, theme: Theme = "light") -> str:
    """Write a drawing as SVG 1.1."""
    roles = ROLES[theme]
    size = f'width="{_plain(drawing.width)}" height="{_plain(drawing.height)}"'
    lines = [
        f'<svg xmlns="http://www.w3.org/2000/svg" {size} viewBox="0 0 {_plain(drawing.width)} {_plain(drawing.height)}"'
        ' role="img" aria-labelledby="title description">',
        f'<title id="title">{_xml(drawing.title)}</title>',
        f'<desc id="description">{_xml(drawing.description)}</desc>',
        f'<rect {size} fill="{roles["ink"]}"/>',
        f'<g font-family="{FONT}" xml:space="preserve">',
        *(_svg_shape(shape, roles) for shape in drawing.shapes),
        "</g>",
        "</svg>",
    ]
    return "\n".join(lines) + "\n"


def _svg_shape(shape: Shape, roles: dict[str, str]) -> str:
    colour = colour_of(roles, shape.role)
    if isinstance(shape, Words):
        bold = ' font-weight="bold"' if shape.bold else ""
        anchor = f' text-anchor="{shape.anchor}"' if shape.anchor != "start" else ""
        at = f'x="{_plain(shape.x)}" y="{_plain(shape.y)}" font-size="{_plain(shape.size)}"'
        return f'<text {at} fill="{colour}"{bold}{anchor}>{_xml(shape.text)}</text>'
    if isinstance(shape, Area):
        at = (
            f'x="{_plain(shape.x)}" y="{_plain(shape.y)}" width="{_plain(shape.width)}" height="{_plain(shape.height)}"'
        )
        return f'<rect {at} fill="{colour}"/>'
    name = f' data-line="{escape(NOT_IN_XML.sub("·", shape.name))}"' if shape.name else ""
    dashed = ' stroke-dasharray="4 3"' if shape.dashed else ""
    steps = " L ".join(f"{_plain(x)} {_plain(y)}" for x, y in shape.points)
    return f'<path{name} d="M {steps}" fill="none" stroke="{colour}" stroke-width="{_plain(shape.width)}"{dashed}/>'


def to_pdf(drawing: Drawing, theme: Theme = "light") -> bytes:
    """Give a drawing as PDF, one page of its size."""
    import matplotlib
    from matplotlib.backends.backend_pdf import FigureCanvasPdf
    from matplotlib.figure import Figure
    from matplotlib.lines import Line2D
    from matplotlib.patches import Rectangle

    roles = ROLES[theme]
    with matplotlib.rc_context({"pdf.fonttype": 42, "font.family": "DejaVu Sans Mono"}):
        figure = Figure((drawing.width / 96, drawing.height / 96), dpi=96, facecolor=roles["ink"])
        FigureCanvasPdf(figure)
        for shape in drawing.shapes:
            colour = colour_of(roles, shape.role)
            if isinstance(shape, Words):
                alignment = {"start": "left", "middle": "center", "end": "right"}[shape.anchor]
                figure.text(
                    shape.x / drawing.width, 1 - shape.y / drawing.height, shape.text, color=colour,
                    fontsize=shape.size * POINT_PIXELS, ha=alignment, va="baseline", parse_math=False,
                    weight="bold" if shape.bold else "normal",
                )  # fmt: skip
            elif isinstance(shape, Area):
                figure.add_artist(
                    Rectangle(
                        (shape.x / drawing.width, 1 - (shape.y + shape.height) / drawing.height),
                        shape.width / drawing.width, shape.height / drawing.height, transform=figure.transFigure,
                        color=colour_of(roles, shape.role), linewidth=0,
                    )
                )  # fmt: skip
            else:
                figure.add_artist(
                    Line2D(
                        [x / drawing.width for x, _ in shape.points], [1 - y / drawing.height for _, y in shape.points],
                        transform=figure.transFigure, color=colour, linewidth=shape.width * POINT_PIXELS,
                        linestyle=(0, (4, 3)) if shape.dashed else "solid", solid_joinstyle="miter",
                    )
                )  # fmt: skip
        about = {
            "Title": drawing.title, "Subject": drawing.description, "Creator": "Cavet", "CreationDate": None,
            "Producer": None,
        }  # fmt: skip
        made = BytesIO()
        figure.savefig(made, format="pdf", metadata=about, facecolor=roles["ink"])
        return made.getvalue()


KINDS = (".svg", ".pdf")


def save(drawing: Drawing, path: Path, theme: Theme) -> None:
    """Write a drawing into a file, as its name says. Raises `WrongError`."""
    if path.suffix.lower() not in KINDS:
        raise WrongError("-o", found=path.name, expected="a name that ends with .svg or .pdf")
    if path.suffix.lower() == ".pdf":
        write_whole(path, [to_pdf(drawing, theme)])
    else:
        write_whole(path, [to_svg(drawing, theme).encode()])
