"""The commands of the workbench: each is declared once, here. The keys, the foot lines, the list of all actions and the
key tables of the docs are readings of this."""

from __future__ import annotations

import functools

from textual.binding import Binding, BindingType

from cavet.workbench.command import Command
from cavet.workbench.keymap_checks import CHECKS as CHECKS
from cavet.workbench.keymap_record import MOMENT as MOMENT
from cavet.workbench.keymap_record import RECORD as RECORD

REST = ("F12", "everything to rest")

EVERYWHERE = (
    Command(
        name="everything to rest", does="every output of every board to its rest value, at once, from everywhere",
        keys="f12,ctrl+e", shown="F12", action="rest", always=True,
    ),
    Command(
        does="all actions, found by typing a word", keys="f2,ctrl+p", shown="F2", foot="all actions", action="palette",
        always=True,
    ),
    Command(
        name="the screen before", does="of those named at the top", keys="f3", shown="F3", action="screen(-1)",
        always=True,
    ),
    Command(
        name="the next screen", does="of those named at the top", keys="f4", shown="F4",
        action="screen(1)", always=True,
    ),
    Command(does="and its number: a screen", keys="ctrl+g", shown="ctrl+g", action="screen_number", always=True),
    Command(name="quit", does="leave the workbench; the record is kept", keys="q", shown="q", action="leave"),
    Command(does="leave, from anywhere", keys="ctrl+q", shown="ctrl+q", action="leave", always=True),
    Command(does="say how to leave", keys="ctrl+c", shown="ctrl+c", action="how_to_leave", always=True),
)  # fmt: skip

RAILS = (
    Command(does="another point", keys="up,down,home,end", shown="↑↓", foot="point"),
    Command(does="a small step", keys="left,right", shown="←→", foot="nudge"),
    Command(does="ten of them", keys="shift+left,shift+right", shown="shift", foot="far"),
    Command(does="type a value with any unit that fits; ⏎ sets it, esc leaves it", shown="0–9", foot="value"),
    Command(does="type a text, for a point that takes one; a colour with # as well", shown='"'),
    Command(
        does="flip a switch; hold a momentary one (a terminal tells of no release: it lets go when the key has not "
        "come again for 0.6 s); send a level to its end, or back to rest; do a pulse once more; fold a board's points",
        keys="space", shown="space", foot="flip, hold, fold",
    ),
)  # fmt: skip
"""What the list of points takes itself, so that fast keys keep their order."""
MOVES = {
    "up": ("move", -1),
    "down": ("move", 1),
    "home": ("move", -999),
    "end": ("move", 999),
    "left": ("nudge", -1),
    "right": ("nudge", 1),
    "shift+left": ("nudge", -10),
    "shift+right": ("nudge", 10),
    "space": ("flip", 1),
}
"""What it does at a key, and how far."""
FIND_KEY = "f"

DRIVE = (
    Command(
        does="rails or board, where there is room for one only", keys="v", shown="v", foot="board", action="view",
        tight=True,
    ),
    *RAILS,
    Command(
        name="find", does="points by a part of their names; ⏎ keeps the search, esc shows all again", shown="f",
        foot="find", action="find",
    ),
    Command(does="end a search", keys="escape", shown="esc", action="show_all"),
    Command(
        name="look at the trail", does="every stage, and the frames taken apart to the bits", keys="enter", shown="⏎",
        foot="look", action="look",
    ),
    Command(
        name="the next broken trail", does="the newest that nobody has looked at", keys="b", shown="b", action="broken"
    ),
    Command(
        name="the trail before", does="of all commands", keys="left_square_bracket", shown="[", action="trail(-1)"
    ),
    Command(
        name="the trail after", does="of all commands", keys="right_square_bracket", shown="]", action="trail(1)"
    ),
    Command(name="take back", does="ask for what was asked before", keys="u", shown="u", action="undo"),
    Command(
        name="defects", does="make things wrong on purpose", keys="d", shown="d", foot="defects", action="defects"
    ),
    Command(
        name="let go of the link, or take it up", does="so that another program can open the device", keys="o",
        shown="o", action="link",
    ),
    Command(
        name="its frames", does="what of this trail was on the wire, on Frames", keys="w", shown="w", foot="frames",
        action="frames",
    ),
    Command(
        name="explain", does="what is under the cursor", keys="question_mark", shown="?", foot="explain",
        action="explain",
    ),
)  # fmt: skip

