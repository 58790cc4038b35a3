"""How points stand: what was asked, and what the board got to; belief and truth side by side, to be looked at."""

from __future__ import annotations

from math import inf

import msgspec

from cavet.bench._circumstances import SETTLING_SECONDS, Circumstances, judged_at
from cavet.bench._diagnosis import Diagnosis, diagnose
from cavet.bench._met import Beginnings, Presences, Sessions
from cavet.bench._running import RunningBench
from cavet.benchfile import line_share
from cavet.benchfile._setup import OWN
from cavet.boards import Board, BoardState
from cavet.boards.parts import ColourLamp, Part, Sign
from cavet.hosts import (
    ON_SPI,
    Asked,
    DevicePoint,
    DeviceSession,
    DeviceSettings,
    MqttSession,
    PinPoint,
    Point,
    PointKind,
    Presence,
)
from cavet.record import Event, Kind, Trail, Trails

JUDGED_SECONDS = 1.0
"""So long what was found of a broken trail is taken for granted, unless something new is heard of it."""


MOST_FORGOTTEN = 1000
"""So many trails that are no longer kept may still be known as they stood."""


class Standing(msgspec.Struct, frozen=True):
    """One point as it stands. `left` is the time in seconds that the part still needs."""

    point: Point
    asked: Asked | None
    got: Asked | None
    left: float | None = None
    trail: Trail | None = None
    diagnosis: Diagnosis | None = None
    refusal: str = ""
    remark: str = ""
    age: float | None = None
    """How old what was got is, in seconds, where nothing can tell how it stands now."""
    wanted: Asked | None = None
    """What was wanted, where that lay outside the limits."""
    agreed: bool = False
    """Whether the host holds what it read back for what it asked."""

    @property
    def agrees(self) -> bool:
        """Whether what was got is what was asked, as far as the wire can tell."""
        point, asked, got = self.point, self.asked, self.got
        if asked is None or got is None:
            return asked is got or asked is None
        return self.agreed or point.same(asked, got)


