"""What the sheets say: a trail from end to end, and what is under the cursor."""

from __future__ import annotations

from collections.abc import Callable

from cavet import units
from cavet.bench import Diagnosis
from cavet.boards.buses import BusDevice, SpiChip
from cavet.boards.parts import Part
from cavet.drawings.canvas import ASKED, CORAL, GOT, HEATHER, PAPER, QUIET
from cavet.drawings.ruler import RulerView
from cavet.hosts import HELP, DevicePoint, FieldPoint, HeaderPoint, PinPoint, Point, PointKind, TopicPoint
from cavet.record import STAGES, Event, Kind, Purpose, Trail
from cavet.units import show_duration
from cavet.wording import digits, from_to, hex_pairs, listed, plain, with_article
from cavet.workbench import trail_views
from cavet.workbench.desk import Desk
from cavet.workbench.drawing.sheet import Line, Sheet
from cavet.workbench.frames.apart import taken_apart
from cavet.workbench.presence import health_words, presence_words

Act = Callable[[], None]

MISSING = {"coming": "not yet", "broken": "not reached", "unseen": "can't be seen from here", "left out": "left out"}
"""What is said of a stage that was not reached, by how it stands."""
MEANINGS = {
    Kind.ASKED: "someone wants a value at a point",
    Kind.FRAMED: "it was scaled, limited and encoded: these bytes",
    Kind.CARRIED: "the link has taken the last byte, and at this rate it has arrived",
    Kind.TAKEN: "the board's firmware has understood the message",
    Kind.DRIVEN: "a pin or a register has changed",
    Kind.MOVED: "the part has done it",
    Kind.CONFIRMED: "the host has read back what it asked for",
}


def trail_sheet(desk: Desk, trail: Trail) -> Sheet:
    """A trail from end to end: each stage with its time, the frames taken apart, and what is wrong."""
    point = desk.bench.setup.point_of(trail)
    diagnosis = desk.standings.diagnose(trail)
    lines: list[Line | RulerView] = []
    if diagnosis.broken is not None:
        lines += [
            [(f"✕ stopped before {diagnosis.broken}", CORAL._replace(bold=True))],
            [("  " + plain(diagnosis.reason), PAPER)],
            [("  what to do: ", QUIET), (diagnosis.mend, PAPER)],
            [],
        ]
    for stage in STAGES:
        lines += _stage_lines(trail, stage, diagnosis, point)
    lines += _frame_lines(desk, trail, point)
    others = [event for event in _after(desk, trail) if event.kind not in STAGES]
    if others:
        lines += [[], [("also", QUIET)]]
        lines += [
            [(f"{_since(trail, event):>9}", HEATHER), (f"  {event.kind:9} {_besides(event)}", PAPER)]
            for event in others
        ]
    return Sheet(f"{trail_views.title(trail, point)}   {trail_views.by_whom(trail)}", lines)


def _besides(event: Event) -> str:
    """What an event that is no stage has to say."""
    if event.kind == Kind.PASSED:
        return f"{plain(event.subject)}, to {event.value if isinstance(event.value, int) else 'nobody'}"
    if event.kind == Kind.TOLD and isinstance(event.value, bytes):
        return f"{plain(event.subject)}  {_text_of(event.value)}"
    return plain(event.note)


def _text_of(data: bytes) -> str:
    """Bytes as text where they are lines of that, and in hex else."""
    try:
        text = data.decode()
    except UnicodeDecodeError:
        return hex_pairs(data)
    is_text = all(letter.isprintable() or letter in "\r\n\t" for letter in text)
    return plain(text) if is_text else hex_pairs(data)


def _stage_lines(trail: Trail, stage: Kind, diagnosis: Diagnosis, point: Point | None) -> list[Line]:
    state = diagnosis.states[stage].value
    step = trail.steps.get(stage)
    ink = {"broken": CORAL, "reached": PAPER}.get(state, QUIET)
    glyph = {"broken": "✕", "coming": "◌", "unseen": "?", "left out": "·"}.get(
        state, "◇" if stage in STAGES[:3] else "◆"
    )
    colour = CORAL if state == "broken" else (ASKED if stage in STAGES[:3] else GOT)
    head: Line = [(f"{glyph} ", colour), (f"{stage:11}", ink._replace(bold=state == "reached"))]
    if step is None:
        return [[*head, (f"{MISSING[state]} ({MEANINGS[stage]})", QUIET)]]
    lines: list[Line] = []
    for number, event in enumerate(step.events):
        begin: Line = head if number == 0 else [(" " * 13, PAPER)]
        lines.append(
            [
                *begin,
                (f"{_since(trail, event):>9}  ", HEATHER),
                (trail_views.told(trail, event, stage, point).replace("\n", ", "), ink),
            ]
        )
    return lines


