"""What became of a frame: the trail that it belongs to."""

from __future__ import annotations

from cavet.bench import Placed, Standings
from cavet.drawings.canvas import ASKED, CORAL, GOT, HEATHER, PAPER, QUIET
from cavet.protocols import Frame
from cavet.record import STAGES, Event, Kind, Record, Trail
from cavet.units import show_duration
from cavet.workbench.drawing.under import Pieces

BACK, FORTH = 600, 60
"""So many events before and behind a transfer are looked through for the frame."""
CARRIES = (Kind.FRAMED, Kind.CARRIED, Kind.TAKEN, Kind.TOLD)


def event_of(record: Record, board: str, frame: Frame, at: int) -> Event | None:
    """The event that tells of a frame, near where the record stood when it passed; `None` where there is none."""
    first, last = max(record.first, at - BACK), min(len(record), at + FORTH)
    places = sorted(range(first, last), key=lambda place: abs(place - at))
    for place in places:
        event = record[place]
        carries = event.kind in CARRIES and isinstance(event.value, bytes) and frame.data in event.value
        if carries and (event.board == board or not board):
            return event
    return None


def trail_of(standings: Standings, record: Record, event: Event) -> Trail | None:
    """The trail that an event is on."""
    number: int | None = event.number
    while number is not None:
        if number in standings.trails.all:
            return standings.trails.all[number]
        if number < record.first:
            return None
        number = record[number].cause
    return None


def fate_of(standings: Standings, trail: Trail) -> Pieces:
    """A trail in a line, from the wire on: each stage that was reached, with the time to the next."""
    diagnosis = standings.diagnose(trail)
    pieces: list[tuple[str, object]] = [("what became of it  ", QUIET)]
    reached = [(stage, event) for stage in STAGES[2:] if (event := trail.reached(stage)) is not None]
    for place, (stage, event) in enumerate(reached):
        if place:
            gap = max(0.0, event.t - reached[place - 1][1].t)
            pieces.append((f" ── {show_duration(gap)} ── ", HEATHER))
        glyph, ink = ("◇ ", ASKED) if stage in STAGES[:3] else ("◆ ", GOT)
        pieces.append((f"{glyph}{stage}", ink))
        if stage == Kind.MOVED and event.note:
            pieces.append((f" {event.note}", PAPER))
    if diagnosis.broken is not None:
        pieces.append((f"  ✕ stopped before {diagnosis.broken}", CORAL))
    return tuple(pieces)  # type: ignore[arg-type]


def answered(placed: Placed, partner: Placed | None) -> Pieces:
    """What a frame answers, or is answered by."""
    if partner is None:
        return ()
    asks = placed.begin <= partner.begin
    gap = partner.begin - placed.end if asks else placed.begin - partner.end
    words = "answered by " if asks else "answers "
    return (
        (words, QUIET),
        (partner.name, PAPER),
        (f"  {show_duration(max(0.0, gap))}", HEATHER),
        ("   t goes there", QUIET),
    )
