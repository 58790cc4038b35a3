"""What became of a frame: the trail that it belongs to."""

from __future__ import annotations

from cavet.bench import LinkTape, Placed, Standings
from cavet.drawings.canvas import ASKED, CORAL, GOT, HEATHER, PAPER, QUIET
from cavet.protocols import Frame
from cavet.record import STAGES, Event, Kind, Record, Trail
from cavet.units import show_duration
from cavet.workbench.drawing.under import Pieces

BACK, FORTH = 600, 60
"""So many events before and behind a transfer are looked through for the frame."""
CARRIES = (Kind.FRAMED, Kind.CARRIED, Kind.TAKEN, Kind.TOLD)


def trail_of(standings: Standings, record: Record, on: LinkTape, number: int, frame: Frame, board: str) -> Trail | None:
    """The trail that a frame of a tape is on, by the event that tells of it; `None` where there is none."""
    event = _event_of(record, board, on.told(number, frame, record), on.event_at(number, record))
    at = event.number if event is not None else None
    while at is not None:
        if at in standings.trails.all:
            return standings.trails.all[at]
        at = record[at].cause if at >= record.first else None
    return None


def _event_of(record: Record, board: str, told: bytes, at: int) -> Event | None:
    """The event that tells these bytes, near where the record stood when they passed; `None` where there is none."""
    first, last = max(record.first, at - BACK), min(len(record), at + FORTH)
    places = sorted(range(first, last), key=lambda place: abs(place - at))
    for place in places:
        event = record[place]
        carries = event.kind in CARRIES and isinstance(event.value, bytes) and told in event.value
        if carries and (event.board == board or not board):
            return event
    return None


def fate_of(standings: Standings, trail: Trail) -> Pieces:
    """A trail in a line, from the wire on: each stage that was reached, with the time to the next; in the order of
    their times, since a board may confirm before its part has arrived."""
    diagnosis = standings.diagnose(trail)
    pieces: list[tuple[str, object]] = [("what became of it  ", QUIET)]
    reached = [(stage, event) for stage in STAGES[2:] if (event := trail.reached(stage)) is not None]
    reached.sort(key=lambda one: one[1].t)
    for place, (stage, event) in enumerate(reached):
        if place:
            gap = event.t - reached[place - 1][1].t
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
