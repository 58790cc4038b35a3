"""What can be done on the Record screen."""

from __future__ import annotations

from cavet.workbench.command import Command

RECORD = (
    Command(does="in time", keys="right", shown="←→", foot="time", action="move(1)"),
    Command(does="in time", keys="left", action="move(-1)"),
    Command(does="ten cells on", keys="shift+right", shown="shift", action="move(10)"),
    Command(does="ten cells back", keys="shift+left", action="move(-10)"),
    Command(does="another lane", keys="down", shown="↑↓", foot="lane", action="lane(1)"),
    Command(does="another lane", keys="up", action="lane(-1)"),
    Command(name="closer", does="a shorter time in each cell", keys="plus,equals_sign", shown="+-", foot="closer",
            action="zoom(1)"),
    Command(name="farther off", does="a longer time in each cell", keys="minus", action="zoom(-1)"),
    Command(name="the whole run", does="all of it at once", keys="w", shown="w", foot="whole", action="whole"),
    Command(name="follow", does="the present, or stand where one is", keys="a,end", shown="a", foot="follow",
            action="follow_now"),
    Command(name="the next change", does="of the lane under the cursor", keys="n", shown="n N", foot="next change",
            action="next(1)"),
    Command(name="the change before", does="of the lane under the cursor", keys="N", action="next(-1)"),
    Command(name="the next error", does="refused, unconfirmed, lost, a fault", keys="e", shown="e E", foot="error",
            action="error(1)"),
    Command(name="the error before", does="refused, unconfirmed, lost, a fault", keys="E", action="error(-1)"),
    Command(name="what stands out next", does="errors, flags, defects, resets", keys="f", shown="f F",
            action="flag(1)"),
    Command(name="what stood out before", does="errors, flags, defects, resets", keys="F", action="flag(-1)"),
    Command(name="set a mark", does="the first, the second; then they are taken away", keys="m", shown="m", foot="mark",
            action="mark"),
    Command(name="the moment", does="how everything stood then, stepped event by event", keys="enter", shown="⏎",
            foot="this moment", action="moment"),
    Command(name="its bytes", does="the frame of the command under the cursor, on Frames", keys="v", shown="v",
            action="bytes"),
    Command(name="the commands", does="of what lies between the marks, or of all: broken ones first, then the slowest",
            keys="t", shown="t", foot="commands", action="trails"),
    Command(name="lay another record over", does="the same up to where, and what differs then; again takes it away",
            keys="b", shown="b", foot="lay over", action="lay_over"),
    Command(name="the next difference", does="from the record that is laid over this one", keys="d", shown="d D",
            action="difference(1)"),
    Command(name="the difference before", does="from the record that is laid over this one", keys="D",
            action="difference(-1)"),
    Command(name="align", does="what is laid over: by a flag, by this command, by time", keys="l", shown="l",
            action="align"),
    Command(name="put a flag", does="into the record, here and now, with a text", keys="g", shown="g", foot="flag",
            action="put_flag"),
    Command(name="export", does="what lies between the marks, or all, for another program", keys="x", shown="x",
            foot="export", action="export"),
    Command(name="hide this lane", does="until all are shown again", keys="h", shown="h", action="hide"),
    Command(name="all lanes", does="also those on which nothing happens, or not", keys="H", shown="H",
            action="show_all"),
    Command(name="a taller lane", does="the one under the cursor", keys="greater_than_sign", shown="> <",
            action="grow(1)"),
    Command(name="a lower lane", does="the one under the cursor", keys="less_than_sign", action="grow(-1)"),
    Command(name="move this lane down", does="among the others", keys="shift+down", shown="shift ↑↓",
            action="move_lane(1)"),
    Command(name="move this lane up", does="among the others", keys="shift+up", action="move_lane(-1)"),
)  # fmt: skip
MOMENT = (
    Command(does="the next event, or the one before; with shift a hundred", shown="←→", foot="event by event"),
    Command(does="another point; space folds a board", shown="↑↓", foot="point"),
    Command(
        does="the next event about the point under the cursor, or the one before", shown="n N", foot="of this point"
    ),
    Command(does="what was on its link then, on Frames", shown="v", foot="its bytes"),
    Command(does="the board instead of the points, where there is room for one", shown="tab"),
    Command(does="back to the lanes", shown="esc", foot="back"),
)
"""What a moment that is looked at hears."""
