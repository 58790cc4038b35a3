"""Trails as they are shown: a stage a column, with a few words on how it was reached."""

from __future__ import annotations

from cavet.bench import BROKER, Diagnosis
from cavet.boards import driven_words
from cavet.hosts import DevicePoint, Point, TopicPoint
from cavet.messaging import read_publish
from cavet.protocols import Side
from cavet.protocols.buses import on_wires, read_calls
from cavet.record import STAGES, Event, Kind, Purpose, Step, Topic, Trail
from cavet.units import show_duration
from cavet.wording import as_written, counted, hex_pairs, plain
from cavet.workbench.desk import Desk
from cavet.workbench.drawing.trail import StageView, TrailsView, TrailView

ASKED_DIGITS = 6
"""So many digits are shown of what was asked, whatever the wire can carry of them."""
MOST_BROKEN = 3
"""So many broken trails are shown with their reasons."""


def trails_view(desk: Desk, point: Point, chosen: int | None) -> TrailsView:
    """The trail of the point under the cursor (or a chosen one), and the broken ones not looked at."""
    trails = desk.standings.trails.all
    numbers = list(trails)
    number = chosen if chosen in trails else latest_trail(desk, point)
    current = None
    if number is not None and number in trails:
        place = f"{numbers.index(number) + 1} of {len(numbers)}  [ ]"
        current = trail_view(desk, trails[number], place)
    unseen = [trails[other] for other in desk.unseen() if other != number]
    shown = tuple(trail_view(desk, trail) for trail in unseen[:MOST_BROKEN])
    more = len(unseen) - len(shown)
    if current is None and numbers:
        others = f"[ goes to {'the one that there is' if len(numbers) == 1 else f'the last of {len(numbers)}'}"
        return TrailsView(broken=shown, more=more, empty=f"no command of {point.name} yet: {others}")
    return TrailsView(current=current, broken=shown, more=more)


def latest_trail(desk: Desk, point: Point) -> int | None:
    """The newest trail of an output; the newest of all for an input, and while another program has the link."""
    if not point.kind.is_output or not desk.bench.link_of(point).held:
        return next(reversed(desk.standings.trails.all), None)
    return desk.bench.reading(point).trail


def trail_view(desk: Desk, trail: Trail, place: str = "", diagnosis: Diagnosis | None = None) -> TrailView:
    """A trail as it is shown; `place` says which of how many it is, `diagnosis` how it stood, if not as it does now."""
    diagnosis = diagnosis or desk.standings.diagnose(trail)
    point = desk.bench.setup.point_of(trail)
    stopped = trail.stopped
    return TrailView(
        title=title(trail, point),
        by=by_whom(trail) + (f" · sent {trail.resends + 1} times" if trail.resends else ""),
        place=place,
        stages=tuple(_stage(trail, name, diagnosis, point) for name in STAGES),
        reason=plain(diagnosis.reason),
        mend=diagnosis.mend,
        ending=f"{stopped.kind}: {plain(stopped.note)}" if stopped is not None and diagnosis.broken is None else "",
    )


def by_whom(trail: Trail) -> str:
    """Who has asked, in a word or two."""
    return "from outside" if trail.root.purpose is Purpose.OUTSIDE else trail.root.note


def title(trail: Trail, point: Point | None) -> str:
    """Name a trail: what was asked of what."""
    if point is None:
        data = trail.root.value
        if trail.root.board == BROKER and isinstance(data, bytes):
            return f"{BROKER} ← {published(data).replace(chr(10), ' ') or hex_pairs(data)}"
        return f"{trail.root.board} ← {as_written(data) if isinstance(data, bytes) else 'bytes from outside'}"
    value = trail.root.value
    return f"{point.name} ← {_as_asked(point, value)}"


def _as_asked(point: Point, value: float | str | bytes | None) -> str:
    return point.show_asked(value if isinstance(value, int | float | str) else None, ASKED_DIGITS)