class Standings:
    """Follows a bench's record, and tells how its points and trails stand now."""

    def __init__(self, bench: RunningBench) -> None:
        self._bench = bench
        self.trails = Trails(parts=bench.setup.parts_meant, pins=bench.setup.pins_meant)
        self._live: set[int] = set()
        """The trails that are not known to have ended well."""
        self._known_broken: dict[int, tuple[float, int, Diagnosis]] = {}
        """Of those that were found broken: when, after how many changes of theirs, and how."""
        self._settled: dict[int, tuple[int, Diagnosis]] = {}
        """Of those of which nothing more was to come: after how many changes of theirs, and how they stood."""
        self._presences, self._beginnings, self._sessions = Presences(), Beginnings(), Sessions()

    def follow(self) -> list[Event]:
        """Read on in the record; give what is new."""
        events = self._bench.record.since(self.trails.next)
        self.trails.follow(events)
        for event in events:
            if event.kind is Kind.LINK:
                self._presences.note(event)
                self._beginnings.note(event)
                self._sessions.note(event)
            elif event.kind is Kind.BOARD:
                self._beginnings.note(event)
        self._live.update(event.number for event in events if event.number in self.trails.all)
        return events

    def board_of(self, point: Point) -> Board | None:
        """The simulated board that a point is on; `None` for a real one."""
        host = self._bench.setup.hosts[point.board]
        return self._bench.world.boards.get(self._bench.setup.links[host.link].board)

    def part_of(self, point: Point) -> Part | None:
        """The part that a point is meant to move or to sense, where it is simulated."""
        board = self.board_of(point)
        return board.circuit.parts.get(point.part or point.name) if board else None

    def standing(self, point: Point) -> Standing:
        """How one point stands."""
        link = self._bench.link_of(point)
        reading = link.session.readings[point.name]
        part = self.part_of(point)
        got = reading.got
        if part is not None and point.kind.is_output:
            got = self._truth(point, part, got)
        age = self.age(point)
        if not link.held:  # another program asks now, and its points are not known
            return Standing(point, None, got, age=age)
        trail = self.trails.all.get(reading.trail) if reading.trail is not None else None
        diagnosis = self.diagnose(trail) if trail is not None else None
        left = None
        if (
            trail is not None
            and trail.moving is not None
            and trail.reached(Kind.MOVED) is None
            and trail.stopped is None
        ):
            left = max(0.0, trail.moving.t + float(trail.moving.value or 0) - self._bench.clock.now())
        agreed = reading.agreed and got == reading.got
        return Standing(
            point, reading.asked, got, left, trail, diagnosis, reading.refusal, reading.remark,
            age, reading.wanted, agreed,
        )  # fmt: skip

    def age(self, point: Point) -> float | None:
        """How old what is known of a point is, where its link is not there to tell more; `None` where it is, or where
        a simulated part shows how it stands."""
        reading = self._bench.reading(point)
        if reading.got is None or self._bench.is_ready(point.board):
            return None
        part = self.part_of(point)
        if part is not None and point.kind.is_output and self._truth(point, part, None) is not None:
            return None
        return self._bench.clock.now() - reading.got_at

    def _truth(self, point: Point, part: Part, read_back: Asked | None) -> Asked | None:
        """Where a part stands, in the point's own terms. What a level behind a register or a header does to a part
        depends on more than that level; there what was read back stands for it."""
        if point.kind is PointKind.TEXT and isinstance(part, Sign):
            return part.shows(self._bench.clock.now())
        if point.kind is PointKind.COLOUR and isinstance(part, ColourLamp):
            return part.colour
        if shows_itself(point, part):
            return point.from_wire(part.stands_as(self._bench.clock.now()))
        return read_back

    def presence_of(self, host: str) -> Presence | None:
        """What is known of whether a board is there; `None` where what it speaks does not tell."""
        session = self._bench.host_links[host].session
        return session.presence if isinstance(session, MqttSession) and session.follows_presence else None

    def _judged(self, trail: Trail) -> Diagnosis:
        """How a trail stands; one that is broken, and of which nothing new was heard, is not judged anew each time."""
        upto = self.trails.changes_of(trail)
        t, known, diagnosis = self._known_broken.get(trail.number, (-inf, upto, None))
        if diagnosis is None or known != upto or self._bench.clock.now() - t > JUDGED_SECONDS:
            diagnosis = self.diagnose(trail)
            if diagnosis.broken is not None:
                self._known_broken[trail.number] = self._bench.clock.now(), upto, diagnosis
        return diagnosis

    def diagnose(self, trail: Trail) -> Diagnosis:
        """Say how a trail stands, stage by stage. What was found once nothing more was to come of it stays so, whatever
        has become of its board since."""
        upto = self.trails.changes_of(trail)
        known, diagnosis = self._settled.get(trail.number, (-1, None))
        if diagnosis is not None and known == upto:
            return diagnosis
        before = self.trails.all.get(trail.stands_as) if trail.stands_as is not None else None
        left_by = self.diagnose(before) if before is not None else None
        found = diagnose(trail, self._circumstances(trail), left_by)
        if _is_settled(found) and (left_by is None or _is_settled(left_by)) and self._has_settled(trail, found):
            self._settle(trail, upto, found)
        return found

    def _has_settled(self, trail: Trail, found: Diagnosis) -> bool:
        """Whether nothing is expected any more that tells more of it: it does not wait for its turn, and what has ended
        it may have come of something that was told behind it."""
        if trail.stopped is None and found.broken is Kind.FRAMED:
            return False
        since = trail.stopped.t if trail.stopped is not None else trail.latest.t
        return found.broken is None or self._bench.clock.now() > since + SETTLING_SECONDS

    def _settle(self, trail: Trail, upto: int, found: Diagnosis) -> None:
        """Keep what was found, as long as the trail is kept."""
        if len(self._settled) > 2 * len(self.trails.all) + MOST_FORGOTTEN:
            self._settled = {number: of for number, of in self._settled.items() if number in self.trails.all}
        if trail.number in self.trails.all:
            self._settled[trail.number] = upto, found

    def _circumstances(self, trail: Trail) -> Circumstances:
        bench = self._bench
        now = bench.clock.now() - bench.clock.away_since(trail.latest.t)  # while nobody is here, nothing gets late
        point = bench.setup.point_of(trail)
        board = bench.world.boards.get(trail.root.board)
        profile = board.profile if board is not None else None
        described = bench.setup.boards.get(trail.root.board)
        link = bench.host_links.get(point.board) if point is not None else None
        if point is None or link is None:
            return Circumstances(
                now=now,
                point=point,
                simulated=board is not None,
                link_words="",
                patience=1.0,
                profile=profile,
                firmware=described.firmware if described is not None else "",
            )
        patience = link.setup.settings.patience(link.link.byte_seconds)
        return Circumstances(
            now=now,
            point=point,
            simulated=board is not None,
            lost_at=inf if link.ready else self._sessions.lost_at(point.board, 0.0),
            link_words=link.words,
            waits=link.session.is_busy(bench.clock.now()),
            is_to_be_said=link.session.is_to_be_said(point.name),
            began_anew=self._beginnings.meets(link.link.board, trail.root.t, trail.latest.t + SETTLING_SECONDS),
            not_set_up=self._beginnings.since_ready(link.link.board, point.board, trail.root.t),
            patience=patience,
            byte_seconds=link.link.byte_seconds,
            line_share=line_share(bench.setup, point.board) if trail.was_given_up else 0.0,
            line_until=link.session.said_until,
            here=self._presences.at(point.board, judged_at(trail, patience, bench.clock.now())),
            own_broker=link.link.broker == OWN,
            fault=bench.fault_of(point.board),
            board_runs=board is None or board.state is BoardState.RUNNING,
            device=self._device_of(point),
            held_by=self._held_by(point),
            answering=self._answering(point),
            part=part.name if (part := self.part_of(point)) is not None else "",
            part_kind=part.kind if part is not None else "",
            profile=profile,
        )

    def _device_of(self, point: Point) -> DeviceSettings | None:
        """The device on a bus that a point is at."""
        return (
            self._bench.setup.hosts[point.board].devices.get(point.device) if isinstance(point, DevicePoint) else None
        )

    def _held_by(self, point: Point) -> str:
        """What a wish at a device waits for."""
        session = self._bench.link_of(point).session
        if isinstance(point, DevicePoint) and isinstance(session, DeviceSession):
            return session.what_holds(point)
        return ""

    def _answering(self, point: Point) -> tuple[str, ...]:
        """What answers on a point's bus, each with its address."""
        if not isinstance(point, DevicePoint):
            return ()
        board = self.board_of(point)
        if board is not None:
            there = [(device.address, device.name) for device in board.circuit.devices if device.answers]
        else:
            devices = self._bench.setup.hosts[point.board].devices
            session = self._bench.link_of(point).session
            known = session.answering if isinstance(session, DeviceSession) else []
            there = [(devices[name].address, name) for name in known if devices[name].kind not in ON_SPI]
        return tuple(f"0x{address:02X} ({name})" for address, name in sorted(there))

    def broken(self) -> list[tuple[Trail, Diagnosis]]:
        """All trails that are broken, the newest first; not those for which nothing was sent, where the one that has
        left its part so is broken itself."""
        found = []
        for number in list(self._live):
            trail = self.trails.all.get(number)
            if trail is None:
                self._live.discard(number)
                self._known_broken.pop(number, None)
                continue
            diagnosis = self._judged(trail)
            if diagnosis.broken is not None and trail.stands_as is None:
                found.append((trail, diagnosis))
            elif diagnosis.broken is not None:
                self._live.discard(number)
            elif diagnosis.is_over:
                self._live.discard(number)
                self._known_broken.pop(number, None)
        return sorted(found, key=lambda pair: -pair[0].number)


def _is_settled(diagnosis: Diagnosis) -> bool:
    """Whether nothing more is to come of a trail."""
    return diagnosis.broken is not None or diagnosis.is_over


def shows_itself(point: Point, part: Part) -> bool:
    """Whether where its part stands is in what a point is asked in: what a level behind a register or a header, or at
    a second wire, does to a part depends on more than that level."""
    return point.kind.is_switch or (isinstance(point, PinPoint) and part.stands_by(point.pin))
