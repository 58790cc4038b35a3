"""What is done on the ruler and in the blanks of the Frames screen."""

from __future__ import annotations

from cavet.bench import read_spoiling
from cavet.protocols import Side
from cavet.workbench.frames import ways
from cavet.workbench.screens.frames_base import BYTES, ON_RULER, SAYING, FramesBase


class FramesActing(FramesBase):
    """Changing the frame under the cursor, and saying messages."""

    _again = 0
    """Which of those that were said is taken next into the blanks."""

    # the ruler

    def action_ruler(self) -> None:
        if self._editing is not None:
            self.reading.following = False
            self._focus = ON_RULER

    def action_field(self, by: int) -> None:
        if self._editing is not None:
            self._editing.move(by)

    def action_bits(self) -> None:
        if self._editing is not None:
            self._editing.into_bits()

    def action_flip(self) -> None:
        if self._editing is not None:
            self._editing.flip()

    def action_nudge(self, by: int) -> None:
        if self._editing is not None:
            self._editing.nudge(by)

    def action_checks(self) -> None:
        if self._editing is not None:
            self._editing.leave_wrong()
            wrong = self._editing.leaves_wrong
            self.say(
                "lengths and checks stay as they are" if wrong else "lengths and checks follow what is changed",
                well=True,
            )

    def action_undo(self) -> None:
        if self._editing is not None and not self._editing.undo():
            self.say("nothing to take back")

    def action_say_changed(self) -> None:
        """Say the frame as it stands on the ruler, byte for byte."""
        editing = self._editing
        if editing is None or editing.side is not Side.HOST:
            self.say("the board has said this frame; say one of the host's")
            return
        tongue = self.reading.on.tongue
        name, fields = ways.fields_of(tongue, editing.origin)
        self._require_host()
        data = editing.frame.data
        how = read_spoiling(f"bytes={data.hex()}") if editing.is_changed else None
        self._desk.saying.say(self._host, tongue, tongue.made(name, fields), fields, how)

    # saying

    def action_say(self) -> None:
        self._focus = SAYING
        self._sentence.choosing = True

    def action_choose(self, by: int) -> None:
        if self._sentence.choosing:
            self._sentence.choose(by)
        else:
            self._sentence.move(by)

    def action_blank(self, by: int) -> None:
        self._sentence.choosing = False
        self._sentence.move(by)

    def action_turn(self, by: int) -> None:
        if self._is_filling:
            self._sentence.turn(by)

    def action_enter(self) -> None:
        if self._sentence.choosing and self._sentence.blanks:
            self._sentence.choosing = False
            return
        self._say_it(None)

    def _say_it(self, how: str | None) -> None:
        sentence = self._sentence
        self._require_host()
        fields = sentence.given()
        message = sentence.message()
        self._desk.saying.say(
            self._host, sentence.tongue, message, fields, read_spoiling(how) if how is not None else None
        )
        self.reading.following = True

    def action_ways(self) -> None:
        if not self._is_filling:
            return
        self._ways = ways.ways_of(self._sentence)
        self._way = 0

    def action_way(self, by: int) -> None:
        self._way = (self._way + by) % max(1, len(self._ways))

    def action_no_way(self) -> None:
        self._ways = ()

    def action_say_so(self) -> None:
        way = self._ways[self._way]
        self._ways = ()
        if way.how == "bytes":
            self._begin(BYTES, "")
        elif way.fields:
            fields = {**self._sentence.given(), **way.fields}
            self._require_host()
            tongue = self._sentence.tongue
            self._desk.saying.say(self._host, tongue, tongue.made(self._sentence.name, fields), fields)
        else:
            self._say_wrong(way.how)

    def _say_wrong(self, how: str) -> None:
        self._say_it(how)

    def action_take(self) -> None:
        """Take the frame under the cursor into the blanks."""
        editing = self._editing
        if editing is None or editing.side is not Side.HOST or not editing.frame.readable:
            self.say("only what the host says can be said")
            return
        name, fields = ways.fields_of(self._sentence.tongue, editing.frame)
        if name not in self._sentence.messages:
            self.say(f"{name} is not said by hand")
            return
        self._sentence.begin_with(name, fields)
        self._focus = SAYING

    def action_again_said(self) -> None:
        entries = [entry for entry in self._desk.saying.entries if entry.host == self._host]
        if entries:
            entry = entries[self._again % len(entries)]
            self._again += 1
            self._sentence.begin_with(entry.message, entry.fields)

    def action_copy_said(self) -> None:
        """Copy all that was said by hand on this link, oldest first, as lines of a routine."""
        entries = [entry for entry in self._desk.saying.entries if entry.host == self._host and not entry.how]
        if not entries:
            self.say("nothing said by hand here yet; what was said wrong on purpose is no step of a routine")
            return
        lines = [ways.routine_line(entry.host, entry.message, entry.fields) for entry in reversed(entries)]
        self.app.copy_to_clipboard("\n".join(lines) + "\n")
        self.say(f"copied {len(lines)}: {lines[-1]}", well=True)

    def action_copy(self) -> None:
        """Copy what stands in the blanks as a command line."""
        line = ways.command_line(self._desk.bench.setup.name, self._place.split(" ")[0], self._sentence)
        self.app.copy_to_clipboard(line)
        self.say(f"copied: {line}", well=True)
