"""Checks: does it hold?"""

from __future__ import annotations

from collections.abc import Iterable
from functools import partial
from pathlib import Path
from typing import ClassVar

from textual.containers import Horizontal
from textual.widget import Widget

from cavet.bench import Walked
from cavet.benchfile import CheckSettings
from cavet.checks import Done, Ran, Wanted, chosen_checks, junit
from cavet.drawings.square import RowView
from cavet.files import write_whole
from cavet.hosts import Point
from cavet.wording import counted
from cavet.workbench import keymap
from cavet.workbench.checks import views
from cavet.workbench.checks.checking import Checking
from cavet.workbench.checks.running import Hosting, Run
from cavet.workbench.desk import Desk
from cavet.workbench.drawing.checks import draw_campaign, draw_checks, draw_walk
from cavet.workbench.screens.checks_asking import AllowScreen, CampaignScreen, FileScreen, WalkHereScreen
from cavet.workbench.screens.checks_looking import do_again, look_at
from cavet.workbench.screens.checks_sheets import check_sheet
from cavet.workbench.screens.frame import Follow, Frame
from cavet.workbench.screens.sheet import SheetScreen
from cavet.workbench.widgets.picture import Picture


class ChecksScreen(Frame):
    """The walk as a square, a campaign as strips, the checks of the bench."""

    NAME: ClassVar[str] = "checks"
    CAN = keymap.CHECKS
    BINDINGS = keymap.bindings(keymap.CHECKS)
    DEFAULT_CSS = """
    ChecksScreen {
        #middle { height: 1fr; }
        #walk { width: 5fr; }
        #campaign { width: 4fr; border-left: solid $hair; }
        #checks { height: 11; }
        &.low #checks { height: 7; }
        &.one #campaign { display: none; }
        &.one #walk { width: 1fr; }
        &.one.other #walk { display: none; }
        &.one.other #campaign { display: block; width: 1fr; border-left: none; }
    }
    """

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self._chosen = 0
        self._board = self._row = 0
        self._failing = 0
        self._strokes = 0

    # what it shows

    def body(self) -> Iterable[Widget]:
        yield Horizontal(Picture(id="walk"), Picture(id="campaign"), id="middle", classes="whole")
        yield Picture(id="checks", classes="whole")

    def pictures(self) -> Iterable[Follow]:
        yield "the walk", self._follow_walk
        yield "the campaign", self._follow_campaign
        yield "the checks", self._follow_checks

    def done_here(self) -> object:
        going = self._checking.going
        if going is None:
            return self._strokes
        walked, _ = going.walked(going.checks[0].name)
        said = len(going.hosted.said) if isinstance(going, Hosting) and going.hosted is not None else 0
        return self._strokes, len(going.done), len(walked), said, going.is_over

    @property
    def _checking(self) -> Checking:
        return self._desk.checking

    @property
    def _check(self) -> CheckSettings:
        checks = self._checking.checks
        return checks[min(self._chosen, len(checks) - 1)]

    @property
    def _going(self) -> Run | None:
        return self._checking.last(self._check.name)

    @property
    def _walked(self) -> CheckSettings:
        """The check whose walk is shown: the one under the cursor, else the first."""
        if self._check.walk:
            return self._check
        return next((check for check in self._checking.checks if check.walk), self._check)

    def _walk_view(self) -> views.WalkView:
        check = self._walked
        return views.walk_view(self._checking, self._checking.last(check.name), check.name, self._board, self._row)

    def _follow_walk(self) -> None:
        view = self._walk_view()
        self._board, self._row = view.board, view.row
        self.picture("walk").look(view, partial(draw_walk, view))

    def _follow_campaign(self) -> None:
        view = views.campaign_view(self._checking, self._going, self._check.name, self._failing)
        self.picture("campaign").look(view, partial(draw_campaign, view))

    def _follow_checks(self) -> None:
        view = views.check_views(self._checking, self._chosen)
        self.picture("checks").look(view, partial(draw_checks, view))

    @property
    def under_cursor(self) -> Point | None:
        row = self._row_view()
        return self._desk.bench.setup.points.get(row.name) if row is not None else None

    def _row_view(self) -> RowView | None:
        view = self._walk_view()
        return view.boards[view.board].rows[view.row] if view.boards else None

    def _failed(self) -> Done | None:
        """The failing run under the cursor."""
        fails = views.failing_runs(self._going, self._check.name)
        return fails[min(self._failing, len(fails) - 1)] if fails else None

    # keys

    def _stroke(self) -> None:
        self._strokes += 1
        self.follow()

    def action_choose(self, by: int) -> None:
        """Another check."""
        self._chosen = min(len(self._checking.checks) - 1, max(0, self._chosen + by))
        self._failing = 0
        self._stroke()

    def action_row(self, by: int) -> None:
        """Another output of the walk; over the end of a board's square to the next one."""
        view = self._walk_view()
        if view.boards:
            row = view.row + by
            if 0 <= row < len(view.boards[view.board].rows):
                self._row = row
            elif 0 <= view.board + by < len(view.boards):
                self._board = view.board + by
                self._row = 0 if by > 0 else len(view.boards[self._board].rows) - 1
        self._stroke()

    def action_wrong(self, by: int) -> None:
        """The next output that did not hold, or the one before."""
        view = self._walk_view()
        wrong = [
            (board, row)
            for board, each in enumerate(view.boards)
            for row, at in enumerate(each.rows)
            if at.held is False
        ]
        here = (self._board, self._row)
        found = [each for each in wrong if (each > here if by > 0 else each < here)]
        if found:
            self._board, self._row = found[0] if by > 0 else found[-1]
        else:
            self.say("no output further on is wrong" if by > 0 else "no output before is wrong", well=not wrong)
        self._stroke()

    def action_failing(self, by: int) -> None:
        """Another failing run of the campaign."""
        count = len(views.failing_runs(self._going, self._check.name))
        self._failing = min(max(0, count - 1), max(0, self._failing + by))
        self._stroke()

    def action_walk(self) -> None:
        """Walk all outputs, on boards of its own."""
        walk = self._walk()
        if walk is not None:
            self._start([walk], Wanted(seeds=1, defects=(self._defects_on(),), faults=0))

    def action_walk_here(self) -> None:
        """Walk all outputs of the boards that are looked at, after a word."""
        walk = self._walk()
        if walk is None:
            return
        setup = self._desk.bench.setup
        real = [name for name, host in setup.hosts.items() if not setup.links[host.link].simulated]

        def allowed(word: bool | None) -> None:
            if word:
                self.attempt(lambda: self._checking.walk_here(walk))

        self.app.push_screen(WalkHereScreen(real), allowed)

    def _walk(self) -> CheckSettings | None:
        walk = next((check for check in self._checking.checks if check.walk), None)
        if walk is None:
            self.say("no check of this bench is a walk: add [checks.walk] with walk = true")
            return None
        self._chosen = self._checking.checks.index(walk)
        return walk

    def _defects_on(self) -> tuple[str, ...]:
        """The defects that are on now: a walk is of the bench as one has it before one."""
        return tuple(name for name, defect in self._desk.bench.world.defects.items() if defect.on)

    def action_run(self) -> None:
        """Run the check under the cursor, as the file has it; with one that looks at records those that make some."""
        self._start(chosen_checks(self._checking.setup, [self._check.name]), Wanted())

    def action_run_all(self) -> None:
        """Run all that need no word."""
        self._start([check for check in self._checking.checks if not check.program], Wanted())

    def action_campaign(self) -> None:
        """The check under the cursor under many seeds, defects and faults."""
        check = self._check
        if not check.acts or check.program:
            self.say("a campaign is of a walk, a routine, or a rest: choose one")
            return

        def begin(wanted: Wanted | None) -> None:
            if wanted is not None:
                self._start([check], wanted)

        self.app.push_screen(CampaignScreen(check, list(self._checking.setup.defects)), begin)

    def _start(self, checks: list[CheckSettings], wanted: Wanted) -> None:
        self._failing = 0
        programs = [check for check in checks if check.program]
        if programs:

            def allowed(word: bool | None) -> None:
                if word:
                    self.attempt(lambda: self._checking.start(checks, wanted))

            self.app.push_screen(AllowScreen(programs[0]), allowed)
            return
        self.attempt(lambda: self._checking.start(checks, wanted))
        self._stroke()

    def action_stop(self) -> None:
        """Stop what is run."""
        if not self._checking.is_going:
            self.say("nothing is run")
            return
        self._checking.stop()
        self.say("stopped: what was done stays", well=True)

    def action_look(self) -> None:
        """A failing run at the moment where it broke, a walk at the output under the cursor: Drive as it stood then; a
        walk of the boards that are looked at on Record, which has it."""
        going, check = self._going, self._check
        if going is not None and going.is_live:
            self._look_back(self._row_of(going.walked(check.name)[0]))
            return
        done = views.run_to_look_at(going, check, self._failing)
        if going is None or done is None:
            self.say(self._nothing_to_look_at(going))
            return
        walked = self._row_of(done.came.walked) if check.walk else None
        trail = walked.trail if walked is not None else None
        if walked is not None and trail is None:
            self.say(f"nothing was asked of {walked.output}: {walked.why}")
        elif done.record is not None:
            self.run_worker(look_at(self, going.setup, done.record, trail), exit_on_error=False)
        else:
            self.say("the run is done once more, to be looked at", well=True)
            case = views.small_case(done) if check.acts and not check.walk else done.came.case
            self.run_worker(do_again(self, going.setup, case, trail), exit_on_error=False)

    def _nothing_to_look_at(self, going: Run | None) -> str:
        """Why there is no run to be looked at."""
        if going is not None and not going.is_over:
            return "it is still being run"
        return "not walked yet: w walks all outputs" if self._check.walk else "no run of this check has failed"

    def _row_of(self, walked: Iterable[Walked]) -> Walked | None:
        """What came of the output under the cursor."""
        row = self._row_view()
        return next((each for each in walked if row is not None and each.output == row.name), None)

    def _look_back(self, walked: Walked | None) -> None:
        """Go to where an output was walked on the boards that are looked at, on Record."""
        if walked is None:
            self.say("this output has not been walked")
        elif walked.trail is None:
            self.say(f"nothing was asked of {walked.output}: {walked.why}")
        elif (trail := self._desk.standings.trails.all.get(walked.trail)) is None:
            self.say("many commands have come since: look for it on Record")
        else:
            self.depart(self.Away("record", trail))

    def action_explain(self) -> None:
        """The check under the cursor, and how its pictures are read."""
        self.app.push_screen(SheetScreen(lambda: check_sheet(self._checking, self._check)))

    def action_keep(self) -> None:
        """Keep what fails as a routine that fails by itself."""
        done = self._failed()
        if done is None or done.routine is None:
            self.say("no failing run of a campaign of a routine is here to be kept")
            return
        routine, seed = done.routine, views.small_case(done).seed

        def write(path: Path | None) -> None:
            if path is not None:
                self._write(path, routine, f"cavet run BENCH {path.name} --seed {seed} fails by itself")

        self.app.push_screen(FileScreen("a routine that fails", f"failing-{seed}.routine"), write)

    def action_junit(self) -> None:
        """All results as JUnit XML."""
        runs = []
        for check in self._checking.checks:
            going = self._checking.last(check.name)
            for done in going.of(check.name) if going is not None else ():
                came = done.came
                name = f"{came.case.seed} {'+'.join(came.case.defects)}".strip()
                runs.append(Ran(check=check.name, name=name, held=came.held, t=came.t, why=came.why, more=came.trail))
        if not runs:
            self.say("nothing was run yet")
            return

        def write(path: Path | None) -> None:
            if path is not None:
                self._write(path, junit(runs), counted(len(runs), "run"))

        self.app.push_screen(FileScreen("the results as JUnit XML", "checks.xml"), write)

    def _write(self, path: Path, text: str, told: str) -> None:
        def write() -> None:
            write_whole(path, [text.encode()])
            self.say(f"{path.name} is written: {told}", well=True)

        self.attempt(write)

    def action_view(self) -> None:
        """The campaign instead of the walk, where there is room for one."""
        self.toggle_class("other")
        self.call_after_refresh(self.follow)
