"""From the bench to the list of points: plain values, made anew at each look."""

from __future__ import annotations

from cavet import units
from cavet.bench import Standing
from cavet.hosts import Asked, Point, PointKind
from cavet.record import Kind, Trail
from cavet.units import show_duration
from cavet.wording import plain
from cavet.workbench.courses import Course
from cavet.workbench.desk import Desk
from cavet.workbench.drawing.rails import CourseView, HeadView, LineView, RailsView, RailView
from cavet.workbench.presence import presence_words, show_seconds
from cavet.workbench.roster import Head, Line
from cavet.workbench.typed import Typed

ROUGH_STEP = 0.2
"""Where a wire can't tell less than this apart, no places behind the point are shown of what came over it."""
WAVERS = 10
"""A reading wavers by some steps of its wire, which nobody wants to see; what was asked for does not."""
RECENT_SECONDS = 60.0
NEAR_LINES = 150
"""More lines than this, to either side of the cursor, are in no window."""
ASTRAY_SECONDS = 2.0
"""A difference that lasts longer, with nothing on its way, is a fault."""


def rails_view(
    desk: Desk, cursor: int, *, entry: Typed | None = None, search: str | None = None, typing: bool = False
) -> RailsView:
    """The list of points, with a head for each board where there are several."""
    lines = tuple(
        _line(desk, line, entry if place == cursor else None)
        if abs(place - cursor) <= NEAR_LINES or isinstance(line, Head)
        else _far_line(desk, line)
        for place, line in enumerate(desk.roster.lines())
    )
    return RailsView(lines=lines, cursor=min(cursor, max(0, len(lines) - 1)), search=search, typing=typing)


def _far_line(desk: Desk, point: Point) -> LineView:
    """One that no window is high enough to show: as it was made once, since only its name and its kind matter."""
    if point.name not in desk.far_lines:
        desk.far_lines[point.name] = _line(desk, point, None)
    return desk.far_lines[point.name]


def _line(desk: Desk, line: Line, entry: Typed | None) -> LineView:
    if isinstance(line, Head):
        return _head(desk, line.board)
    return _rail(desk, line, entry) if line.kind.is_output else _course(desk, line, entry)


def _head(desk: Desk, board: str) -> HeadView:
    """How a board stands, at a glance."""
    link = desk.bench.host_links[board]
    points = desk.roster.points_of(board)
    readings = link.session.readings
    presence = desk.standings.presence_of(board)
    words, is_bad = plain(link.stands), not link.ready
    if fault := desk.bench.fault_of(board):
        words, is_bad = plain(f"stopped by a fault, F2 starts it again: {fault}"), True
    elif link.ready and desk.has_tripped(board) and any(map(desk.following.astray, points)):
        words, is_bad = "its failsafe has put its outputs to rest: its host was silent", True
    elif presence is not None and link.ready:
        words, is_bad = presence_words(presence, desk.now)
    active = [
        (point.name, point.show(readings[point.name].asked))
        for point in points
        if point.kind.is_output
        and point.kind is not PointKind.PULSE
        and readings[point.name].asked not in (None, point.rest)
    ]
    unseen = [desk.standings.trails.all[number] for number in desk.unseen()]
    return HeadView(
        name=board,
        words=words,
        is_bad=is_bad,
        folded=desk.roster.is_folded(board),
        active=tuple(active),
        count=len(points),
        broken=sum(_is_of(desk, trail, board) for trail in unseen),
    )


def _is_of(desk: Desk, trail: Trail, host: str) -> bool:
    """Whether a trail is a host's own, or one of others at its board."""
    point = desk.bench.setup.point_of(trail)
    return point.board == host if point is not None else trail.root.board == desk.bench.setup.board_of(host)


