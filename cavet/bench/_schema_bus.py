"""The keys of what hangs on a bus."""

from __future__ import annotations

from cavet.bench._keys import Key

ADDRESS = Key(name="address", kind="whole", doc="its address on the bus", required=True, low=0, high=0x3FF)
STRETCH = Key(
    name="stretch", kind="quantity", unit="s", doc="how long it holds the clock behind each byte", default=0.0, low=0,
    high=0.03,
)  # fmt: skip
CHIP = Key(name="chip", kind="whole", doc="its chip select on SPI", default=0, low=0, high=15)
MODE = Key(name="mode", kind="whole", doc="the mode in which it is clocked", default=0, low=0, high=3)
INTERRUPT = Key(name="interrupt", kind="pin", doc="the pin of its interrupt line, low while it waits", default=None)


def map_key(shipped: str) -> Key:
    """The key for a device's register map."""
    doc = "its register map: the name of one that ships, or FILE#NAME of a plan file beside the bench"
    return Key(name="map", kind="text", doc=doc, default=shipped) if shipped else Key(
        name="map", kind="text", doc=doc, required=True
    )  # fmt: skip


BUS_PARTS: dict[str, tuple[Key, ...]] = {
    "expander": (ADDRESS, INTERRUPT, STRETCH, map_key("expander16")),
    "latch": (ADDRESS, STRETCH),
    "panel": (
        ADDRESS,
        STRETCH,
        Key(name="columns", kind="whole", doc="how many characters a line has", default=16, low=1, high=40),
        Key(name="rows", kind="whole", doc="how many lines it has", default=2, low=1, high=4),
    ),
    "matrix": (ADDRESS, STRETCH, map_key("matrix8")),
    "registers": (
        ADDRESS,
        STRETCH,
        Key(name="ten_bit", kind="switch", doc="whether its address has ten bits", default=False),
        map_key(""),
    ),
    "adc": (
        ADDRESS,
        STRETCH,
        map_key("converters#adc4"),
        Key(
            name="channels",
            kind="table",
            doc="what its registers measure: a register's name and a sum of the rig",
            required=True,
        ),
        Key(name="range", kind="range", unit="", doc="what reads 0, and what reads full", default=(0.0, 1.0)),
        Key(name="bits", kind="whole", doc="how many bits it has", default=12, low=1, high=32),
    ),
    "dac": (
        ADDRESS,
        STRETCH,
        map_key("converters#dac2"),
        Key(name="bits", kind="whole", doc="how many bits it has", default=10, low=1, high=32),
    ),
    "target": (
        ADDRESS,
        STRETCH,
        Key(name="board", kind="text", doc="the board behind it, whose firmware is `target`", required=True),
    ),
    "shift": (
        CHIP,
        MODE,
        Key(name="registers", kind="whole", doc="how many registers of eight lines it has", default=1, low=1, high=8),
    ),
    "chain": (
        CHIP,
        MODE,
        Key(name="modules", kind="whole", doc="how many matrices it has", default=4, low=1, high=64),
    ),
}
"""The kinds of parts that hang on a bus, with their keys."""
