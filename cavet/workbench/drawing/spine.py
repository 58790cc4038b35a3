"""The board: a column of its pins, what it moves hanging off to the right, what it senses to the left."""

from __future__ import annotations

from itertools import pairwise

import msgspec

from cavet.drawings.canvas import CORAL, GOT, HAIR, HEATHER, PAPER, QUIET, Canvas, clip
from cavet.workbench.drawing import parts as part_pictures
from cavet.workbench.drawing.devices import DeviceView, draw_devices, height_of
from cavet.workbench.drawing.parts import PartView, draw_part, draw_plate
from cavet.workbench.drawing.rig import EIGHTHS, BasinView, draw_rig

SPINE_WIDTH = 16
LABEL_WIDTH = 4
LABELLED = 50
"""From this width on the pins' other names are shown."""
NAME_WIDTH = 13
TELLS_WIDTH = 18
"""What a part says of itself may be so long, where there is room."""
WIDE = 76
"""From this width on parts hang off on both sides, as pictures."""
HEAD_ROWS = 3
CURRENT_CELLS = 8
RIG_ROWS = 10


class PinView(msgspec.Struct, frozen=True, kw_only=True):
    """A pin as it is to be shown. `level` is 0 to 1; `kind` is `drives`, `reads`, `pulses` or `rests`."""

    number: int
    label: str = ""
    mode: str = ""
    level: float = 0.0
    kind: str = "rests"


class BeliefView(msgspec.Struct, frozen=True, kw_only=True):
    """A point of a board of which nothing else can be seen: where the host believes it to be, and what it has read."""

    name: str
    where: str
    read: str
    senses: bool = False


class BoardView(msgspec.Struct, frozen=True, kw_only=True):
    """A board as it is to be shown. Currents in mA. `cursor` is the part that the cursor's point is about; ""
    where that is on another board."""

    name: str
    profile: str
    line: str
    state: str
    state_is_bad: bool = False
    answers: str = ""
    pins: tuple[PinView, ...] = ()
    parts: tuple[PartView, ...] = ()
    current: float = 0.0
    current_limit: float = 0.0
    devices: tuple[DeviceView, ...] = ()
    """What hangs on the board's bus; `bus` are its pins, of which those in `spare` need not be shown."""
    bus: tuple[int, ...] = ()
    spare: tuple[int, ...] = ()
    basins: tuple[BasinView, ...] = ()
    beliefs: tuple[BeliefView, ...] = ()
    """In the place of pins, for a real board whose points are not on any."""
    cursor: str = ""


