"""What became of the commands in a record, judged by the record alone: nothing of its bench runs any more."""

from __future__ import annotations

from collections.abc import Iterable

from cavet.bench._circumstances import SETTLING_SECONDS, Circumstances, judged_at
from cavet.bench._diagnosis import Diagnosis, diagnose
from cavet.bench._met import READY, Answering, Beginnings, Presences, Sessions
from cavet.benchfile import line_share
from cavet.benchfile._setup import OWN, Setup
from cavet.hosts import LONGEST_ANSWER, DevicePoint, Point
from cavet.record import Event, Kind, Topic, Trail, Trails

EVERY = 1 << 60
OF_SIMULATED = (Kind.BOARD, Kind.TAKEN, Kind.DRIVEN, Kind.MOVED)
"""Events that only a simulated board tells."""


class Evidence:
    """What a record tells of its boards: which were simulated, how the sessions with them stood last."""

    def __init__(self) -> None:
        self.simulated: set[str] = set()
        self.now = 0.0
        self._presences, self._answering, self._beginnings = Presences(), Answering(), Beginnings()
        self._sessions = Sessions()

    def note(self, event: Event) -> None:
        """Take in an event."""
        self.now = max(self.now, event.t)
        if event.kind is Kind.BOARD or event.kind is Kind.LINK:
            self._beginnings.note(event)
        if event.topic is Topic.SESSION and event.kind is Kind.LINK:
            self._sessions.note(event)
        elif event.kind in OF_SIMULATED:
            self.simulated.add(event.board)
        elif event.kind is Kind.LINK:
            self._presences.note(event)
        elif event.kind is Kind.BUS:
            self._answering.note(event)

    def circumstances(self, trail: Trail, setup: Setup | None, point: Point | None) -> Circumstances:
        """What a diagnosis needs to know besides the trail itself."""
        if setup is None or point is None or point.board not in setup.hosts:
            is_simulated = trail.root.board in self.simulated
            described = setup.boards.get(trail.root.board) if setup is not None else None
            return Circumstances(
                now=self.now, point=None, simulated=is_simulated, link_words="", patience=1.0,
                firmware=described.firmware if described is not None else "",
            )  # fmt: skip
        host = point.board
        of, board = setup.hosts[host], setup.board_of(host)
        parts = setup.boards[board].parts if board in setup.boards and board in self.simulated else {}
        profile = setup.boards[board].profile if board in setup.boards and board in self.simulated else None
        part = point.part or point.name
        state = self._sessions.states.get(host, READY)
        byte_seconds = setup.links[of.link].byte_seconds
        patience = of.settings.patience(byte_seconds)
        return Circumstances(
            now=self.now, point=point, simulated=board in self.simulated, waits=self.now - trail.latest.t <= patience,
            began_anew=self._beginnings.meets(board, trail.root.t, trail.latest.t + SETTLING_SECONDS),
            byte_seconds=byte_seconds, line_until=trail.latest.t + LONGEST_ANSWER * byte_seconds,
            line_share=line_share(setup, host) if trail.was_given_up else 0.0,
            not_set_up=self._beginnings.since_ready(board, host, trail.root.t),
            lost_at=self._sessions.lost_at(host), link_words=state, patience=patience,
            part=part if part in parts else "", part_kind=parts[part].kind if part in parts else "",
            device=of.devices.get(point.device) if isinstance(point, DevicePoint) else None,
            own_broker=setup.links[of.link].broker == OWN,
            here=self._presences.at(host, judged_at(trail, patience, self.now)),
            answering=self._answering.of(board, of.devices) if isinstance(point, DevicePoint) else (), profile=profile,
        )  # fmt: skip


class PastTrails:
    """Reads events, and tells how their trails stood when the record ended. Without a set-up less is known: then a
    command that just goes no farther is not called broken."""

    def __init__(self, setup: Setup | None) -> None:
        self._setup = setup
        self._trails = Trails(EVERY) if setup is None else Trails(EVERY, setup.parts_meant, setup.pins_meant)
        self._evidence = Evidence()

    def read(self, events: Iterable[Event]) -> PastTrails:
        """Read on."""
        self._trails.follow(self._noted(events))
        return self

    def _noted(self, events: Iterable[Event]) -> Iterable[Event]:
        for event in events:
            self._evidence.note(event)
            yield event

    @property
    def all(self) -> list[Trail]:
        """All of them, the oldest first."""
        return list(self._trails.all.values())

    def is_under_way(self, t: float) -> bool:
        """Whether a wish that began until then has not come to its end yet."""
        wishes = (trail for trail in self.all if trail.is_of_a_point and trail.root.t <= t)
        return any(not trail.complete and trail.stopped is None for trail in wishes)

    def point_of(self, trail: Trail) -> Point | None:
        """The point that a trail is of, where it is of one that is known."""
        return self._setup.point_of(trail) if self._setup is not None else None

    def diagnose(self, trail: Trail) -> Diagnosis:
        """Say how a trail stood at the end."""
        before = self._trails.all.get(trail.stands_as) if trail.stands_as is not None else None
        around = self._evidence.circumstances(trail, self._setup, self.point_of(trail))
        return diagnose(trail, around, self.diagnose(before) if before is not None else None)
