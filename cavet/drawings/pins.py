"""A board's pins: every numbering side by side, what each can do, what hangs there, who believes in it."""

from __future__ import annotations

from cavet.benchfile import Setup, board_rows
from cavet.drawings.canvas import ASKED, GOT, HAIR, PAPER, QUIET, Canvas
from cavet.wording import listed, plain

COLUMNS = ((1, "pin"), (7, "also"), (14, "channel"), (24, "hangs there"), (46, "believed"), (68, "it can"))


def draw_pins(setup: Setup, board: str, width: int = 118) -> Canvas:
    """Draw the pin map of a simulated board. Raises `WrongError` for what is none."""
    rows = board_rows(setup, board)["pins"]
    canvas = Canvas(width, len(rows) + 4)
    canvas.put(1, 0, board, PAPER._replace(bold=True))
    canvas.put(len(board) + 3, 0, setup.boards[board].profile.name, QUIET)
    for x, head in COLUMNS:
        canvas.put(x, 2, head, QUIET)
    canvas.across(1, 3, width - 2, "─", HAIR)
    for y, row in enumerate(rows, 4):
        hangs, believed = ", ".join(row["parts"]), ", ".join(row["points"])
        channel = "" if row["channel"] is None else str(row["channel"])
        can = listed(list(row["modes"]), "and") if row["modes"] else plain(row["kept_for"])
        cells = (str(row["pin"]), row["label"], channel, hangs, believed, can)
        inks = (PAPER._replace(bold=bool(hangs)), PAPER, PAPER, GOT, ASKED, QUIET)
        for place, (text, ink) in enumerate(zip(cells, inks, strict=True)):
            x = COLUMNS[place][0]
            end = COLUMNS[place + 1][0] - 1 if place + 1 < len(COLUMNS) else width
            canvas.put(x, y, text, ink, end - x)
    return canvas


def draw_register_map(rows: list[dict[str, object]], name: str, width: int = 100) -> Canvas:
    """Draw a register map: addresses, resets, access, and the bits of each register."""
    canvas = Canvas(width, len(rows) + 4)
    canvas.put(1, 0, name, PAPER._replace(bold=True))
    columns = ((1, "at"), (8, "register"), (30, "bytes"), (38, "reset"), (47, "access"), (60, "bits"))
    for x, head in columns:
        canvas.put(x, 2, head, QUIET)
    canvas.across(1, 3, width - 2, "─", HAIR)
    for y, row in enumerate(rows, 4):
        fields = row["fields"] if isinstance(row["fields"], list) else []
        bits = ", ".join(f"{each['name']} {_bits(each['bit'], each['bits'])}" for each in fields)
        size = int(str(row["size"]))
        cells = (str(row["hex"]), str(row["register"]), str(size), f"0x{int(str(row['reset'])):0{2 * size}X}",
                 str(row["access"]), bits)  # fmt: skip
        for place, (text, ink) in enumerate(zip(cells, (GOT, PAPER, QUIET, QUIET, QUIET, QUIET), strict=True)):
            x = columns[place][0]
            end = columns[place + 1][0] - 1 if place + 1 < len(columns) else width
            canvas.put(x, y, plain(text), ink, end - x)
    return canvas


def _bits(first: int, count: int) -> str:
    return str(first) if count == 1 else f"{first + count - 1}…{first}"
