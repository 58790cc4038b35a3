"""Making a fault at a running bench, at once: at a link, at a bus, at a board."""

from __future__ import annotations

from collections.abc import Sequence
from math import inf

from cavet.bench._board_side import BoardSide
from cavet.bench._meddling import FAULTS, ON_LINKS, Meddled
from cavet.bench._traffic import Traffic
from cavet.benchfile._setup import BoardSetup, LinkSetup, Setup
from cavet.boards import KINDS, Board
from cavet.boards.buses import BusDevice
from cavet.boards.firmware import ModbusFirmware
from cavet.record import Kind, Record, Topic
from cavet.units import finite
from cavet.wording import WrongError, listed, nearest, unknown

HOW_MANY = "how many messages, 1 or more"


def needed_for(kind: str, board: BoardSetup, links: Sequence[LinkSetup], part: str = "") -> WrongError | None:
    """What a fault needs that a board with these links has not got; `None` where it can be made there."""
    if kind == "refuse" and board.firmware != "modbus":
        return WrongError("fault", found=f"refuse at {board.name}", expected="a board that can refuse: modbus")
    if kind == "hang-up" and len(links) == 1 and links[0].kind == "serial" and links[0].served == "device":
        expected = "another link: a device file can't be hung up"
        return WrongError("fault.link", found=links[0].name, expected=expected)
    devices = [name for name, settings in board.parts.items() if issubclass(KINDS[settings.kind], BusDevice)]
    if kind == "nack" and (not devices or (part and part not in devices)):
        return unknown("fault.part", part or board.name, devices, none="a board with a bus")
    return None


class Faulting:
    """Makes faults at the boards of a bench."""

    def __init__(self, setup: Setup, side: BoardSide, traffic: dict[str, Traffic], record: Record) -> None:
        self._setup = setup
        self._side = side
        self._traffic = traffic
        self._record = record

    def make(
        self, kind: str, board: str, link: str = "", part: str = "", *, messages: int | None = None,
        seconds: float | None = None, by: float | None = None,
    ) -> None:  # fmt: skip
        """Make a fault: for so many messages, or for so many seconds; for one message where neither is said. Raises
        `WrongError`."""
        if kind not in FAULTS:
            raise unknown("fault", kind, FAULTS)
        boards, board = self._side.world.boards, self._setup.board_of(board)
        if board not in boards:
            known = listed(boards)
            raise WrongError("fault.board", found=board, expected=f"one of {known}", nearest=nearest(board, boards))
        if messages is not None and not finite(messages, "fault.messages", HOW_MANY, 1.0).is_integer():
            raise WrongError("fault.messages", found=messages, expected=HOW_MANY)
        for key, span in (("seconds", seconds), ("by", by)):
            if span is not None:
                finite(span, f"fault.{key}", "0 s or more", 0.0)
        now = self._side.clock.now()
        fault = Meddled(kind)
        fault.left = messages if messages is not None else (inf if seconds is not None else 1)
        fault.until = now + seconds if seconds is not None else inf
        if by is not None:
            fault.by = by
        served = boards[board]
        links = self._links(board, link) if kind in (*ON_LINKS, "hang-up") else []
        if needed := needed_for(kind, self._setup.boards[board], links, part):
            raise needed
        if kind in ON_LINKS:
            for setup in links:
                for traffic in self._of(setup):
                    traffic.meddling.add(fault)
        elif kind == "hang-up":
            self._hang_up(links)
        elif kind == "reset":
            self._side.world.restart(board)
        elif kind == "nack":
            self._nack(served, part, fault)
        else:
            assert isinstance(served.firmware, ModbusFirmware)  # `needed_for` has looked
            served.firmware.is_busy = fault.takes
        words = f"{kind}, a fault that was asked for"
        self._record.append(Kind.REMARK, board, Topic.BOARD, board, None, None, words)
        self._side.turn()

    def _links(self, board: str, link: str) -> list[LinkSetup]:
        of_board = {each.name: each for each in self._setup.links.values() if each.board == board}
        fitting = [each for each in of_board.values() if link in ("", each.name, each.kind)]
        if not fitting:
            known = listed(of_board)
            raise WrongError("fault.link", found=link, expected=f"one of {known}", nearest=nearest(link, of_board))
        return fitting

    def _of(self, link: LinkSetup) -> list[Traffic]:
        """What passes on a link; on a broker, what its board says and hears there."""
        if link.broker:
            found = self._traffic.get(f"{link.name}/station")
            if found is None:
                raise WrongError(
                    "fault", found=link.name, expected="a link of the board's own: others share the broker's"
                )
            return [found]
        return [self._traffic[link.name]]

    def _hang_up(self, links: list[LinkSetup]) -> None:
        names = [link.name for link in links]
        for visit in list(self._side.visits.values()):
            if visit.link in names:
                visit.hang_up()

    def _nack(self, board: Board, part: str, fault: Meddled) -> None:
        before = board.circuit.bus.is_unheard

        def is_unheard(name: str, now: float) -> bool:
            return before(name, now) or ((not part or name == part) and fault.takes(now))

        board.circuit.bus.is_unheard = is_unheard
