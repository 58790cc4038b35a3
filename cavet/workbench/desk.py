"""What the screens have in common: the running bench, and what a person has done with it so far."""

from __future__ import annotations

from collections.abc import Callable
from copy import copy
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec

from cavet.bench import Meanings, RunningBench, Standing, Standings
from cavet.benchfile import Setup
from cavet.hosts import Point
from cavet.record import Kind, Topic
from cavet.wiring import Wiring
from cavet.workbench.acting import Acting, Post
from cavet.workbench.following import Following
from cavet.workbench.frames.said import Saying
from cavet.workbench.hands import Hands
from cavet.workbench.roster import Roster
from cavet.workbench.wishes import Wishes

if TYPE_CHECKING:
    from cavet.workbench.checks.checking import Checking
    from cavet.workbench.drawing.rails import LineView
    from cavet.workbench.routines.work import Work
    from cavet.workbench.wiring.changing import Changing


class Desk:
    """The bench as one person works it. All that a person does passes through here to the head of the chain.

    `post` has something done in the bench's own thread; `record_problem` tells what is wrong with the record, if
    anything.
    """

    def __init__(
        self, bench: RunningBench, post: Post, record_problem: Callable[[], str] = str,
        changing: Changing | None = None, work: Work | None = None, standings: Standings | None = None,
    ) -> None:  # fmt: skip
        self.bench = bench
        self._post = post
        self.made_work = work
        """The text of the bench's routines and its run, as soon as somebody has looked at it."""
        self.made_checking: Checking | None = None
        self.changing = changing
        """The file of the bench, where it can be changed."""
        self.record_problem = record_problem
        self.acting = Acting(post, bench.clock.now)
        self.saying = Saying(bench, self.acting)
        self.call = self.acting.do
        self.come_back = self.acting.come_back
        self.silence = self.acting.silence
        self.standings = standings if standings is not None else Standings(bench)
        self.hands = Hands(bench, self.standings, self.acting)
        self.screens: tuple[str, ...] = ()
        """The names of the screens that there are."""
        self.outputs = [point for point in bench.setup.points.values() if point.kind.is_output]
        self.inputs = [point for point in bench.setup.points.values() if not point.kind.is_output]
        self.roster = Roster(self.outputs + self.inputs)
        self.wishes = Wishes(bench, self.hands, self.acting)
        self.following = Following(bench, self.standings, self.outputs, self.inputs)
        self.looked_at: set[int] = set()
        """The broken trails that somebody has looked at."""
        self._broken: list[int] | None = None
        """All that are broken, as found since the record was read on last: many pictures ask for them."""
        self._meanings: dict[str, Meanings | None] = {}
        self._setup_now: tuple[object, Setup] | None = None
        self.wirings: dict[str, Wiring] = {}
        """How each board is wired, as it was looked at last."""
        self.far_lines: dict[str, LineView] = {}
        """The lines of points that are too far off to be seen, as they were made once, by the names of the points."""

    def setup_now(self) -> Setup:
        """The bench's set-up with its defects as they are switched now; the same object while that stays so."""
        switched = tuple(defect.on for defect in self.bench.world.defects.values())
        if self._setup_now is None or self._setup_now[0] != switched:
            setup = self.bench.setup
            defects = {**setup.defects, **{name: copy(each) for name, each in self.bench.world.defects.items()}}
            self._setup_now = (switched, msgspec.structs.replace(setup, defects=defects))
        return self._setup_now[1]

    def meanings(self, board: str) -> Meanings | None:
        """What tells what frames mean at a board; `None` for what is no board of the bench."""
        if board not in self._meanings:
            known = board in self.bench.setup.boards or board in self.bench.setup.hosts
            self._meanings[board] = Meanings(self.bench.setup, board) if known else None
        return self._meanings[board]

    @property
    def past(self) -> str:
        """What it is, where nothing of the bench runs: a record. "" for a bench that runs."""
        return ""

    @property
    def points(self) -> list[Point]:
        """All points, outputs first, as the rails show them."""
        return self.outputs + self.inputs

    @property
    def now(self) -> float:
        return self.bench.clock.now()

    def follow(self) -> None:
        """Read on in the record, and let go of what is not held any more."""
        self._broken = None
        self.following.follow()
        self.hands.let_go()

    def stirs(self) -> bool:
        """Read on in the record; tell whether something is going on that an eye follows: a wish, a part that moves."""
        self._broken = None
        return self.following.stirs()

    def standing(self, point: Point) -> Standing:
        """How a point stood when it was last followed."""
        return self.following.standing(point)

    def has_tripped(self, host: str) -> bool:
        """Whether the failsafe of a host's board has put its outputs to rest, and nothing was driven since."""
        return self.bench.setup.board_of(host) in self.following.tripped

    # what a person wants of the bench as a whole; of its points: `wishes`

    @property
    def work(self) -> Work:
        """The text of the bench's routines, and its run."""
        if self.made_work is None:
            from cavet.workbench.routines.work import Work  # here, since a bench is looked at without it, too

            self.made_work = Work(self.bench, self._post)
        return self.made_work

    @property
    def checking(self) -> Checking:
        """The checks of the bench, and what came of them."""
        if self.made_checking is None:
            from cavet.workbench.checks.checking import Checking  # here, for the same reason

            self.made_checking = Checking(self.bench, self._post, self._unsaved)
        return self.made_checking

    def _unsaved(self) -> dict[Path, str]:
        """What is not saved of the bench and its routines, by the files that it belongs into."""
        changing, work = self.changing, self.made_work
        found = {changing.file.path: changing.file.text} if changing is not None and changing.is_changed else {}
        return found | ({work.path: work.text} if work is not None and not work.is_saved else {})

    def leave(self) -> None:
        """Nobody looks any more: checks that are run end here."""
        if self.made_checking is not None:
            self.made_checking.leave()

    def begin(self) -> None:
        """Somebody sees it: hosts that have waited for that open their links."""
        if self.bench.hosts_wait:
            self.call(self.bench.begin)

    def flag(self, text: str) -> None:
        """Put a flag into the record, here and now."""
        self.call(lambda: self.bench.record.append(Kind.MARK, "", Topic.TEXT, "", None, None, text))

    def rest(self) -> None:
        """Send every output to its rest value, now. A routine that runs is stopped."""
        if self.made_work is not None:
            self.made_work.stop()
        if self.made_checking is not None:
            self.made_checking.rest()
        self.hands.forget()
        self.wishes.rest()

    def switch_defect(self, name: str) -> None:
        """Switch a defect on, or off."""
        self.call(lambda: self.bench.switch_defect(name, not self.bench.world.defects[name].on))

    def restart(self, board: str) -> None:
        """Start a board again that a fault has stopped."""
        self.call(lambda: self.bench.restart(board))

    def switch_link(self, board: str) -> None:
        """Let go of a board's link, for another program, or take it up again; how it stands then comes back."""
        link = self.bench.host_links[board]
        self.call(lambda: (link.let_go if link.held else link.take_up)(), lambda: f"{board}: {link.words}")

    # broken trails

    def unseen(self) -> list[int]:
        """The broken trails that nobody has looked at, newest first."""
        if self._broken is None:
            self._broken = [trail.number for trail, _ in self.standings.broken()]
        return [number for number in self._broken if number not in self.looked_at]
