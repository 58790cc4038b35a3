"""Every key of the bench file: what it can be, whether it must be there, what it means.

The reader, the documentation and the suggestions all come from these tables.
"""

from __future__ import annotations

from cavet.bench._schema_belief import HOST, LINK, POINT
from cavet.bench._schema_checks import CHECK, DELAYS, REST
from cavet.bench._schema_devices import DEVICE
from cavet.bench._schema_formats import GIVEN, GIVES, TAKES, USB
from cavet.bench._schema_mqtt import BROKER, HEALTH, REFLEX, STATION, TOPIC
from cavet.bench._schema_truth import (
    BOARD,
    BUS,
    CELL,
    COMMAND,
    DEFECT,
    IDENTITY,
    PART,
    PROFILE,
    QUANTITY,
    QUEUE,
    RECORDS,
    SUPPLY,
)  # fmt: skip
from cavet.settings import Key, Section

FILE = Section(
    title="the file itself",
    doc="What stands at the top, before any table.",
    keys=(
        Key(name="format", kind="whole", doc="the format of the file: 1", required=True, low=1),
        Key(name="name", kind="text", doc="what the bench is called on the screen", default=""),
        Key(name="seed", kind="text", doc="where chance begins: noise, bounces, losses", default="cavet"),
        *(
            Key(name=name, kind="table", doc="see below", default={})
            for name in ("boards", "links", "broker", "rig", "defects", "hosts", "points", "profiles", "checks")
        ),
    ),
)

SECTIONS = (
    FILE, BOARD, PART, BUS, SUPPLY, REFLEX, IDENTITY, CELL, RECORDS, QUEUE, COMMAND, STATION, TOPIC, HEALTH,
    TAKES, GIVES, GIVEN, USB, LINK, BROKER, QUANTITY, DEFECT, HOST, DEVICE,
    POINT, PROFILE, CHECK, REST, DELAYS,
)  # fmt: skip

__all__ = [
    "BOARD", "BROKER", "BUS", "CELL", "CHECK", "COMMAND", "DEFECT", "DELAYS", "DEVICE", "FILE", "GIVEN", "GIVES",
    "HEALTH", "HOST", "IDENTITY", "LINK", "PART", "POINT", "PROFILE", "QUANTITY", "QUEUE", "RECORDS", "REFLEX",
    "REST", "SECTIONS", "STATION", "SUPPLY", "TAKES", "TOPIC", "USB", "Key", "Section",
]  # fmt: skip
