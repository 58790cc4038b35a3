"""Acting on the outside world by lines of JSON: press a button, set the water, switch a defect."""

from __future__ import annotations

import asyncio
import os
import threading
from collections.abc import Callable
from typing import Any

import msgspec

from cavet import units
from cavet.bench import RunningBench
from cavet.serving._asked import asked
from cavet.wording import WrongError, listed, nearest

MAX_LINE_BYTES = 65536
FORMS = {
    "fault": ("board", "link", "part", "next", "for", "by"), "pin": ("board", "ask"), "point": ("ask",),
    "part": ("do", "for", "value", "ask"), "rig": ("set", "ask"), "defect": ("on",), "board": ("do",),
}  # fmt: skip
"""What a line can be about, and the other keys that it has then."""


def act_on(bench: RunningBench, line: bytes) -> dict[str, Any]:
    """Do what one line says; give what it asks for. Raises `WrongError` where it can't be done."""
    wish = read_line(line)
    is_made = "defect" in wish and "kind" in wish
    about = "defect" if is_made else next((key for key in FORMS if key in wish), None)
    if about is None:
        raise WrongError("input", found=listed(wish, "and") or "no keys", expected=f"one of the keys {listed(FORMS)}")
    name = wish.pop(about)
    for key in wish:
        if key not in FORMS[about] and not is_made:
            expected = f"one of the keys {listed(FORMS[about])}"
            raise WrongError("input", found=key, expected=expected, nearest=nearest(key, FORMS[about]))
    if not isinstance(name, str) and not (about == "pin" and isinstance(name, int)):
        raise WrongError(f"input.{about}", found=str(name), expected="a name")
    if "ask" in wish or about in ("pin", "point"):
        if wish.pop("ask", None) is not True:
            raise WrongError("input.ask", found="nothing, or false", expected="true")
        return asked(bench, about, name, wish)
    DOERS[about](bench, str(name), wish)
    return {}


def read_line(line: bytes) -> dict[str, Any]:
    """Read one line as a JSON object."""
    try:
        wish = msgspec.json.decode(line)
    except msgspec.DecodeError as error:
        raise WrongError("input", found=line[:60].decode("utf-8", "replace"), expected=f"JSON: {error}") from error
    if not isinstance(wish, dict):
        raise WrongError("input", found=line[:60].decode("utf-8", "replace"), expected="a JSON object")
    return wish


def _act(bench: RunningBench, name: str, wish: dict[str, Any]) -> None:
    do = wish.get("do")
    if not isinstance(do, str):
        raise WrongError("input.do", found="nothing" if do is None else str(do), expected="what to do, such as press")
    seconds = quantity(wish["for"], "s", "input.for") if "for" in wish else None
    if seconds is not None and seconds < 0:
        raise WrongError("input.for", found=str(wish["for"]), expected="0 s or more")
    value = quantity(wish["value"], "", "input.value") if "value" in wish else None
    bench.act(name, do, seconds=seconds, value=value)


def _place(bench: RunningBench, name: str, wish: dict[str, Any]) -> None:
    if "set" not in wish:
        raise WrongError("input.set", found="nothing", expected="where to put it")
    unit = bench.setup.rig[name].unit if name in bench.setup.rig else ""
    bench.place(name, quantity(wish["set"], unit, "input.set") if unit or name in bench.setup.rig else 0.0)


def _switch(bench: RunningBench, name: str, wish: dict[str, Any]) -> None:
    if "kind" in wish:
        try:
            bench.make_defect(name, wish)
        except ExceptionGroup as group:
            raise group.exceptions[0] from group
        return
    if not isinstance(wish.get("on"), bool):
        raise WrongError("input.on", found=str(wish.get("on", "nothing")), expected="true or false")
    bench.switch_defect(name, wish["on"])


def _board(bench: RunningBench, name: str, wish: dict[str, Any]) -> None:
    if wish.get("do") != "restart":
        raise WrongError("input.do", found=str(wish.get("do", "nothing")), expected="restart")
    bench.restart(name)


def _fault(bench: RunningBench, kind: str, wish: dict[str, Any]) -> None:
    for key in ("board", "link", "part"):
        if key in wish and not isinstance(wish[key], str):
            raise WrongError(f"input.{key}", found=str(wish[key]), expected="a name")
    if "board" not in wish:
        raise WrongError("input.board", found="nothing", expected="the board at which the fault is made")
    messages = wish.get("next")
    if messages is not None and (not isinstance(messages, int) or isinstance(messages, bool) or messages < 1):
        raise WrongError("input.next", found=str(messages), expected="how many messages, 1 or more")
    seconds, by = (quantity(wish[key], "s", f"input.{key}") if key in wish else None for key in ("for", "by"))
    for key, value in (("for", seconds), ("by", by)):
        if value is not None and value < 0:
            raise WrongError(f"input.{key}", found=str(wish[key]), expected="0 s or more")
    bench.faulting.make(
        kind, wish["board"], wish.get("link", ""), wish.get("part", ""), messages=messages, seconds=seconds, by=by
    )


DOERS: dict[str, Callable[[RunningBench, str, dict[str, Any]], None]] = {
    "fault": _fault,
    "part": _act,
    "rig": _place,
    "defect": _switch,
    "board": _board,
}


def quantity(raw: object, unit: str, place: str) -> float:
    """Read a quantity that JSON holds as a number or as a text with a unit."""
    expected = f"a quantity{f' in {unit}' if unit else ''}"
    if isinstance(raw, int | float) and not isinstance(raw, bool):
        return units.finite(raw, place, expected)
    if isinstance(raw, str):
        return units.parse(raw, unit, place)
    raise WrongError(place, found=str(raw), expected=expected)


def follow_input(take: Callable[[bytes], None]) -> None:
    """Read lines of standard input as they come, and hand each to `take` on the loop."""
    loop = asyncio.get_running_loop()

    def read_on() -> None:
        rest = b""
        while data := os.read(0, MAX_LINE_BYTES):
            *lines, rest = (rest + data).split(b"\n")
            for line in lines:
                if line.strip():
                    loop.call_soon_threadsafe(take, line)
            rest = rest[:MAX_LINE_BYTES]
        if rest.strip():
            loop.call_soon_threadsafe(take, rest)

    threading.Thread(target=_until_closed(read_on), name="standard-input", daemon=True).start()


def _until_closed(read_on: Callable[[], None]) -> Callable[[], None]:
    def reading() -> None:
        try:
            read_on()
        except (OSError, RuntimeError):
            return  # there is no standard input, or the loop has ended: nothing can be asked any more

    return reading
