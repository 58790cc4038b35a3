"""A board: a circuit, the firmware that works it, and the link's side of its life: it boots, hears, and speaks."""

from __future__ import annotations

import random
from enum import Enum
from math import inf

from cavet.boards._circuit import Circuit
from cavet.boards._pins import Pin
from cavet.boards._profile import Profile
from cavet.boards._reflex import Reflex, Reflexes
from cavet.boards._rules import Rule, Rules
from cavet.boards._running import Carried, Client, Firmware, Outgoing
from cavet.boards.defects import Defect, Spoiled
from cavet.faults import Fault
from cavet.protocols import Seams
from cavet.record import Kind, Reason, Tell, Topic
from cavet.units import show
from cavet.wording import counted


class BoardState(Enum):
    """How a board stands towards its link."""

    SHUT = "shut"
    DEAF = "boots"
    RUNNING = "runs"
    FAILED = "has failed"
    """Something in it raised: it does nothing until it is started again."""


GRACE_SECONDS = 0.2
"""So long a host has at least to go on, where nobody was there for a while."""
PICKED_UP = (0.001, 0.04)
"""How long a pin that nothing holds keeps what it has picked up, in s, least and most: near the mains' half period."""


class Board:
    """A simulated board and its links. `failsafe` is after how long a silence its outputs go to rest, 0 for never."""

    def __init__(
        self, name: str, circuit: Circuit, firmware: Firmware, tell: Tell, *, failsafe: float = 0.0,
        reflexes: list[Reflex] | None = None, seed: str = "",
    ) -> None:  # fmt: skip
        self.name = name
        self.circuit = circuit
        self.firmware = firmware
        self.state = BoardState.SHUT if circuit.profile.resets else BoardState.DEAF
        self.wake = 0.0
        """When it wants to be advanced next: at once when it was touched."""
        self.may_speak = True
        """Whether it may have something to say since that was taken: it has been touched, or advanced."""
        self.fault: Fault | None = None
        self.spoiled = Spoiled()
        """What its defects make wrong, as they are switched now."""
        self._tell = tell
        self._failsafe = failsafe
        self._reflexes = Reflexes(reflexes or [], circuit, tell)
        self._rules = Rules(circuit, tell)
        self._follows = False
        """Whether it follows rules of its own: also while nobody has opened its link, but not while it boots."""
        self._is_ruled = False
        """Whether it has any that it follows just now."""
        self._quiet_at = inf
        self._chance = random.Random(f"{seed}/{name}/floating")
        self._picks_up_at = inf
        """When pins that nothing holds pick up something else."""
        self._due_besides = inf
        """When something else than its firmware is due."""
        self._boots_at = inf if circuit.profile.resets else circuit.profile.boot
        self._clients: dict[Client, Seams] = {}
        self._kept: list[Outgoing] = []
        """What it has said on its links while what it says to another board was taken."""

    @property
    def profile(self) -> Profile:
        """What kind of board it is."""
        return self.circuit.profile

    def opened(self, client: Client, now: float) -> None:
        """A link was opened: that may reset it, and it is deaf while it boots."""
        self.wake = now
        self.may_speak = True
        self._clients[client] = Seams()
        if not self.profile.resets or self.fault:
            if self.state is BoardState.RUNNING:
                self.firmware.joined(client, now)
            return
        self._begin_anew(now, None, "its link was opened")

    def _begin_anew(self, now: float, cause: int | None, words: str) -> None:
        """As after power-on; the programs at its links stay there."""
        self.circuit.reset(now)
        self.state = BoardState.DEAF
        self._follows = False
        self._boots_at = now + self.circuit.pace * self.profile.boot
        self._quiet_at = inf
        self.firmware.take_out()
        self.firmware.was_reset(now)
        self._tell(Kind.BOARD, Topic.BOARD, self.name, "reset", cause, words)

    def closed(self, client: Client, now: float, carried: Carried | None = None) -> None:
        """A link was shut, over which something was `carried`; it keeps its outputs as they are, unless it has a
        failsafe."""
        self.wake = now
        self.may_speak = True
        seams = self._clients.pop(client)
        if self.state is BoardState.RUNNING and carried is not None:
            self._tell_unfinished(self.firmware.unfinished(client), seams, carried)
        self.firmware.left(client, now)
        if self.profile.resets and not self._clients and not self.fault:
            self.state = BoardState.SHUT
            self._boots_at = inf
            self.firmware.take_out()

    def _tell_unfinished(self, data: bytes, seams: Seams, carried: Carried) -> None:
        """The program has gone in the middle of a message."""
        if data:
            cause = carried(seams.end, data)
            are = "byte is" if len(data) == 1 else "bytes are"
            note = f"{len(data)} {are} no whole message: the program has left"
            self._tell(Kind.LOST, Topic.BYTES, str(len(data)), data, cause, note, reason=Reason.UNFINISHED)

    def feed(self, client: Client, data: bytes, offset: int, now: float, carried: Carried) -> None:
        """Bytes have arrived, the first of them at `offset` in the link's stream. While it boots they are lost."""
        if self.state is not BoardState.RUNNING:
            if not self.firmware.heeds(client, data, now):
                return
            note = f"{counted(len(data), 'byte')} not heard: the board {self.state.value}"
            self._tell(
                Kind.LOST,
                Topic.BYTES,
                str(len(data)),
                data,
                carried(offset + len(data), data),
                note,
                reason=Reason.NOT_HEARD,
            )
            return
        self.may_speak = True
        seams = self._clients[client]
        seams.add(offset, len(data))
        firmware = self.firmware
        firmware.feed(client, data, now, lambda frame: carried(seams.in_stream(frame.end), frame.data))
        if self._failsafe:
            self._quiet_at = now + self.circuit.pace * self._failsafe
        if self._failsafe or self._is_ruled or not firmware.is_done:
            self.wake = now

    def was_away(self, now: float, seconds: float) -> None:
        """Time has passed in which nobody was there, since the program was stopped, say: no host was silent meanwhile,
        and has a little time to go on."""
        self.firmware.was_away(seconds)
        if self._quiet_at < inf:
            grace = min(GRACE_SECONDS, self.circuit.pace * self._failsafe)
            self._quiet_at = max(self._quiet_at + seconds, now + grace)

    def levels_changed(self, pins: list[Pin], now: float) -> None:
        self.wake = now
        self.may_speak = True
        if self.state is BoardState.RUNNING:
            self.firmware.levels_changed(pins, now)
        if self._follows:
            self._reflexes.levels_changed(pins, now)
            self._rules.levels_changed(pins, now)

    def stop(self, now: float) -> None:
        """It is switched off in good order."""
        self.may_speak = True
        if self.state is BoardState.RUNNING:
            self.firmware.stop(now)

    def follow_rules(self, rules: list[Rule], now: float) -> None:
        """Follow these rules besides its reflexes, and no others, from now on; also after it is started again."""
        self.wake = now
        self._rules.give(rules, now)

    def fail(self, words: str, now: float, cause: int) -> None:
        """Something in it has raised: its outputs go to rest, as far as they can, and nothing more is done by it."""
        self.fault = Fault(words, now)
        self.state = BoardState.FAILED
        self._follows = False
        self._boots_at = self._quiet_at = self.wake = inf
        self._kept.clear()
        self.circuit.rest(now, cause)

    def restart(self, now: float) -> None:
        """Begin anew, as after power-on; the programs at its links stay there."""
        self.fault = None
        self.wake = now
        self._begin_anew(now, None, "it was started again by hand")

    def look_at_supply(self, now: float) -> None:
        """Start anew where its parts draw more than a supply that sags can give."""
        drawn = self.circuit.current(now)
        if drawn > self.spoiled.current and self.state is BoardState.RUNNING:
            words = (
                f"its supply sagged: {show(1000 * drawn, 'mA')} drawn, {show(1000 * self.spoiled.current, 'mA')} there"
            )
            self.wake = now
            self.may_speak = True
            self._begin_anew(now, None, words)

    def advance(self, now: float) -> float:
        """Do what is due; give when something is due next, which is `wake` from now on."""
        self.may_speak = True
        self.wake = self._advance(now)
        return self.wake

    def _advance(self, now: float) -> float:
        if self.state is BoardState.DEAF and now >= self._boots_at:
            self.state = BoardState.RUNNING
            self._boots_at = inf
            self._tell(Kind.BOARD, Topic.BOARD, self.name, "runs")
            self.firmware.start(now)
            for pin, level in self.spoiled.begins.items():
                self.circuit.begin_with(pin, level, now)
            self._begin_to_follow(now)
            for client in self._clients:
                self._clients[client] = Seams()
                self.firmware.joined(client, now)
        if now >= self._picks_up_at:
            self.circuit.pick_up(self._chance)
            self._picks_up_at = now + self._chance.uniform(*PICKED_UP)
        if now >= self._quiet_at:
            self._quiet_at = inf
            cause = self._tell(Kind.BOARD, Topic.BOARD, self.name, "failsafe", None, "the host was silent for too long")
            self.circuit.rest(now, cause)
        if self.state is BoardState.SHUT and not self._follows:
            self._begin_to_follow(now)
        self._is_ruled = self._follows and bool(self._reflexes.watches or self._rules.turns)
        acts_at, driven = self._by_itself(now) if self._is_ruled else (inf, [])
        if self.state is not BoardState.RUNNING:
            return min(self._boots_at, self._quiet_at, self._picks_up_at, acts_at)
        if driven:
            self.firmware.pins_driven(driven, now)
        self._due_besides = min(acts_at, self._quiet_at, self._picks_up_at)
        return min(self.firmware.advance(now), self._due_besides)

    @property
    def reports_at(self) -> float:
        """When its firmware tells of its inputs, where nothing else happens at it before that or then."""
        if self.state is not BoardState.RUNNING or self._kept or self.spoiled.delay:
            return inf
        at = self.firmware.reports_at
        return at if at == self.wake < self._due_besides else inf

    @property
    def else_at(self) -> float:
        """When something else is due at it."""
        return min(self._due_besides, self.firmware.else_at)

    def report(self, now: float) -> list[Outgoing]:
        """Let it tell of its inputs; give what it says."""
        self.wake = min(self.firmware.report(now), self._due_besides)
        return self.firmware.take_out()

    def _begin_to_follow(self, now: float) -> None:
        """As after power-on: nothing has happened yet."""
        self._follows = True
        self._reflexes.start(now)
        self._rules.start(now)

    def _by_itself(self, now: float) -> tuple[float, list[Pin]]:
        """Do what its own rules want; give when one of them is due next, and the pins that were driven."""
        acts_at, driven = self._reflexes.advance(now)
        goes_on_at, more = self._rules.advance(now)
        return min(acts_at, goes_on_at), driven + more

    def take_out(self) -> list[Outgoing]:
        """Give what it says now; a late board says it later."""
        self.may_speak = False
        if self.fault:
            return []
        out = self.firmware.take_out()
        if self._kept:
            out, self._kept = self._kept + out, []
        if not out:
            return out
        if self.spoiled.delay:
            for outgoing in out:
                outgoing.at += self.spoiled.delay
        return out

    def take_out_for(self, client: Client) -> list[Outgoing]:
        """Give what it says to one client, another board; what it says to others is kept for them."""
        out = self.take_out()
        self.may_speak = True  # to the others
        self._kept = [outgoing for outgoing in out if outgoing.client is not client]
        return [outgoing for outgoing in out if outgoing.client is client]

    def spoil(self, defects: list[Defect], now: float, cause: int | None) -> None:
        """Take up its defects as they are switched now, by the event `cause`."""
        self.spoiled = Spoiled()
        for defect in defects:
            if defect.on and defect.board == self.name:
                defect.spoil(self.spoiled)
        self._picks_up_at = now if self.spoiled.floating else inf
        self.wake = now
        self.circuit.spoil(self.spoiled, now, cause)