BENCH = (
    Command(does="another row; a folded board", keys="down", shown="↑↓", foot="row", action="move(1)"),
    Command(does="another row", keys="up", action="move(-1)"),
    Command(does="ten rows on", keys="pagedown", action="move(10)"),
    Command(does="ten rows back", keys="pageup", action="move(-10)"),
    Command(
        does="open the board that is folded; change what is in this row; make the chosen mend; ask who is there",
        keys="enter", shown="⏎", foot="open, change", action="enter",
    ),
    Command(does="from the board to the remarks, to what is around", keys="tab", shown="tab", foot="remarks, around",
            action="pane(1)"),
    Command(does="back to the board", keys="escape", shown="esc", action="back"),
    Command(name="into a device", does="the lines of the device on a bus, and out again", keys="z", shown="z",
            foot="into a device", action="zoom"),
    Command(name="remarks", does="what a careful colleague would say", keys="r", shown="r", action="remarks"),
    Command(name="who is there?", does="ask what is chosen around this machine; esc breaks it off", keys="i", shown="i",
            action="ask_who"),
    Command(name="ask an address", does="one that is not around this machine, who is there", keys="a", shown="a",
            action="ask_address"),
    Command(name="take it in", does="what is chosen around this machine: as a link's place, or as a board of its own",
            keys="t", shown="t", action="take_in"),
    Command(name="something new", does="an output or input at this board: what is it, where does it hang, …", keys="n",
            shown="n", foot="new", action="add"),
    Command(name="the board itself", does="change a key of it, of its links, hosts, rules, supplies, defects", keys="b",
            shown="b", action="whole_board"),
    Command(name="anything new", does="a board with its link and host; a part, point, defect, rule, link, … by itself",
            keys="N", shown="N", action="make"),
    Command(name="copy", does="what is in this row once more, at another pin", keys="c", shown="c", action="copy"),
    Command(name="move it", does="what is in this row to another pin: the point, the part, or both", keys="w",
            shown="w", foot="to another pin", action="move_pin"),
    Command(name="find its ends", does="try an output in small steps, mark both ends and where it rests", keys="j",
            shown="j", foot="find its ends", action="jog"),
    Command(name="take it away", does="the point and the part of this row, and its entry in the map", keys="delete",
            shown="del", action="remove"),
    Command(name="pin map", does="every pin with all its numbers, what it can do, what hangs there", keys="p",
            shown="p", foot="pin map", action="pin_map"),
    Command(name="drive it", does="the point of this row on Drive", keys="g", shown="g", foot="drive it",
            action="drive"),
    Command(name="undo a change", does="of the bench's file", keys="u", shown="u", foot="undo", action="undo"),
    Command(name="redo a change", does="of the bench's file", keys="y", shown="y", action="redo"),
    Command(name="save the bench", does="comments and order stay", keys="ctrl+s", shown="ctrl+s", foot="save",
            action="save"),
    Command(name="explain", does="what is under the cursor", keys="question_mark", shown="?", foot="explain",
            action="explain"),
)  # fmt: skip