def _since(trail: Trail, event: Event) -> str:
    return f"+{show_duration(event.t - trail.root.t)}" if event.number != trail.number else f"{trail.root.t:.3f} s"


def _after(desk: Desk, trail: Trail) -> list[Event]:
    """What follows from it, but for the questions that read it back."""
    return [event for event in desk.bench.record.trail(trail.number) if event.purpose is not Purpose.READ_BACK]


def _frame_lines(desk: Desk, trail: Trail, point: Point | None) -> list[Line | RulerView]:
    """The rulers of what was sent."""
    step = trail.steps.get(Kind.FRAMED) or trail.steps.get(Kind.CARRIED)
    lines: list[Line | RulerView] = []
    for event in step.events if step else ():
        for frame, fields in taken_apart(desk, trail, point, event.value) if isinstance(event.value, bytes) else ():
            lines += [[], [("the frame  ", QUIET), (frame.message.NAME, PAPER._replace(bold=True))], []]
            lines.append(RulerView(data=frame.data, fields=tuple(fields)))
    return lines


def point_sheet(desk: Desk, point: Point) -> Sheet:
    """What is under the cursor: the point, its pin and its other numbers, its part, and the keys that work on it."""
    standing = desk.standing(point)
    lines: list[Line] = [
        [("the host believes", QUIET)],
        [(f"  {what_it_is(point)}", PAPER)],
        [(f"  {scale_words(point)}", PAPER)],
    ]
    if point.kind.is_output:
        rest = point.show(bool(point.rest) if point.kind.is_switch else point.rest)
        back = "it is read back after each command" if point.confirm else "it is not read back"
        lines.append([(f"  at rest {rest}; {back}", PAPER)])
        lines += [
            [],
            [
                ("◇ asked ", ASKED),
                (point.show(standing.asked), PAPER),
                ("     ◆ got ", GOT),
                (point.show(standing.got), PAPER),
            ],
        ]
    for told in (standing.refusal, standing.remark):
        if told:
            lines += [[], [(f"✕ {told}", CORAL)]]
    lines += [
        [],
        [("the board has", QUIET)],
        *_board_lines(desk, point),
        *_presence_lines(desk, point),
        [],
        [("keys here", QUIET)],
        *_key_lines(desk, point),
    ]
    return Sheet(f"{point.name}   on {point.board}", lines)


def what_it_is(point: Point) -> str:
    """Say what a point is, and where."""
    if point.kind is PointKind.BRIDGE:
        return f"a level with a sign, on a bridge: {point.where}"
    kind = point.kind.value if point.kind in (PointKind.PIXELS, PointKind.WORDS) else with_article(point.kind.value)
    if isinstance(point, TopicPoint):
        return f"{kind}, {topic_words(point)}"
    if isinstance(point, DevicePoint):
        return f"{kind} at {point.where}, on a bus"
    if isinstance(point, FieldPoint):
        return f"{kind} in frames: {point.where}"
    held = ", held only while the key is" if point.momentary else ""
    at = "behind" if isinstance(point, HeaderPoint) else "on" if isinstance(point, PinPoint) else "at"
    return f"{kind} {at} {point.where}{held}"


def topic_words(point: TopicPoint) -> str:
    """Say at which topics a point is."""
    ways = [f"set at {plain(point.command)}"] if point.command else []
    ways += [f"told at {plain(point.state)}{f', {plain(point.form.path)} in it' if point.form.path else ''}"] if (
        point.state
    ) else []  # fmt: skip
    qos = f"; QoS {point.qos}{', retained' if point.retain else ''}" if point.command else ""
    return ", ".join(ways) + qos


def payload_words(point: TopicPoint) -> str:
    """Say what stands in a payload for its values."""
    form = point.form
    if form.kind == "words":
        off, on = form.words if not point.active_low else form.words[::-1]
        return f"{point.words[0]} is {plain(off)}, {point.words[1]} is {plain(on)}"
    if point.kind.is_text:
        return "a text, as it is" if form.kind == "text" else "a text in JSON"
    kind = {"number": "a number", "json": "a number in JSON", "raw": f"a number of {form.size} bytes"}[form.kind]
    unit = f" with {form.unit} behind it" if form.unit else ""
    ends = f", {from_to(point.wire_low, point.wire_high)}" if not point.kind.is_switch else ""
    return f"{point.show(point.low)} to {point.show(point.high)}, in the payload {kind}{unit}{ends}"


