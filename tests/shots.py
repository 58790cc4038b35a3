"""Retakes the pictures of docs/screenshots/ in a real terminal window: `make shots`.

It needs a program that takes pictures of one, named by SHOOT, and called as
`shoot [--size WxH] OUT.png KEYS … -- COMMAND …`, where KEYS are key names, `text:STRING` and `wait:SECONDS`.
"""

import os
import subprocess
import sys
import tempfile
from pathlib import Path

from cavet.benchfile import start_text

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
BUSES = [
    *["text:f", "text:panel", "Return", 'text:"Ottersluice lock', "Return", "Escape", "wait:1", "Down"],
    *['text:"→', "Return", "wait:0.5"],
    *["Up", "Up", "space", "Up", "Up", "space", "Up", "space", "Down", "Down", "Down", "Down", "wait:1"],
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
NEW = ["text:80", "Return", "F3", "wait:1", "n", "wait:0.5", "Down", "Down", "Return", "wait:0.5"]
AROUND = ["F3", "wait:1", "Tab", "Tab", *(["Down"] * 7), "i", "wait:10"]
FIRST = [
    *["N", "wait:0.5", "Return", "wait:2.5", "N", "wait:0.5", "Down", "Return", "wait:2.5"],
    *["N", "wait:0.5", "Down", "Down", "Return", "wait:2.5"],
    *["N", "wait:0.5", "Down", "Down", "Down", "Return", "wait:4", "F4", "wait:2"],
    *["space", "Up", "Up", "Up", "shift+Right", "shift+Right", "Up", "space", "Up", "Up", "Up"],
    *[*(["shift+Right"] * 6), "Up", "space", "wait:3"],
]
RECORD = ["minus", "Down", *(["shift+Left"] * 3), "m", *(["shift+Left"] * 2), "m", "wait:1"]
MOMENT = ["minus", *(["shift+Left"] * 2), "Return", "wait:1", "Down", "N", "wait:1"]
CAMPAIGN = [
    *["Down", "c", "wait:0.5", "text:20", "Return", "wait:0.3"],
    *["text:,slow_board,no_panel,crossed_paddles,worn_cable", "Return", "wait:0.3", "text:1", "Return"],
    *["wait:45", "Right", "wait:0.5"],
]
SHOTS = {
    "bench.png": ([], ["text:80", "Return", "wait:1", "F3", "wait:2"]),
    "bench-crossed.png": ([], [*CROSS, "F3", "wait:1.5", "r", "wait:1"]),
    "drive.png": ([], ["text:80", "Return", "wait:1", *FILL, "wait:5", *PRESS_STOP, "wait:0.2"]),
    "drive-broken.png": ([], [*CROSS, *FILL, "wait:0.6", "Down", "Down", "text:50", "Return", "wait:1"]),
    "trail.png": ([], [*CROSS, *FILL, "wait:0.8", "Return", "wait:0.4"]),
    "pumphouse.png": ([], [*OPEN_PUMPS, *PUMPS, "wait:2", *DRAIN, *(["Up"] * 5), "wait:0.5"]),
    "switchrack.png": ([], [*RELAYS, "Escape", "text:f", "text:supply_1", "Return", *SUPPLY, "wait:1"]),
    "buses.png": ([], BUSES),
    "record.png": ([], ["F4", "F4", "wait:1", *(["Down"] * 15), "F5", "wait:14", "F4", "wait:1", *RECORD]),
    "moment.png": ([], ["F4", "F4", "wait:1", *(["Down"] * 15), "F5", "wait:12", "F4", "wait:1", *MOMENT]),
    "mast.png": ([], MAST),
    "frames.png": ([], FRAMES),
    "frames-say.png": ([], SAY),
    "frames-mqtt.png": ([], PACKET),
    "checks.png": ([], [*CROSS, *(["F4"] * 4), "wait:1", "w", "wait:12", *CAMPAIGN]),
    "bench-new.png": ([], NEW),
    "bench-around.png": ([], AROUND),
    "first-bench.png": ([], FIRST),
    "routines.png": ([], ["F4", "F4", "wait:1", *(["Down"] * 15), "F5", "wait:16"]),
}


FROM_NOTHING = "first-bench.png"
"""The one that begins with a bench in which there is nothing; all others show the demo."""


def empty_bench(folder: Path) -> list[str]:
    """The command for a bench with nothing in it."""
    bench = folder / "mine.bench.toml"
    bench.write_text(start_text(bench.name, "Mine", ()))
    return [sys.executable, "-m", "cavet", "open", str(bench)]


def main() -> int:
    if not Path(SHOOT).exists():
        print(f"shots: {SHOOT}: no such program; name one with SHOOT=…", file=sys.stderr)
        return 1
    PICTURES.mkdir(exist_ok=True)
    with tempfile.TemporaryDirectory() as folder:
        empty = empty_bench(Path(folder))
        for name, (options, keys) in SHOTS.items():
            command = empty if name == FROM_NOTHING else COMMAND
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