def _stage(trail: Trail, name: Kind, diagnosis: Diagnosis, point: Point | None) -> StageView:
    state = diagnosis.states[name].value
    step = trail.steps.get(name)
    lines: tuple[str, ...] = ()
    if name == Kind.CARRIED and step is not None and Kind.FRAMED in trail.steps:
        size = counted(sum(len(piece) for data in _framed(trail) for piece in _on_wires(data, point) or [data]), "byte")
        lines = (size, _passed_on(trail)) if trail.passed is not None else (size,)
    elif step is not None:
        lines = _stage_lines(trail, step, name, point)
        if name == Kind.ASKED and trail.limited is not None and point is not None:
            wanted = trail.limited.value
            lines = (*lines, f"limit, not {point.show(wanted if isinstance(wanted, int | float | str) else None)}")
    elif name == Kind.MOVED and trail.moving is not None and state == "coming":
        lines = (trail.moving.note,)
    elif state == "unseen":
        lines = ("unseen",)
    return StageView(name=name, state=state, delay=_next_delay(trail, name), lines=lines)


def _passed_on(trail: Trail) -> str:
    count = trail.passed.value if trail.passed is not None else None
    return f"passed on to {count:.0f}" if isinstance(count, int | float) and count else "to nobody"


def _stage_lines(trail: Trail, step: Step, name: Kind, point: Point | None) -> tuple[str, ...]:
    """Two lines on one event; one each where there are more, of its part the newest, whose state is what counts."""
    moved = trail.reached(name) if name == Kind.MOVED else None
    events = [moved] if moved is not None else step.events
    if len(events) == 1:
        return tuple(told(trail, events[0], name, point).split("\n"))
    lines = [told(trail, event, name, point).split("\n") for event in events]
    return tuple(line[-1] if name == Kind.TAKEN else " ".join(line) for line in lines)


def published(data: bytes) -> str:
    """A publish packet by its topic's last two levels and its payload, a line each; "" where it is none."""
    found = read_publish(data, 4, Side.HOST) or read_publish(data, 5, Side.HOST)
    if found is None:
        return ""
    topic, payload, alias = found
    topic = topic or f"alias {alias}"
    return f"{plain('/'.join(topic.split('/')[-2:]))}\n{plain(payload.decode('utf-8', 'replace'))}"


def _next_delay(trail: Trail, name: Kind) -> str:
    """The time from this stage to the next one that was reached, to be written on the line between them."""
    for later in STAGES[STAGES.index(name) + 1 :]:
        here, there = trail.reached(name), trail.reached(later)
        if there is not None:
            return show_duration(there.t - here.t) if here is not None and there.t >= here.t else ""
    return ""


def _framed(trail: Trail) -> list[bytes]:
    """The bytes that were made for it."""
    step = trail.steps.get(Kind.FRAMED)
    return [event.value for event in step.events if isinstance(event.value, bytes)] if step is not None else []


def _on_wires(data: bytes, point: Point | None) -> list[bytes]:
    """What of a host's calls on a bus is on its wires; nothing for other bytes."""
    return [on_wires(call) for call in read_calls(data)] if isinstance(point, DevicePoint) else []


def _value_words(value: object) -> str:
    """What a register holds, in hex."""
    if isinstance(value, bytes):
        return hex_pairs(value)
    return f"0x{value:02X}" if isinstance(value, int) and not isinstance(value, bool) else ""


def told(trail: Trail, event: Event, stage: Kind, point: Point | None) -> str:
    """A few words, in one or two lines, on how a stage of a trail was reached."""
    value = event.value
    if stage == Kind.ASKED and point is not None:
        return _as_asked(point, value)
    if isinstance(value, bytes) and stage in (Kind.FRAMED, Kind.CARRIED):
        if event.board == BROKER or isinstance(point, TopicPoint):
            return published(value) or as_written(value)
        return "\n".join(map(hex_pairs, _on_wires(value, point))) or as_written(value)
    if stage == Kind.CARRIED and not isinstance(value, bytes):
        is_on_bus = any(_on_wires(data, point) for data in _framed(trail))
        return event.note or ("" if is_on_bus else f"up to byte {value}")
    if stage == Kind.TAKEN:
        return f"{event.subject}\n{plain(event.note)}"
    if stage == Kind.DRIVEN:
        if event.topic is Topic.PIN:
            return f"pin {event.subject}\n{plain(driven_words(event.note, value))}"
        return f"{plain(event.subject)}\n{_value_words(value)} {plain(event.note)}".rstrip()
    if stage == Kind.MOVED:
        return f"{event.subject}\n{plain(event.note)}"
    return point.show(value if isinstance(value, int | float | str) else None) if point is not None else ""
