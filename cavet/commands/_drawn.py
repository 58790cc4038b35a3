"""Drawings of a bench: how it is wired, a board's pins, a register map."""

from __future__ import annotations

from typing import TYPE_CHECKING

from cavet.benchfile import register_rows
from cavet.commands._bench import open_bench
from cavet.commands.show import find_map
from cavet.drawings.vector import Drawing
from cavet.wording import WrongError, plain, unknown

if TYPE_CHECKING:
    from cavet.drawings.canvas import Canvas

TOLD = 2000


def wiring_drawing(words: tuple[str, ...]) -> Drawing:
    """The cross-section of a bench's boards, or of one. Raises `WrongError`."""
    from cavet.drawings.from_canvas import canvas_drawing
    from cavet.drawings.wiring import draw_wiring, sections, told

    if not 1 <= len(words) <= 2:
        raise WrongError("draw wiring", found=" ".join(words) or "nothing", expected="BENCH, or BENCH BOARD")
    setup = open_bench(words[0]).setup
    known = setup.known_boards
    if len(words) == 2 and words[1] not in known:
        raise unknown("draw wiring", words[1], known)
    drawn = sections(setup, words[1:] or known)
    title = f"{setup.name}: what is wired to what" + (f", {words[1]}" if len(words) == 2 else "")
    return canvas_drawing(draw_wiring(drawn), plain(title), plain(told(drawn), TOLD))


def pins_drawing(words: tuple[str, ...]) -> Drawing:
    """The pin map of a board. Raises `WrongError`."""
    from cavet.drawings.from_canvas import canvas_drawing
    from cavet.drawings.pins import draw_pins

    if len(words) != 2:
        raise WrongError("draw pins", found=" ".join(words) or "nothing", expected="BENCH BOARD")
    setup = open_bench(words[0]).setup
    canvas = draw_pins(setup, words[1])
    return canvas_drawing(canvas, plain(f"{setup.name}: the pins of {words[1]}"), _words_on(canvas))


def map_drawing(words: tuple[str, ...]) -> Drawing:
    """A register map. Raises `WrongError`."""
    from cavet.drawings.from_canvas import canvas_drawing
    from cavet.drawings.pins import draw_register_map

    if len(words) != 1:
        raise WrongError("draw map", found=" ".join(words) or "nothing", expected="FILE#NAME, or a map that ships")
    canvas = draw_register_map(register_rows(find_map(words[0])), words[0])
    return canvas_drawing(canvas, plain(f"the register map {words[0]}"), _words_on(canvas))


def _words_on(canvas: Canvas) -> str:
    """What stands on a canvas, without its lines."""
    return plain(" ".join(word for word in canvas.text().split() if word.strip("─│┌┐└┘├┤┬┴┼")), TOLD)


def walk_drawing(words: tuple[str, ...]) -> Drawing:
    """A bench that is walked, in fast time: which output moved which part. Raises `WrongError`."""
    from cavet.checks import Case, carry_out, squares_of, with_walk
    from cavet.drawings.from_canvas import canvas_drawing
    from cavet.drawings.square import draw_walked

    if len(words) != 1:
        raise WrongError("draw walk", found=" ".join(words) or "nothing", expected="BENCH")
    setup, walk = with_walk(open_bench(words[0]).setup)
    came = carry_out(setup, Case(check=walk, seed=setup.seed))
    boards = squares_of(setup, came.walked)
    wrong = [f"{row.name}: {row.why}" for board in boards for row in board.rows if row.held is False]
    told = "; ".join(wrong) if wrong else "each output moves what it names, and nothing else"
    return canvas_drawing(draw_walked(boards), plain(f"{setup.name}: the walk"), plain(told, TOLD))