def draw_board(view: BoardView, width: int, height: int) -> Canvas:
    """Draw a board in the room there is."""
    pins = _wired(view)
    room = height - HEAD_ROWS
    if len(pins) * 2 > room:  # rather pictures than the lines of interrupts
        few = [pin for pin in pins if pin.number not in view.spare]
        pins = few if len(few) * 2 <= room else pins
    if len(view.pins) * 2 <= room:
        pins = list(view.pins)
    step = 2 if len(pins) * 2 <= room and width >= WIDE else 1
    lead = 1 if step == 2 and len(pins) * 2 < room else 0
    return _drawn(view, _in_sight(view, pins, room // step), width, height, lead, step)


def _wired(view: BoardView) -> list[PinView]:
    """The pins on which something hangs."""
    wired = {pin for part in view.parts for pin in part.pins} | set(view.bus)
    return [pin for pin in view.pins if pin.number in wired]


def _drawn(view: BoardView, pins: list[PinView], width: int, height: int, lead: int, step: int) -> Canvas:
    """A board with these pins, so many rows apart, and so many free rows above it."""
    canvas = Canvas(width, height)
    canvas.down(0, 0, height, "│")
    _draw_head(canvas, view, width, lead)
    if view.beliefs and not pins:
        _draw_beliefs(canvas, view, lead + HEAD_ROWS)
        return canvas
    if view.devices and not pins:
        draw_devices(canvas, 4, lead + HEAD_ROWS, lead + HEAD_ROWS + height_of(view.devices) - 1, view.devices)
        return canvas
    rows = {pin.number: lead + HEAD_ROWS + step * place for place, pin in enumerate(pins)}
    if width >= WIDE:
        _draw_wide(canvas, view, pins, rows, step)
    else:
        _draw_narrow(canvas, view, pins, rows)
    return canvas


def draw_stack(views: tuple[BoardView, ...], width: int, height: int) -> Canvas:
    """Draw boards one below the other where there is room for all that hangs on them, the basins with the last; else
    the one that the cursor is on."""
    stack = (*(msgspec.structs.replace(view, basins=()) for view in views[:-1]), views[-1])
    for step in () if len(views) == 1 else (2, 1) if width >= WIDE else (1,):
        rows = [_rows_whole(view, step) for view in stack]
        if sum(rows) <= height:
            rows[-1] += height - sum(rows)
            return _stacked(stack, rows, width, step)
    return draw_board(next((view for view in views if view.cursor), views[0]), width, height)


def _stacked(views: tuple[BoardView, ...], rows: list[int], width: int, step: int) -> Canvas:
    canvas, top = Canvas(width, sum(rows)), 0
    for view, taken in zip(views, rows, strict=True):
        drawn = _drawn(view, _wired(view), width, taken, 1, step)
        for row in range(taken):
            canvas.lay_row(top + row, drawn, row)
        top += taken
    return canvas


def _rows_whole(view: BoardView, step: int) -> int:
    """How many rows a board takes with all that hangs on it, one above that and one below."""
    pins = len(_wired(view))
    below = step * pins if pins else len(view.beliefs) + 1
    return 1 + HEAD_ROWS + below + height_of(view.devices) + 1 + (RIG_ROWS if view.basins else 0)


def _in_sight(view: BoardView, pins: list[PinView], room: int) -> list[PinView]:
    """The pins that there is room for, with those of the cursor's part among them."""
    if len(pins) <= room:
        return pins
    wanted = {pin for part in view.parts if part.name == view.cursor for pin in part.pins}
    if any(device.marked for device in view.devices):
        wanted |= set(view.bus)
    last = max((place for place, pin in enumerate(pins) if pin.number in wanted), default=0)
    first = min(max(0, last - room // 2), len(pins) - room + 1)
    return pins[first : first + max(0, room - 1)]


def _draw_head(canvas: Canvas, view: BoardView, width: int, lead: int) -> None:
    canvas.put(2, lead, view.name, PAPER._replace(bold=bool(view.cursor)))
    used = f"{view.current:.0f} of {view.current_limit:.0f} mA"
    share = view.current / view.current_limit if view.current_limit else 0.0
    over = share > 1
    meter = len(used) + 1 + CURRENT_CELLS
    if view.current_limit and width > 60:
        canvas.put(width - meter - 1, lead, used, CORAL if over else QUIET)
        lit = min(CURRENT_CELLS, round(share * CURRENT_CELLS))
        canvas.put(width - CURRENT_CELLS - 1, lead, "▰" * lit, CORAL if over else GOT)
        canvas.put(width - CURRENT_CELLS - 1 + lit, lead, "▱" * (CURRENT_CELLS - lit), HAIR)
        canvas.put(len(view.name) + 4, lead, view.line, QUIET, width - meter - len(view.name) - 6)
    else:
        canvas.put(len(view.name) + 4, lead, view.line, QUIET)
    canvas.put(2, lead + 1, view.state, CORAL if view.state_is_bad else QUIET, width - 3)
    if width > 60 and len(view.state) + len(view.answers) + 5 <= width:
        canvas.put_right(width - 1, lead + 1, view.answers, HEATHER)


def _draw_beliefs(canvas: Canvas, view: BoardView, top: int) -> None:
    """What the host knows of a board that it can't see: a line a point, what it has read on the right."""
    canvas.put(2, top, "where the host believes it to be", QUIET)
    canvas.put_right(canvas.width - 1, top, "what it has read", QUIET)
    room = canvas.height - top - 2
    wanted = next((place for place, belief in enumerate(view.beliefs) if belief.name == view.cursor), 0)
    first = max(0, min(wanted - room // 2, len(view.beliefs) - room))
    for y, belief in enumerate(view.beliefs[first : first + max(0, room)], top + 2):
        marked = belief.name == view.cursor
        canvas.put(2, y, belief.name, PAPER._replace(bold=marked), NAME_WIDTH + 1)
        value = clip(belief.read, canvas.width - NAME_WIDTH - 8)
        room = canvas.width - NAME_WIDTH - len(value) - 7
        canvas.put(4 + NAME_WIDTH, y, belief.where, PAPER if marked else QUIET, room)
        canvas.put_right(canvas.width - 1, y, value, HEATHER if belief.senses else GOT)


def _spine_width(pins: list[PinView], room: int) -> int:
    """Room for the pins' other names, where they have any and there is some."""
    return SPINE_WIDTH + (LABEL_WIDTH if room >= LABELLED and any(pin.label for pin in pins) else 0)


def _draw_spine(canvas: Canvas, x: int, pins: list[PinView], rows: dict[int, int], step: int, profile: str) -> int:
    """Draw the column of pins; give how wide it is."""
    top, bottom = min(rows.values()), max(rows.values())
    width = _spine_width(pins, canvas.width)
    canvas.shade(x, top - 1, width, bottom - top + 2 + (step - 1), "raised")
    canvas.put(x + (width - 2 * len(profile) + 1) // 2, top - 1, " ".join(profile), QUIET)
    for pin in pins:
        y = rows[pin.number]
        bold = pin.kind != "rests"
        canvas.put_right(x + 4, y, str(pin.number), PAPER._replace(bold=bold) if bold else QUIET)
        if width > SPINE_WIDTH:
            canvas.put(x + 5, y, pin.label, PAPER if bold else QUIET, width - SPINE_WIDTH - 1)
        canvas.put(x + width - SPINE_WIDTH + 5, y, pin.mode, QUIET, 8)
        _draw_level(canvas, x, y, width, pin)
    return width


def _draw_level(canvas: Canvas, x: int, y: int, width: int, pin: PinView) -> None:
    if pin.kind == "drives":
        canvas.put(x + width - 2, y, EIGHTHS[max(1, round(8 * pin.level))], GOT if pin.level else HAIR)
    elif pin.kind == "pulses":
        canvas.put(x + width - 2, y, "⊓" if pin.level else "▁", GOT if pin.level else HAIR)
    elif pin.kind == "reads":
        glyph = ("▔" if pin.level else "▁") if pin.level in (0, 1) else EIGHTHS[max(1, round(8 * pin.level))]
        canvas.put(x + 1, y, glyph, HEATHER)


def _draw_wide(canvas: Canvas, view: BoardView, pins: list[PinView], rows: dict[int, int], step: int) -> None:
    if not rows:
        return
    x = (canvas.width - SPINE_WIDTH) // 2 - 1
    width = _draw_spine(canvas, x, pins, rows, step, view.profile)
    left_rows = []
    right_rows = [min(rows.values())]
    for part in view.parts:
        places = [rows[pin] for pin in part.pins if pin in rows]
        if not places:
            continue
        if part.senses:
            left_rows.append(places[0])
            _hang_left(canvas, x, places, step, part, part.name == view.cursor)
        else:
            right_rows.append(places[0])
            _hang_right(canvas, x + width, places, step, part, part.name == view.cursor)
    _hang_bus(canvas, view, x + width, rows, max(right_rows) + step)
    _place_rig(canvas, view, x, sorted(left_rows), step)
    canvas.put(x + 1, max(rows.values()) + step, _left_out(view, rows), QUIET)


def _hang_bus(canvas: Canvas, view: BoardView, x: int, rows: dict[int, int], top: int) -> None:
    """What hangs on the bus: from its two pins a rail up along the devices."""
    ends = [rows[pin] for pin in view.bus if pin in rows]
    if not ends or not view.devices:
        return
    bottom = min(canvas.height - 1, max(ends[-1], top + height_of(view.devices) - 1))
    places = draw_devices(canvas, x + 6, top, bottom, view.devices)
    line = PAPER if any(device.marked for device in view.devices) else HAIR
    for row in range(min([*places, ends[0]]), max([*places, ends[-1]]) + 1):
        canvas.put(x + 3, row, "┃", HAIR)
    for row in ends:
        canvas.across(x, row, 3, "─", HAIR)
        canvas.put(x + 3, row, "┨", HAIR)
    for device, row in zip(view.devices, places, strict=False):
        canvas.put(x + 3, row, "╂" if row in ends else "┠", HAIR)
        canvas.put(x + 4, row, "╴", line if device.marked else HAIR)


def _left_out(view: BoardView, rows: dict[int, int]) -> str:
    """Say how many pins are not drawn: for want of room, or since nothing hangs on them."""
    wired = {pin for part in view.parts for pin in part.pins}
    hidden = sum(pin.number in wired for pin in view.pins if pin.number not in rows)
    free = sum(pin.number not in wired for pin in view.pins if pin.number not in rows)
    return f"+{hidden} more wired" if hidden else f"+{free} not wired" if free else ""


def _hang_right(canvas: Canvas, x: int, places: list[int], step: int, part: PartView, marked: bool) -> None:
    y, *others = places
    line = PAPER if marked else HAIR
    for row in range(y + 1, others[-1] if others else y):
        if row not in others:
            canvas.put(x + 2, row, "│", line)
    for other in others:
        canvas.across(x, other, 2, "─", line)
        canvas.put(x + 2, other, "┘" if other == others[-1] else "┤", line)
    canvas.across(x, y, 4, "─", line)
    if others:
        canvas.put(x + 2, y, "┬", line)
    canvas.put(x + 5, y, part.name, PAPER._replace(bold=marked), NAME_WIDTH)
    if part.columns and step > 1:
        draw_plate(canvas, x + 5, y + 1, part)
        return
    ink = CORAL if part.fault else QUIET
    if step > 1:
        room = max(NAME_WIDTH, min(TELLS_WIDTH, canvas.width - x - 7 - part_pictures.WIDTH))
        draw_part(canvas, x + 7 + room, y, step, part)
        canvas.put(x + 5, y + 1, part.tells, ink, room + 1)
        return
    told = max(x + 8 + len(part.name), min(x + 9 + NAME_WIDTH, canvas.width - len(part.tells)))
    draw_part(canvas, told - 2, y, step, part)
    canvas.put(told, y, part.tells, ink)


def _hang_left(canvas: Canvas, x: int, places: list[int], step: int, part: PartView, marked: bool) -> None:
    y, *others = places
    line = PAPER if marked else HAIR
    canvas.across(x - 4, y, 4, "─", line)
    if others:
        canvas.put(x - 3, y, "┬", line)
        canvas.down(x - 3, y + 1, others[-1] - y - 1, "│", line)
    for other in others:
        canvas.put(x - 3, other, "└" if other == others[-1] else "├", line)
        canvas.across(x - 2, other, 2, "─", line)
    canvas.put_right(x - 5, y, part.name, PAPER._replace(bold=marked), NAME_WIDTH)
    picture = x - 6 - NAME_WIDTH - (part_pictures.WIDTH if step > 1 else 1)
    draw_part(canvas, picture, y, step, part)
    if step > 1:
        canvas.put_right(x - 5, y + 1, part.tells, QUIET, NAME_WIDTH)
    else:
        canvas.put_right(picture - 1, y, part.tells, QUIET, picture - 3)


def _place_rig(canvas: Canvas, view: BoardView, x: int, left_rows: list[int], step: int) -> None:
    """Put the rig where the most room is on the left."""
    edges = [HEAD_ROWS, *left_rows, canvas.height]
    gaps = [(after - before - step, before + step) for before, after in pairwise(edges)]
    room, top = max(gaps)
    if room >= 5:
        inset = 1 if room > 6 else 0
        draw_rig(canvas, 2, top + inset, x - 5, min(12, room - 2 * inset), view.basins)


def _draw_narrow(canvas: Canvas, view: BoardView, pins: list[PinView], rows: dict[int, int]) -> None:
    """All on one side: pin, what hangs on it, how that stands."""
    if not rows:
        return
    if len(rows) < len({pin for part in view.parts for pin in part.pins}):
        canvas.put(2, max(rows.values()) + 1, _left_out(view, rows), QUIET)
    x = 1 + _draw_spine(canvas, 1, pins, rows, 1, view.profile)
    names = min(NAME_WIDTH, max((len(part.name) for part in view.parts), default=0))
    for part in view.parts:
        places = [rows[pin] for pin in part.pins if pin in rows]
        for number, y in enumerate(places):
            line = PAPER if part.name == view.cursor else HAIR
            canvas.put(x, y, "◂─" if part.senses else "──", line)
            if number:
                canvas.put(x + 3, y, "″", QUIET)
                continue
            canvas.put(x + 3, y, part.name, PAPER._replace(bold=part.name == view.cursor), names)
            draw_part(canvas, x + 4 + names, y, 1, part)
            canvas.put(x + 6 + names, y, part.tells, CORAL if part.fault else QUIET)
    top = max(rows.values()) + 2
    if view.devices:
        begin = min([rows[pin] for pin in view.bus if pin in rows], default=top - 1)
        room = canvas.height - begin
        taken = min(room, height_of(view.devices) if height_of(view.devices) <= room else len(view.devices))
        draw_devices(canvas, x + 3, begin, begin + taken - 1, view.devices)
        for pin in (pin for pin in view.bus if pin in rows):
            canvas.put(x, rows[pin], "──", HAIR)
        top = max(top, begin + taken + 1)
    if canvas.height - top >= 5:
        draw_rig(canvas, 2, top, canvas.width - 3, min(9, canvas.height - top), view.basins)