def _rail(desk: Desk, point: Point, entry: Typed | None) -> RailView:
    standing = desk.standing(point)
    stopped = standing.diagnosis is not None and standing.diagnosis.broken is not None
    astray = desk.following.astray(point)
    broken = stopped or astray > ASTRAY_SECONDS
    zero = 0.5 if point.kind is PointKind.BRIDGE else None
    return RailView(
        name=point.name,
        is_switch=point.kind is PointKind.SWITCH,
        is_text=point.kind.is_text,
        is_colour=point.kind is PointKind.COLOUR,
        share_asked=share_of(point, standing.asked),
        share_got=share_of(point, standing.got),
        asked=point.show(standing.asked),
        got=rounded(point, standing.got),
        notes=_rail_notes(standing, stopped, astray, tripped=desk.has_tripped(point.board)),
        agreed=standing.agrees or _is_untold(standing),
        broken=broken,
        words=point.words,
        zero=zero,
        entry=entry,
        is_old=standing.age is not None,
    )


def _rail_notes(standing: Standing, stopped: bool, astray: float, *, tripped: bool) -> tuple[str, ...]:
    """What there is to say of an output, in a few words, and in fewer."""
    if stopped:
        return ("broken",)
    if astray > ASTRAY_SECONDS:
        return ("by its failsafe", "failsafe") if tripped else (f"for {astray:.0f} s",)
    if standing.left is not None:
        return (show_duration(standing.left),)
    if standing.age is not None:
        return (old(standing.age), "old")
    if standing.refusal:
        return ("can't",)
    if standing.wanted is not None:
        return (
            f"limit, not {standing.point.show(standing.wanted)}",
            f"not {standing.point.show(standing.wanted)}",
            "limited",
        )
    if _is_untold(standing):
        return ("unseen" if standing.trail is not None and standing.trail.reached(Kind.MOVED) is None else "",)
    return ("differs" if standing.remark else "",)


def _is_untold(standing: Standing) -> bool:
    """Whether all was done that was asked, and nobody tells how it stands."""
    return standing.got is None and standing.diagnosis is not None and standing.diagnosis.is_over


def old(seconds: float) -> str:
    """Say how old something is."""
    return f"{show_seconds(seconds)} old"


def share_of(point: Point, value: Asked | None) -> float | None:
    """Where a value stands on a point's rail, 0 to 1."""
    if value is None or point.kind.is_text:
        return None
    if point.kind.is_switch:
        return float(bool(value))
    return min(1.0, max(0.0, (float(value) - point.low) / (point.high - point.low)))


def rounded(point: Point, value: Asked | None) -> str:
    """Print what was got no finer than the wire can tell apart."""
    if value is None or point.kind.is_switch or point.kind.is_text:
        return point.show(value)
    step = point.grain(float(value))
    if step >= ROUGH_STEP:
        return units.show(float(value), point.unit, 0)
    grain = step if point.kind.is_output else WAVERS * step
    return units.show(float(value), point.unit, max(1, units.places(grain)))


def _course(desk: Desk, point: Point, entry: Typed | None) -> CourseView:
    course = desk.following.courses[point.name]
    reading = desk.bench.reading(point)
    got = reading.got
    age = desk.standings.age(point)
    text = point.show(got) if point.kind.is_switch else rounded(point, got)
    slots = places_of(point, course)
    return CourseView(
        name=point.name,
        is_contact=point.kind is PointKind.CONTACT,
        is_text=point.kind.is_text,
        got=text,
        note=old(age) if age is not None else reading.refusal or _course_note(desk, point),
        is_old=age is not None,
        course=slots,
        entry=entry,
    )


def places_of(point: Point, course: Course) -> tuple[tuple[float, float] | None, ...]:
    """A course as places, 0 to 1, of the least and the most in each of its slots."""
    if point.kind.is_switch:
        return tuple(course.slots())
    low, span = point.low, point.high - point.low
    return tuple([slot and ((slot[0] - low) / span, (slot[1] - low) / span) for slot in course.slots()])


def _course_note(desk: Desk, point: Point) -> str:
    course = desk.following.courses[point.name]
    if point.kind in (PointKind.CONTACT, PointKind.WORDS):
        if course.changed_at is None or desk.now - course.changed_at > RECENT_SECONDS:
            return ""
        return f"changed {desk.now - course.changed_at:.0f} s ago"
    rate = course.rate()
    if rate is None or abs(rate) < abs(point.high - point.low) / 300:
        return ""
    per_second = f"{point.unit}/s" if point.unit else "a second"
    return f"{'rising' if rate > 0 else 'falling'} {units.show(abs(rate), per_second)}"
