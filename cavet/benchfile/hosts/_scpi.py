"""SCPI: points behind headers."""

from collections.abc import Sequence
from typing import Annotated, ClassVar

from cavet.benchfile._setup import HostSetup, LinkSetup
from cavet.benchfile.hosts._protocol import Constant, HostProtocol, PointTables
from cavet.hosts import HeaderPoint, Point, PointKind, ScpiSession
from cavet.record import Tell
from cavet.settings import Meaning, Table
from cavet.wording import with_article


class ScpiPlace(Table, kw_only=True):
    """Where a point is, with SCPI."""

    ABOUT = "SCPI"
    set: Annotated[
        str,
        Meaning("what is sent to set it, `{}` in the place of the value, such as `SOUR1:VOLT {}`"),
    ] = ""
    on: Annotated[str, Meaning("what is sent to switch it on, in the place of `set`")] = ""
    off: Annotated[str, Meaning("what is sent to switch it off")] = ""
    ask: Annotated[str, Meaning("the query for its value, such as `SOUR1:VOLT?`")] = ""


class ScpiProtocol(HostProtocol):
    """SCPI: a command sets a value, a query reads it."""

    name: ClassVar[str] = "scpi"
    POINT: ClassVar[type[Table]] = ScpiPlace

    def session(self, host: HostSetup, link: LinkSetup, points: Sequence[HeaderPoint], tell: Tell) -> ScpiSession:
        return ScpiSession(host.name, points, host.settings, tell)

    def read_point(self, tables: PointTables) -> Point | None:
        kind, place = tables.kind, tables.own(ScpiPlace)
        if place is None or not tables.has_no_pin_kind():
            return None
        for key in ("set", "on", "off", "ask"):
            text = getattr(place, key)
            if "\n" in text or not text.isascii():
                tables.wrong(key, found=text, expected="ASCII, in one line")
                return None
        pair = bool(place.on) and bool(place.off) and kind is PointKind.SWITCH
        self._check_ways(tables, place)
        if kind.is_output and not pair and "{}" not in place.set:
            expected = "`set` with {} in it" + (", or `on` and `off`" if kind is PointKind.SWITCH else "")
            tables.wrong("set", found=place.set or "nothing", expected=expected)
            return None
        if not kind.is_output and not tables.has("ask", place.ask, "the query for its value"):
            return None
        fields = tables.common()
        if kind.is_output and not place.ask and fields["confirm"]:
            expected = "the query for its value, or `confirm = false`: without it nothing can be read back"
            tables.wrong("ask", found="nothing", expected=expected)
            return None
        return HeaderPoint(**fields, set=place.set, turn_on=place.on, turn_off=place.off, query=place.ask)

    def _check_ways(self, tables: PointTables, place: ScpiPlace) -> None:
        """No way of setting it may be said that is never taken."""
        tables.refuse_of_inputs(place, "set", "on", "off")
        if not tables.kind.is_output:
            return
        for key, other in (("on", "off"), ("off", "on")):
            said = getattr(place, key)
            if said and tables.kind is not PointKind.SWITCH:
                tables.wrong(key, found=said, expected=f"none: {with_article(tables.kind.value)} is set by `set`")
            elif said and place.set and not getattr(place, other):
                tables.wrong(other, found="nothing", expected=f"what is sent beside `{key}`, or `set` for both")
        if place.on and place.off and place.set:
            tables.wrong("set", found=place.set, expected="none: `on` and `off` are sent in its place")

    def constants_of(self, point: HeaderPoint, about: str) -> list[Constant]:
        ways = (("SET", point.set), ("ON", point.turn_on), ("OFF", point.turn_off), ("QUERY", point.query))
        return [Constant(word, text, about) for word, text in ways if text]
