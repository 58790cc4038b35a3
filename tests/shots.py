"""Retakes the pictures of docs/screenshots/ in a real terminal window: `make shots`.

It needs a program that takes pictures of one, named by SHOOT, and called as
`shoot [--size WxH] OUT.png KEYS … -- COMMAND …`, where KEYS are key names, `text:STRING` and `wait:SECONDS`.
"""

import os
import re
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

from cavet.demo import demo_path

ROOT = Path(__file__).parents[1]
PICTURES = ROOT / "docs" / "screenshots"
SHOOT = os.environ.get("SHOOT", str(ROOT.parent / "shared" / "tools" / "shoot"))
TRIES = 6
LEAST_BYTES = 60_000
COMMAND = [sys.executable, "-m", "cavet", "demo"]

FILL = ["Down", "Down", "text:60", "Return"]
CROSS = ["d", "Down", "space", "Escape"]
PRESS_STOP = ["Down"] * 12 + ["space", "wait:0.1"] + ["Up"] * 12
OPEN_PUMPS = ["Up", "Left", "Down", "Right"]
PUMPS = ["Down", "Down", "text:60", "Return", "Up", "space"]
DRAIN = ["Down", "Down", "Down", "Down", "space", "Down", "space", "wait:2"]
RELAYS = ["text:f", "text:relay_10", "Return", "Down", "Down", "space", "Down", "Down", "space", "wait:0.5"]
SUPPLY = [
    "Down",
    "text:12.5",
    "Return",
    "Up",
    "space",
    "Down",
    "Down",
    "text:0.5",
    "Return",
    "wait:0.5",
    "Escape",
    "Up",
]
TOWPATH = [
    *["End", "Right", "End", "Up", "Up", "Up", "text:600", "Return", "wait:0.1", "Down", 'text:"LOCK CLOSED', "Return"],
    *["wait:1", "Up", "Up", "space", "wait:0.5"],
]
BUSES = [
    *["text:f", "text:panel", "Return", 'text:"Ottersluice lock', "Return", "Escape", "wait:1", "Down"],
    *['text:"→', "Return", "wait:0.5"],
    *["Up", "Up", "space", "Up", "Up", "space", "Up", "space", "Down", "Down", "Down", "Down", "wait:1"],
]
POST = [
    "text:f",
    "text:post_",
    "Return",
    "space",
    "Down",
    "Down",
    "space",
    "Down",
    "Down",
    "space",
    "End",
    "space",
    "Up",
]
MAST = [
    *["text:f", "text:yard", "Return", "space", "Down", "Down", "space", "Down", "space", "Escape"],
    *["text:f", "text:banner", "Return", 'text:"lock open', "Return", "wait:3", "Escape", "wait:0.5"],
]
FRAMES = ["Right", "Right", "Right", "wait:1", "w", "wait:1", "Tab", "wait:0.5"]
SAY = [
    *[
        "F4",
        "wait:1",
        "Down",
        "wait:0.5",
        "s",
        *(["Down"] * 5),
        "Return",
        "Down",
        "text:0",
        "Return",
        "text:600",
        "Return",
    ],
    *["Return", "wait:0.5", "text:725", "Return", "Return", "wait:0.5", "b", "wait:0.5"],
]
PACKET = ["F4", "wait:1", *(["Up"] * 1), "wait:7", "a", "Left", "Left", "wait:0.5", "Tab", "wait:0.5"]
BUS = ["F4", "wait:1", "Up", "Up", "wait:3", "a", "Left", "wait:0.5", "Tab", "wait:0.5"]
LINE = [
    "F4",
    "wait:1",
    "Down",
    "Down",
    "wait:1",
    "a",
    "Left",
    "Left",
    "wait:0.5",
    "plus",
    "plus",
    "Left",
    "Tab",
    "wait:0.5",
]
SHOTS = {
    "bench.png": ([], ["text:80", "Return", "wait:1", "F3", "wait:2"]),
    "bench-crossed.png": ([], [*CROSS, "F3", "wait:1.5", "r", "wait:1"]),
    "drive-at-rest.png": ([], ["wait:6"]),
    "drive.png": ([], ["text:80", "Return", "wait:1", *FILL, "wait:5", *PRESS_STOP, "wait:0.2"]),
    "drive-broken.png": ([], [*CROSS, *FILL, "wait:0.6", "Down", "Down", "text:50", "Return", "wait:1"]),
    "trail.png": ([], [*CROSS, *FILL, "wait:0.8", "Return", "wait:0.4"]),
    "drive-light.png": ([], [*FILL, "wait:3", "F2", "wait:0.3", "text:light", "Return", "wait:0.6"]),
    "pumphouse.png": ([], [*OPEN_PUMPS, *PUMPS, "wait:2", *DRAIN, *(["Up"] * 5), "wait:0.5"]),
    "switchrack.png": ([], [*RELAYS, "Escape", "text:f", "text:supply_1", "Return", *SUPPLY, "wait:1"]),
    "towpath.png": ([], TOWPATH),
    "buses.png": ([], BUSES),
    "signalpost.png": ([], [*POST, "wait:1"]),
    "mast.png": ([], MAST),
    "frames.png": ([], FRAMES),
    "frames-say.png": ([], SAY),
    "frames-mqtt.png": ([], PACKET),
    "frames-i2c.png": ([], BUS),
    "frames-rtu.png": ([], LINE),
    "drive-100x30.png": (["--size", "800x510"], [*FILL, "wait:2"]),
}


ON_THE_LINE = "frames-rtu.png"
"""The one that shows the pump house on its serial line."""


def on_the_line(folder: Path) -> list[str]:
    """The command for a copy of the demo whose host speaks with the pump house over its serial line."""
    shutil.copytree(demo_path().parent, folder, dirs_exist_ok=True)
    bench = folder / demo_path().name
    bench.write_text(
        re.sub(r'(?s)(\[hosts\.pumphouse\]\nlink = )"pumphouse"', r'\1"pumphouse_line"', bench.read_text())
    )
    return [sys.executable, "-m", "cavet", "open", str(bench)]


def main() -> int:
    if not Path(SHOOT).exists():
        print(f"shots: {SHOOT}: no such program; name one with SHOOT=…", file=sys.stderr)
        return 1
    PICTURES.mkdir(exist_ok=True)
    with tempfile.TemporaryDirectory() as folder:
        line = on_the_line(Path(folder))
        for name, (options, keys) in SHOTS.items():
            command = line if name == ON_THE_LINE else COMMAND
            take(PICTURES / name, [SHOOT, *options, str(PICTURES / name), "wait:3", *keys, "--", *command])
    return 0


def take(picture: Path, words: list[str]) -> None:
    """Take a picture; once more where the window did not get its size in time, and shows hardly anything."""
    for _ in range(TRIES):
        done = subprocess.run(words, check=False)
        if done.returncode == 0 and picture.stat().st_size > LEAST_BYTES:
            return
    raise SystemExit(f"shots: {picture.name} can't be taken")


if __name__ == "__main__":
    sys.exit(main())