def scale_words(point: Point) -> str:
    """Say how its values stand on the wire."""
    if isinstance(point, TopicPoint):
        return payload_words(point)
    if point.kind is PointKind.PIXELS:
        return f"dots: {HELP}"
    if point.kind is PointKind.COLOUR:
        return "a colour: #d8a23c, or a name of CSS such as gold; 0 to 255 for its red, its green, its blue"
    if isinstance(point, DevicePoint | FieldPoint) and point.kind.is_text:
        return "a text, character by character"
    if point.kind.is_text:
        return "a text, as it is" if isinstance(point, HeaderPoint) else "a text, two characters a register"
    if point.kind.is_switch:
        if isinstance(point, HeaderPoint):
            return f"{point.words[1]} is sent as {point.command(True) or 'ON'}"
        level = "low" if point.active_low else "high"
        on = f"the {level} level" if isinstance(point, PinPoint) else str(int(not point.active_low))
        return f"{point.words[1]} is {on}"
    ends = f"{point.show(point.low)} to {point.show(point.high)}"
    wire = (
        f"0 to {digits(point.wire_high)}, the sign on two lines"
        if point.kind is PointKind.BRIDGE
        else from_to(point.wire_low, point.wire_high)
    )
    steps = f": steps of {units.show(point.resolution, point.unit)}" if point.is_whole else ""
    return f"{ends}, on the wire {wire}{steps}"


def _board_lines(desk: Desk, point: Point) -> list[Line]:
    board = desk.standings.board_of(point)
    if board is None:
        return [[("  a real board: its pins and parts can't be seen from here", PAPER)]]
    part = desk.standings.part_of(point)
    if part is not None and part.hangs_on:
        device = board.circuit.parts[part.hangs_on]
        does = "moves" if point.kind.is_output else "reads"
        return [
            [(f"  it {does} {_told(part, desk.now)}", PAPER)],
            [(f"  that hangs on {_told(device, desk.now)}", PAPER)],
        ]
    if isinstance(part, BusDevice | SpiChip):
        at = f"at 0x{part.address:02X} of its bus" if isinstance(part, BusDevice) else f"at chip {part.chip} of its bus"
        return [[(f"  {at}: {_told(part, desk.now)}", PAPER)]]
    pins = sorted(part.wires.values()) if part is not None and not point.modes() else list(point.modes())
    if not pins:
        keeps = "the board only keeps it" if point.kind.is_output else "the board tells it of itself"
        return [[(f"  no part is behind it: {keeps}", PAPER)]]
    lines: list[Line] = []
    for number in pins:
        pin, profile = board.circuit.pins[number], board.profile.pins[number]
        label = f" ({profile.label})" if profile.label else ""
        can = listed([mode.value for mode in profile.modes], "and")
        wired = board.circuit.wired_to(number)
        lines += [
            [(f"  pin {number}{label} is in mode {pin.mode.value}; it can {can}", PAPER)],
            [(f"  on it hangs {_told(wired[0], desk.now) if wired else 'nothing'}", PAPER)],
        ]
    return lines


def _told(part: Part, now: float) -> str:
    """A part: its name, what it is, how it stands."""
    return f"{part.name}, {with_article(part.kind)}: {plain(part.tells(now))}"


def _presence_lines(desk: Desk, point: Point) -> list[Line]:
    """Whether the board is there, and how it is, where it tells that itself."""
    presence = desk.standings.presence_of(point.board)
    if presence is None:
        return []
    words, is_bad = presence_words(presence, desk.now)
    lines: list[Line] = [[], [("the board says of itself", QUIET)], [(f"  {words}", CORAL if is_bad else PAPER)]]
    return [*lines, [(f"  {health_words(presence)}", PAPER)]] if presence.health else lines


def _nudge_words(point: Point) -> str:
    """Say what the keys that nudge do."""
    return f"a step of {point.show(point.step)}; with shift ten of them" if point.step else " and ".join(point.words)


def flip_words(point: Point) -> str:
    """Say what the key that flips does."""
    if point.kind is PointKind.PULSE:
        return "do it once more"
    return "hold it" if point.momentary else "flip between rest and full"


TYPED = {
    PointKind.PIXELS: ('"', "type a picture; ⏎ sets it"),
    PointKind.COLOUR: ('# "', "type a colour, or its name; ⏎ sets it"),
}


def _key_lines(desk: Desk, point: Point) -> list[Line]:
    if point.kind.is_output and point.kind.is_text:
        keys = [TYPED.get(point.kind, ('"', "type a text; ⏎ sets it")), ("u", "take the last wish back")]
    elif point.kind.is_output:
        keys = [
            ("←→", _nudge_words(point)),
            ("space", flip_words(point)),
            ("0–9", "type a value, with any unit that fits; ⏎ sets it"),
            ("u", "take the last wish back"),
        ]
    else:
        part = desk.standings.part_of(point)
        measures = part.measures if part is not None else ""
        act = (
            f"set {measures} out there"
            if measures
            else listed(part.actions if part else ()) or "nothing: the rig works it"
        )
        keys = [("space ←→ 0–9", f"these act on the outside world: {act}")]
    keys += [("F12", "sends every output of every board to rest, whatever runs")]
    return [[(f"  {key:14}", ASKED), (does, PAPER)] for key, does in keys]