FRAMES = (
    Command(does="another frame of this link", keys="right", shown="←→", foot="frame", action="move(1)"),
    Command(does="another frame", keys="left", action="move(-1)"),
    Command(does="ten frames on", keys="shift+right", shown="shift", action="move(10)"),
    Command(does="ten frames back", keys="shift+left", action="move(-10)"),
    Command(does="another link", keys="down", shown="↑↓", foot="link", action="link(1)"),
    Command(does="another link", keys="up", action="link(-1)"),
    Command(name="the first frame", does="of this link", keys="home", shown="home", action="end(-1)"),
    Command(
        name="follow", does="the present, or stand where one is", keys="a,end", shown="a", foot="follow",
        action="follow",
    ),
    Command(
        name="into the ruler", does="the cursor over the fields of the frame", keys="tab,enter", shown="tab",
        foot="ruler", action="ruler",
    ),
    Command(
        name="say it", does="a message of your own, right or wrong", keys="s", shown="s", foot="say it",
        action="say",
    ),
    Command(
        name="say this frame again", does="it stands in the blanks, to be changed", keys="y", shown="y",
        action="take",
    ),
    Command(
        name="to the answer, or back", does="from a request to what answers it, and back", keys="t", shown="t",
        foot="answer", action="partner",
    ),
    Command(
        name="closer", does="fewer seconds in sight", keys="plus,equals_sign", shown="+", foot="closer",
        action="zoom(-1)",
    ),
    Command(name="farther", does="more seconds in sight", keys="minus", shown="−", action="zoom(1)"),
    Command(
        name="find frames", does="by a word of the message, a field (value > 500), bytes (0x58 06), or problem; n and "
        "N go on", keys="f", shown="f", foot="find", action="find",
    ),
    Command(does="the next that was found", keys="n", shown="n", action="again(1)"),
    Command(does="the one before that was found", keys="N", shown="N", action="again(-1)"),
    Command(name="the next problem", does="on this link", keys="p", shown="p", foot="problem", action="problem(1)"),
    Command(name="the problem before", does="on this link", keys="P", shown="P", action="problem(-1)"),
    Command(name="levels on the line", does="show or hide them", keys="w", shown="w", action="wave"),
    Command(
        name="the slate", does="a sum of the trade; it knows the frame under the cursor", keys="slash", shown="/",
        foot="slate", action="slate",
    ),
    Command(name="the frame's trail", does="what became of it, on Drive", keys="g", shown="g", action="trail"),
    Command(
        name="let go of the link, or take it up", does="so that another program can open the device", keys="o",
        shown="o", action="let_go",
    ),
    Command(
        name="explain", does="what is under the cursor", keys="question_mark", shown="?", foot="explain",
        action="explain",
    ),
)  # fmt: skip
"""Over the tape."""
RULER = (
    Command(does="another field; over bits, another bit", keys="right", shown="←→", foot="field", action="field(1)"),
    Command(does="another field, or bit", keys="left", action="field(-1)"),
    Command(does="over its bits, or back over fields", keys="down", shown="↓", foot="bits", action="bits"),
    Command(does="over fields again", keys="up", action="bits"),
    Command(does="flip the bit", keys="space", shown="space", foot="flip", action="flip"),
    Command(does="one more", keys="plus,equals_sign", shown="+ −", foot="one more, less", action="nudge(1)"),
    Command(does="one less", keys="minus", action="nudge(-1)"),
    Command(does='type another value; a text begins with "', shown="0–9", foot="value"),
    Command(
        does="leave lengths and checks wrong on purpose, or make them right",
        keys="c",
        shown="c",
        foot="checks",
        action="checks",
    ),
    Command(does="take the last change back", keys="u", shown="u", foot="undo", action="undo"),
    Command(does="say the frame as it stands here", keys="s", shown="s", foot="say it", action="say_changed"),
    Command(does="back to the tape", keys="escape,tab,enter", shown="esc", foot="tape", action="tape"),
    Command(does="explain the field", keys="question_mark", shown="?", foot="explain", action="explain"),
)
SAY = (
    Command(does="another message, or blank", keys="down", shown="↑↓", foot="choose", action="choose(1)"),
    Command(does="another message, or blank", keys="up", action="choose(-1)"),
    Command(does="the next blank", keys="tab", shown="tab", action="blank(1)"),
    Command(does="one more; the next word", keys="right", shown="←→", foot="one more, less", action="turn(1)"),
    Command(does="one less; the word before", keys="left", action="turn(-1)"),
    Command(does="fill the blanks of this message; say it", keys="enter", shown="⏎", foot="say it", action="enter"),
    Command(does="say it wrong on purpose", keys="b", shown="b", foot="say it wrong", action="ways"),
    Command(does='type into the blank; a text begins with "', shown="0–9", foot="value"),
    Command(
        does="what was said by hand before, into the blanks", keys="y", shown="y", foot="say again", action="again_said"
    ),
    Command(does="copy it as a command line", keys="c", shown="c", foot="copy", action="copy"),
    Command(does="copy what was said by hand as lines of a routine", keys="r", shown="r", action="copy_said"),
    Command(does="back", keys="escape", shown="esc", foot="back", action="tape"),
    Command(does="explain the message", keys="question_mark", shown="?", foot="explain", action="explain"),
)
WAYS = (
    Command(does="choose", keys="down", shown="↑↓", foot="choose", action="way(1)"),
    Command(does="choose", keys="up", action="way(-1)"),
    Command(does="say it so", keys="enter", shown="⏎", foot="say it so", action="say_so"),
    Command(does="not so", keys="escape", shown="esc", foot="not so", action="no_way"),
)
TYPING = (
    Command(does="take it", shown="⏎", foot="take it"),
    Command(does="leave it as it is", shown="esc", foot="leave it as it is"),
)

