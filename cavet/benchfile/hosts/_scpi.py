"""SCPI: points behind headers."""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar

from cavet.benchfile._setup import HostSetup, LinkSetup
from cavet.benchfile.hosts._protocol import Constant, HostProtocol, PointTable
from cavet.hosts import HeaderPoint, Point, PointKind, ScpiSession
from cavet.record import Tell
from cavet.settings import Key


class ScpiProtocol(HostProtocol):
    """SCPI: a command sets a value, a query reads it."""

    name: ClassVar[str] = "scpi"
    POINT_KEYS: ClassVar[tuple[Key, ...]] = (
        Key(
            "set",
            "text",
            "SCPI: what is sent to set it, `{}` in the place of the value, such as `SOUR1:VOLT {}`",
            default="",
        ),
        Key("on", "text", "SCPI: what is sent to switch it on, in the place of `set`", default=""),
        Key("off", "text", "SCPI: what is sent to switch it off", default=""),
        Key("ask", "text", "SCPI: the query for its value, such as `SOUR1:VOLT?`", default=""),
    )
    PLACES: ClassVar[tuple[str, ...]] = ("set", "on", "off", "ask")

    def session(self, host: HostSetup, link: LinkSetup, points: Sequence[HeaderPoint], tell: Tell) -> ScpiSession:
        return ScpiSession(host.name, points, host.settings, tell)

    def read_point(self, table: PointTable) -> Point | None:
        kind, texts = table.kind, table.table
        if not table.has_no_pin_kind():
            return None
        for key in self.PLACES:
            if "\n" in texts[key] or not texts[key].isascii():
                table.wrong(key, found=texts[key], expected="ASCII, in one line")
                return None
        pair = bool(texts["on"]) and bool(texts["off"]) and kind is PointKind.SWITCH
        if kind.is_output and not pair and "{}" not in texts["set"]:
            expected = "`set` with {} in it" + (", or `on` and `off`" if kind is PointKind.SWITCH else "")
            table.wrong("set", found=texts["set"] or "nothing", expected=expected)
            return None
        if not kind.is_output and not table.has("ask", "the query for its value"):
            return None
        if kind.is_output and not texts["ask"] and texts["confirm"]:
            expected = "the query for its value, or `confirm = false`: without it nothing can be read back"
            table.wrong("ask", found="nothing", expected=expected)
            return None
        places = {"set": texts["set"], "turn_on": texts["on"], "turn_off": texts["off"], "query": texts["ask"]}
        return HeaderPoint(**table.common(), **places)

    def constants_of(self, point: HeaderPoint, about: str) -> list[Constant]:
        ways = (("SET", point.set), ("ON", point.turn_on), ("OFF", point.turn_off), ("QUERY", point.query))
        return [Constant(word, text, about) for word, text in ways if text]
