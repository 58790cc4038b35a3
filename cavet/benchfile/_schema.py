"""Every key of the bench file: what it can be, whether it must be there, what it means.

The reader, the documentation and the suggestions all come from these tables.
"""

from __future__ import annotations

from cavet.benchfile._broker import BROKER
from cavet.benchfile._links import LINK
from cavet.benchfile._schema_belief import HOST, POINT
from cavet.benchfile._schema_checks import CHECK, DELAYS, REST
from cavet.benchfile._schema_truth import BOARD, BUS, DEFECT, PART, PROFILE, QUANTITY, REFLEX, SUPPLY
from cavet.benchfile.boards import FIRMWARES
from cavet.benchfile.hosts import DEVICE
from cavet.settings import Key, Section

FILE = Section(
    title="the file itself",
    doc="What stands at the top, before any table.",
    keys=(
        Key("format", "whole", "the format of the file: 1", required=True, low=1),
        Key("name", "text", "what the bench is called on the screen", default=""),
        Key("seed", "text", "where chance begins: noise, bounces, losses", default="cavet"),
        *(
            Key(name, "table", "see below", default={})
            for name in ("boards", "links", "broker", "rig", "defects", "hosts", "points", "profiles", "checks")
        ),
    ),
)

OF_FIRMWARES = tuple({section.title: section for device in FIRMWARES.values() for section in device.SECTIONS}.values())
"""The tables of boards that only some firmwares have."""
SECTIONS = (
    FILE, BOARD, PART, BUS, SUPPLY, REFLEX, *OF_FIRMWARES, LINK, BROKER, QUANTITY, DEFECT, HOST, DEVICE,
    POINT, PROFILE, CHECK, REST, DELAYS,
)  # fmt: skip

__all__ = [
    "BOARD", "BROKER", "BUS", "CHECK", "DEFECT", "DELAYS", "DEVICE", "FILE", "HOST", "LINK", "PART", "POINT",
    "PROFILE", "QUANTITY", "REFLEX", "REST", "SECTIONS", "SUPPLY", "Key", "Section",
]  # fmt: skip
