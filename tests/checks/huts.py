"""A small bench for checks: a hut with a lamp, a servo, a button, and defects to be made."""

import tempfile
from pathlib import Path

from cavet.benchfile import load_bench

LINE = """
[links.hut]
kind = "serial"
board = "hut"
[hosts.hut]
link = "hut"
protocol = "firmata"
"""
"""What joins a board that speaks Firmata, the hut, and its host."""
ONE_LAMP = (
    """
format = 1
[boards.hut]
profile = "wren"
firmware = "firmata"
[boards.hut.parts]
lamp = { kind = "lamp", pin = 13 }
"""
    + LINE
    + """[points.lamp]
board = "hut"
kind = "switch"
pin = 13
"""
)
"""A board with nothing but a lamp."""
HUT = (
    """format = 1
name = "Hut"
seed = "hut"

[boards.hut]
profile = "wren"
firmware = "firmata"
failsafe = "300 ms"

[boards.hut.parts]
lamp = { kind = "lamp", pin = 3 }
flag = { kind = "servo", pin = 9 }
fan = { kind = "lamp", pin = 5 }
bell = { kind = "button", pin = 4 }

"""
    + LINE
    + """
[points.lamp]
board = "hut"
kind = "switch"
pin = 3

[points.flag]
board = "hut"
kind = "level"
mode = "servo"
pin = 9
unit = "deg"
range = ["0 deg", "180 deg"]

[points.spare]
board = "hut"
kind = "switch"
pin = 6

[defects.dead]
kind = "dead-pin"
board = "hut"
pin = 3
on = false

[defects.crossed]
kind = "swapped"
board = "hut"
pins = [3, 5]
on = false

[defects.slow]
kind = "late"
board = "hut"
delay = "10 ms"
on = false
"""
)
SHED = """
[boards.shed]
profile = "heron"
firmware = "modbus"
unit = 7

[boards.shed.parts]
lamp = { kind = "lamp", pin = "L5" }
relay = { kind = "relay", pin = "L1" }

[boards.shed.map]
lamp = { table = "coils", address = 0, pin = "L5" }
relay = { table = "coils", address = 1, pin = "L1" }

[links.shed]
kind = "tcp"
board = "shed"
address = "simulated"
port = 0

[hosts.shed]
link = "shed"
protocol = "modbus"
unit = 7
poll = "100 ms"

[points.shed_lamp]
board = "shed"
kind = "switch"
table = "coils"
address = 0
part = "lamp"

[points.relay]
board = "shed"
kind = "switch"
table = "coils"
address = 1

[points.bell]
board = "hut"
kind = "contact"
mode = "pull-up"
pin = 4
words = ["rung", "quiet"]
"""
"""A second board, to be put behind it."""
ROUTINE = """routine blink
    tune pause = 100 ms  from 10 ms to 1 s
    repeat 3 times
        set lamp to on
        wait pause
        set lamp to off
        wait pause

routine fails
    set lamp to on
    expect hut.flag > 90 deg

routine asks
    repeat 20 times
        send hut pin-state-query pin 3 answered by pin-state-response within 100 ms
        wait 100 ms
"""


def hut(folder: Path, checks: str = "") -> Path:
    """Write the bench with some checks; give its path."""
    path = folder / "hut.bench.toml"
    path.write_text(HUT + checks, "utf-8")
    (folder / "hut.routine").write_text(ROUTINE, "utf-8")
    return path


class Folder:
    """A test case with a folder of its own."""

    def setUp(self):
        place = tempfile.TemporaryDirectory()
        self.addCleanup(place.cleanup)
        self.folder = Path(place.name)

    def setup(self, checks=""):
        return load_bench(hut(self.folder, checks)).setup