FINDING = (
    Command(does="finds points", shown="a word", foot="finds points"),
    Command(does="choose", shown="↑↓", foot="choose"),
    Command(does="keep the search", shown="⏎", foot="keep the search"),
    Command(does="show all", shown="esc", foot="show all"),
)
ENTERING = (
    Command(does="set it", shown="⏎", foot="set it"),
    Command(does="leave it as it is", shown="esc", foot="leave it as it is"),
    Command(does="any unit that fits", shown="any unit that fits:", foot="60 %, 0.6, 250 ms"),
)
ENTERING_TEXT = ENTERING[:2]
ENTERING_COLOUR = (
    *ENTERING_TEXT,
    Command(does="a colour", shown="a colour:", foot="#d8a23c, gold"),
)
ADDING = (
    Command(does="choose", shown="↑↓", foot="choose"),
    Command(does="type it", shown="a word", foot="is typed"),
    Command(does="the next question", shown="⏎", foot="on"),
    Command(does="back", shown="esc", foot="back"),
)
"""The questions for something new take all keys themselves."""
ROUTINES = (
    Command(name="run it", does="the routine in which the cursor is", keys="f5", shown="F5", foot="run", action="go",
            always=True),
    Command(name="stop it", does="always through `finally`; then all that it touched goes to rest", keys="f8",
            shown="F8", foot="stop", action="stop", always=True),
    Command(name="text or tracks", does="where there is room for one of them", keys="f9", shown="F9", foot="tracks",
            action="other", tight=True),
    Command(name="hold it", does="before its next steps, or let it go on", keys="f6", shown="F6", foot="hold",
            action="hold", always=True),
    Command(name="one step", does="of what is held; where nothing runs, the line under the cursor by itself", keys="f7",
            shown="F7", foot="one step, one line", action="one_step", always=True),
    Command(does="what fits; where nothing is begun, to the tunes", shown="tab", foot="what fits, tunes"),
    Command(name="the routines of this text", does="to go to one of them, or to begin another", keys="ctrl+l",
            shown="ctrl+l", foot="list", action="list"),
    Command(name="save the routines", does="in one go", keys="ctrl+s", shown="ctrl+s", foot="save", action="save"),
    Command(name="what was done by hand", does="since the last time, as lines of a routine", keys="ctrl+t",
            shown="ctrl+t", action="by_hand"),
    Command(name="take the file in", does="as it is on disk; ctrl+z brings back what is here", keys="ctrl+r",
            shown="ctrl+r", action="take_in"),
    Command(name="explain the step", does="how it is written, and what it does; on an empty line, all steps", keys="f1",
            shown="F1", foot="explain", action="explain"),
)  # fmt: skip
TUNES = (
    Command(does="another tune", shown="↑↓", foot="tune"),
    Command(does="turn it; with shift farther", shown="←→", foot="turn it"),
    Command(does="back to the text", shown="esc", foot="to the text"),
)
"""What the tunes hear, while they are chosen."""
JOGGING = (
    Command(does="a small step; with shift five", shown="←→", foot="a step"),
    Command(does="this is the first end", shown="[", foot="one end"),
    Command(does="this is the other end", shown="]", foot="the other"),
    Command(does="it rests here", shown="0", foot="rests here"),
    Command(does="write the ends", shown="⏎", foot="write them"),
    Command(does="back", shown="esc", foot="back"),
)
"""Finding ends by trying takes all keys itself."""
EDITING = (
    Command(does="choose", shown="↑↓", foot="choose"),
    Command(does="type a value", shown="a value", foot="is typed"),
    Command(does="the first that fits", shown="tab", foot="what fits"),
    Command(does="change it", shown="⏎", foot="change it"),
    Command(does="back", shown="esc", foot="back"),
)
"""The keys of a row take all keys themselves, for what is typed."""
SHEET = (
    Command(does="scroll", keys="up", shown="↑↓", foot="scroll", action="scroll(-1)"),
    Command(does="scroll", keys="down", action="scroll(1)"),
    Command(does="scroll far", keys="pageup", action="scroll(-10)"),
    Command(does="scroll far", keys="pagedown,space", action="scroll(10)"),
    Command(does="back", keys="escape,enter,q,question_mark", shown="esc", foot="back", action="dismiss"),
)
CHOOSING = (
    Command(does="finds it", shown="a word", foot="finds it"),
    Command(does="choose", shown="↑↓", foot="choose"),
    Command(does="do it", shown="⏎", foot="do it"),
    Command(does="back", shown="esc", foot="back"),
)
"""The list of all actions takes all keys itself, for what is typed."""
SCREENS = (
    Command(does="go there", shown="1–9", foot="go there"),
    Command(does="stay here", keys="escape,q", shown="esc", foot="stay here", action="dismiss"),
)
DEFECTS = (
    Command(does="choose", keys="up", shown="↑↓", foot="choose", action="move(-1)"),
    Command(does="choose", keys="down", action="move(1)"),
    Command(does="switch", keys="space,enter", shown="space", foot="switch", action="switch"),
    Command(does="save in the bench file", keys="s", shown="s", foot="save in the bench file", action="save"),
    Command(does="back", keys="escape,d,q", shown="esc", foot="back", action="dismiss"),
)

