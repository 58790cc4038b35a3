"""What is wired to what: from what the host believes, over the link, to the places of a board, and what hangs there."""

from cavet.benchfile import Place, PlaceKind
from cavet.wiring._section import Believed, Hanging, Section, SectionRow, Told, range_of, section_of, title_of
from cavet.wiring._wiring import Wire, Wiring, wirings

__all__ = [
    "Believed",
    "Hanging",
    "Place",
    "PlaceKind",
    "Section",
    "SectionRow",
    "Told",
    "Wire",
    "Wiring",
    "range_of",
    "section_of",
    "title_of",
    "wirings",
]