Commands = tuple[Command, ...]
Keys = tuple[tuple[str, str], ...]


@functools.cache
def actions(commands: Commands) -> dict[str, tuple[str, tuple[int, ...]]]:
    """For each key the method that is called, and with what: for what takes its keys itself, so that fast ones keep
    their order."""
    found: dict[str, tuple[str, tuple[int, ...]]] = {}
    for command in commands:
        name, _, rest = command.action.partition("(")
        given = tuple(int(word) for word in rest.rstrip(")").split(",") if word)
        found |= {key: (name, given) for key in command.keys.split(",") if key and name}
    return found


def bindings(commands: Commands) -> list[BindingType]:
    """The keys of commands, as Textual takes them."""
    return [
        Binding(command.keys, command.action, command.does, priority=command.always)
        for command in commands
        if command.keys and command.action
    ]


def foot(commands: Commands, *, tight: bool = False) -> Keys:
    """The keys that stand at the foot, with what they do. Those of everywhere come last, and are left out last."""
    return tuple((command.shown, command.foot) for command in commands if command.foot and tight >= command.tight)


def key_table(commands: Commands) -> str:
    """The keys as a table, for the docs."""
    rows = []
    for command in commands:
        also = [key for key in command.keys.split(",")[1:] if key.startswith("ctrl") or key in ("home", "end")]
        shown = ", ".join(f"`{key}`" for key in (command.shown, *also))
        what = f"{command.name}: {command.does}" if command.name else command.does
        rows += [f"| {shown} | {what} |"] if command.shown else []
    return "\n".join(["| key | what it does |", "|---|---|", *rows])
