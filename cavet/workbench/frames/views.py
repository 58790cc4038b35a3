"""What the Frames screen shows, as plain values: the tape, the frame under the cursor, what can be said."""

from __future__ import annotations

import msgspec

from cavet.bench import LinkTape, Placed
from cavet.benchfile import LinkSetup
from cavet.boards.buses import BusSettings
from cavet.drawings.canvas import ASKED, CORAL, PAPER, QUIET
from cavet.drawings.ruler import RulerView, value_words
from cavet.protocols import Field, Role, Side, bits_of, means, spi
from cavet.protocols import levels as lines
from cavet.protocols.buses import read_calls
from cavet.protocols.i2c import BusFrame
from cavet.units import show, show_duration
from cavet.wording import counted, hex_pairs, plain
from cavet.workbench.brief import brief
from cavet.workbench.desk import Desk
from cavet.workbench.drawing.saying import BlankView, SaidView, SayView
from cavet.workbench.drawing.tape import Bar, Row, TapeView
from cavet.workbench.drawing.under import Pieces, UnderView
from cavet.workbench.frames import fate
from cavet.workbench.frames.editing import Editing
from cavet.workbench.frames.reading import Reading
from cavet.workbench.frames.said import SaidEntry
from cavet.workbench.frames.sentence import Sentence
from cavet.workbench.typed import Typed

MOST_BARS = 160
MOST_TEXTS = 40
MOST_SHOWN = 40
"""So much is shown of what stands in a blank."""
MAX_WAVE_BYTES = 64
I2C_RATE, SPI_RATE = 100_000, 1_000_000
"""At which clocks buses are drawn: a call does not tell its own."""


def tape_view(desk: Desk, reading: Reading, cells: int, room: int | None = None) -> TapeView:
    """The tape as it is seen in so many cells, with rows for so many other links."""
    on, end = reading.on, reading.begin + cells * reading.cell
    seen = on.within(reading.begin, end)
    crowded = len(seen) > MOST_BARS
    bars = () if crowded else tuple(_bars(desk, reading, on, seen))
    crowd = _cells(on, reading.begin, reading.cell, cells) if crowded else ()
    return TapeView(
        begin=reading.begin, cell=reading.cell, title=_link_title(desk, on), subtitle=on.title, bars=bars,
        rows=tuple(_row(desk, reading, reading.tape.links[name], cells) for name in reading.beside(room)),
        following=reading.following, now=desk.now, left=reading.left, crowded=crowd,
    )  # fmt: skip


def _link_title(desk: Desk, on: LinkTape) -> str:
    link = desk.bench.setup.links.get(on.name)
    if link is None:
        return on.name
    boards = [each.board for each in desk.bench.setup.on_line(link.name)]
    return f"{', '.join(boards)} {link.kind}"


def _bars(desk: Desk, reading: Reading, on: LinkTape, seen: range) -> list[Bar]:
    bars, setup = [], desk.bench.setup
    texts, is_shared = len(seen) <= MOST_TEXTS, len(setup.on_line(on.name)) > 1
    for number in seen:
        placed = on.placed(number)
        chosen, paired = number == reading.number, placed.partner == reading.number >= 0
        text = ""
        if texts or chosen or paired or number == reading.number - 1:
            frame = reading.tape.frame(placed)
            answers = not placed.above and placed.partner >= 0
            text = brief(on.tongue, frame, named=not answers) if frame is not None else placed.name
            if is_shared and not answers and frame is not None:
                text = f"{setup.board_heard(on.name, getattr(frame.message, 'unit', None))} {text}"
            asked = reading.tape.frame(on.placed(placed.partner)) if answers else None
            if asked is not None and frame is not None and asked.data == frame.data:
                text = "echo" if asked.message.NAME == frame.message.NAME else text
        partner = on.placed(placed.partner) if placed.partner >= 0 else None
        asks = partner is not None and placed.above and partner.begin >= placed.end
        gap = placed.begin - partner.end if partner is not None and not placed.above else 0.0
        bars.append(
            Bar(
                first=(placed.begin - reading.begin) / reading.cell, last=(placed.end - reading.begin) / reading.cell,
                above=placed.above, text=plain(text, 60), problem=placed.problem, chosen=chosen, paired=paired,
                answer=(partner.begin - reading.begin) / reading.cell if asks and partner is not None else None,
                delay=show_duration(gap) if (chosen or paired) and gap > 0 else "",
            )
        )  # fmt: skip
    return bars


def _cells(on: LinkTape, begin: float, cell: float, cells: int) -> tuple[tuple[bool, bool, bool], ...]:
    found = []
    for place in range(cells):
        t = begin + place * cell
        above, below = on.count(t, t + cell, above=True), on.count(t, t + cell, above=False)
        found.append((above > 0, below > 0, on.problems_within(t, t + cell) > 0))
    return tuple(found)


def _row(desk: Desk, reading: Reading, on: LinkTape, cells: int) -> Row:
    found = _cells(on, reading.begin, reading.cell, cells)
    told = ""
    if any(wrong for _, _, wrong in found):
        end = reading.begin + cells * reading.cell
        places = [number for number in on.problems[-200:] if reading.begin <= on.end_of(number) <= end]
        frame = reading.tape.frame(on.placed(places[-1])) if places else None
        told = plain("; ".join(frame.problems), 60) if frame is not None else ""
    return Row(
        _link_title(desk, on), tuple(above for above, _, _ in found), tuple(below for _, below, _ in found),
        tuple(wrong for _, _, wrong in found), told,
    )  # fmt: skip


# the frame under the cursor


def under_view(
    desk: Desk, reading: Reading, editing: Editing | None, sentence: Sentence | None, *, active: bool, with_wave: bool,
    entry: Typed | None = None,
) -> UnderView:  # fmt: skip
    """The frame under the cursor, with what is typed for its field; while something is about to be said, that."""
    if sentence is not None:
        return _said_view(desk, sentence)
    placed = reading.placed
    if placed is None or editing is None:
        left = f"; {reading.left} transfers are still to be read" if reading.left else ""
        return UnderView(name="", abouts=(), place="", ruler=None, empty=f"no frame here yet{left}")
    on = reading.on
    board = desk.bench.setup.board_heard(on.name, getattr(editing.frame.message, "unit", None))
    who = f"the host to {board}" if placed.above else f"{board} to the host"
    client = on.client(placed.number)
    if client and "/" not in client and client not in _own(desk, on.name):
        who = f"{who}, by {plain(client, 24)}"
    took = placed.end - placed.begin
    wire = f", {show_duration(took)} on the wire" if took > 0 and on.byte_seconds else ""
    size = len(editing.frame.data)
    time, count = f"{placed.begin:.4f} s", counted(size, "byte")
    abouts = (f"{who} · {time} · {count}{wire}", f"{who} · {time} · {count}", f"{time} · {count}", time)
    fields = meant(desk, board, editing, reading)
    field = fields[editing.cursor] if fields and active else None
    partner = on.placed(placed.partner) if placed.partner >= 0 else None
    wave, note = _wave(desk, reading, editing) if with_wave else (None, "")
    begin = _wave_from(wave, editing) if wave is not None else 0.0
    return UnderView(
        name=editing.frame.message.NAME, abouts=abouts, place=f"{placed.number + 1} of {len(on)}",
        ruler=RulerView(
            data=editing.frame.data, fields=tuple(fields), side=Side.HOST if placed.above else Side.BOARD,
            cursor=editing.cursor if active else None, bit=editing.bit if active else None,
            changed=editing.changed_bits,
        ),
        detail=_detail(field, editing, entry) if field is not None else (),
        problems=tuple(map(plain, editing.frame.problems)),
        wave=wave, wave_from=begin, wave_note=note, changed=editing.is_changed,
        fate=_fate(desk, reading, placed, board) or fate.answered(placed, partner),
    )  # fmt: skip


def _own(desk: Desk, link: str) -> set[str]:
    """The names of this bench's host on a link."""
    return {name for each in desk.bench.host_links.values() if each.link.line == link for name in each.clients}


def meant(desk: Desk, board: str, editing: Editing, reading: Reading) -> list[Field]:
    """The fields of a frame with what they mean on the bench."""
    meanings = desk.meanings(board)
    if meanings is None:
        return editing.fields
    address = None
    placed = reading.placed
    if placed is not None and placed.partner >= 0 and editing.side is Side.BOARD:
        asked = reading.tape.frame(reading.on.placed(placed.partner))
        address = getattr(asked.message, "address", None) if asked is not None else None
    return meanings.tell(editing.frame, editing.fields, editing.side, address if isinstance(address, int) else None)


def _detail(field: Field, editing: Editing, entry: Typed | None) -> Pieces:
    """The field under the cursor in all ways of writing, or what is typed for it."""
    size = sum(count for _, count in field.spans)
    name = (f"{field.name}  ", PAPER._replace(bold=True))
    if entry is not None:
        return (name, (entry.shown(MOST_SHOWN), ASKED._replace(bold=True)))
    pieces = [name, (f"{value_words(field)}   ", PAPER)]
    if 0 < size <= 64 and field.role is not Role.CHECK and not isinstance(field.value, str | bytes | tuple):
        raw = bits_of(editing.frame.data, field.spans)
        pieces.append((f"0x{raw:0{(size + 3) // 4}X}   {_in_fours(raw, size)}   ", PAPER))
    told = means(field)
    if field.problem:
        pieces.append((f"✕ {plain(field.problem)}   ", CORAL))
    elif told:
        pieces.append((f"{plain(told)}   ", QUIET))
    if field.role is Role.VALUE and size <= 32 and isinstance(field.raw, int):
        pieces.append((f"0 to {(1 << size) - 1}", QUIET))
    if editing.leaves_wrong:
        pieces.append(("   lengths and checks stay wrong", CORAL))
    return tuple(pieces)


def _in_fours(raw: int, size: int) -> str:
    digits = f"{raw:0{size}b}"
    first = len(digits) % 4
    parts = [digits[:first]] if first else []
    return " ".join(parts + [digits[place : place + 4] for place in range(first, len(digits), 4)])


def _fate(desk: Desk, reading: Reading, placed: Placed, board: str) -> Pieces:
    frame = reading.tape.frame(placed)
    if frame is None or not placed.above:
        return ()
    trail = fate.trail_of(desk.standings, desk.bench.record, reading.on, placed.number, frame, board)
    return fate.fate_of(desk.standings, trail) if trail is not None else ()


def _wave(desk: Desk, reading: Reading, editing: Editing) -> tuple[lines.Waveform | None, str]:
    """The frame as levels, where its link has any; of a long frame the byte under the cursor and those beside it."""
    link = desk.bench.setup.links.get(reading.link)
    data = editing.frame.data
    if link is None or not data or len(data) > MAX_WAVE_BYTES:
        return None, ""
    frame = editing.frame
    if isinstance(frame, BusFrame):
        return _bus_wave(desk, link, frame)
    if isinstance(frame.message, spi.Transfer):
        return _spi_wave(desk, reading, frame.message, data)
    if link.kind != "serial":
        return None, ""
    settings = link.settings
    wave = lines.uart(data, settings.rate, bits=settings.data_bits, parity=settings.parity, stops=settings.stop_bits)
    place = (editing.bit or _first_bit(editing)) // 8
    byte = data[place] if place < len(data) else 0
    bits = " ".join(str(byte >> number & 1) for number in range(settings.data_bits))
    return wave, f"{byte:02X} = start · {bits} · stop, least bit first"


def _spi_wave(desk: Desk, reading: Reading, message: spi.Transfer, data: bytes) -> tuple[lines.Waveform, str]:
    """A transfer at its clock, with what came in meanwhile, where that is known by now."""
    placed, on, frame = reading.placed, reading.on, reading.frame
    calls = read_calls(on.told(placed.number, frame, desk.bench.record)) if placed and frame else []
    rate = next((call.rate for call in calls if call.rate), SPI_RATE)
    answer = reading.tape.frame(on.placed(placed.partner)) if placed and placed.partner >= on.first else None
    back = answer.data if answer is not None and len(answer.data) == len(data) else None
    wave = lines.spi(data, rate, mode=message.mode, lowest_first=message.order == "lsb", back=back)
    return wave, f"SPI, mode {message.mode}, at {show(rate / 1e6)} MHz"


def _bus_wave(desk: Desk, link: LinkSetup, frame: BusFrame) -> tuple[lines.Waveform, str]:
    """A transaction at the clock of its bus, with what the device that is called adds to it."""
    board = desk.bench.setup.boards.get(link.board)
    rate = board.bus.rate if board is not None else I2C_RATE
    address = getattr(frame.message, "address", None)
    parts = board.parts.values() if board is not None else ()
    devices = [part for part in parts if isinstance(part, BusSettings)]
    held = next((device.stretch for device in devices if device.address == address), 0.0)
    words = f"I2C at {show(rate / 1000)} kHz" + (
        f", the clock held {show_duration(held)} behind each byte" if held else ""
    )
    return lines.bus(frame.tokens, rate, held), f"{words}; acknowledge bits are not in the record"


def _first_bit(editing: Editing) -> int:
    field = editing.field
    return min((begin for begin, _ in field.spans), default=0) if field is not None else 0


def _wave_from(wave: lines.Waveform, editing: Editing) -> float:
    """From where the levels are shown: a little before the byte under the cursor."""
    at = (editing.bit if editing.bit is not None else _first_bit(editing)) // 8
    begins = [stretch.begin for stretch in wave.stretches if stretch.bit is not None and stretch.bit // 8 == at]
    return max(0.0, min(begins, default=0.0) - 3 * wave.period)


# saying


def _said_view(desk: Desk, sentence: Sentence) -> UnderView:
    """What is about to be said, as it will be on the wire."""
    frame = sentence.frame()
    if frame is None:
        return UnderView(
            name="", abouts=(), place="", ruler=None, empty="its ruler stands here once the blanks are right"
        )
    fields = sentence.tongue.explained(frame, Side.HOST)
    blank = sentence.blank
    cursor = next(
        (place for place, field in enumerate(fields) if blank is not None and field.name == blank.field), None
    )
    told = sentence.means()
    named = [_with_meaning(field, told.get(field.name, "")) for field in fields]
    return UnderView(
        name=frame.message.NAME, abouts=("as it will be said",), place="not said yet",
        ruler=RulerView(data=frame.data, fields=tuple(named), cursor=cursor),
        problems=tuple(map(plain, frame.problems)),
    )  # fmt: skip


def _with_meaning(field: Field, meaning: str) -> Field:
    return msgspec.structs.replace(field, meaning=meaning) if meaning else field


def say_view(
    sentence: Sentence, to: str, *, focused: bool, entry: Typed | None, refused: str, ways: tuple[str, ...], way: int
) -> SayView:
    """The panel on the right."""
    wrong_field, wrong = sentence.wrong()
    unfilled = sentence.unfilled
    if unfilled:
        wrong_field, wrong = "", ""
    told = sentence.means() if not sentence.choosing else {}
    blank = sentence.blank
    texts = {each.field: each for each in sentence.blanks}
    pieces = []
    for text, field in sentence.pieces:
        if not field:
            pieces.append(BlankView(text))
            continue
        here = blank is not None and field == blank.field
        typed = entry if here else None
        shown = typed.text if typed is not None else texts[field].text
        meaning = told.get(field, "") if field not in ("unit", "function") else ""
        wrong_here = field == wrong_field and focused and not sentence.choosing
        empty = shown == "" and (texts[field].required or here)
        shown = typed.shown(MOST_SHOWN) if typed is not None else plain(shown, MOST_SHOWN)
        pieces.append(BlankView(shown or ("" if empty else "–"), field, here, wrong_here, empty, meaning))
    frame = sentence.frame()
    filling = focused and not sentence.choosing
    help_ = [f"{blank.field}: {blank.can}"] if blank is not None and filling else []
    named = sentence.names() if filling else ""
    help_ += [f'or " and a point: {named}'] if named else []
    help_ += [f"still to be filled: {', '.join(unfilled)}"] if unfilled and filling else []
    return SayView(
        to=to, names=tuple((name, sentence.code_of(name)) for name in sentence.messages), chosen=sentence.chosen,
        choosing=sentence.choosing, pieces=tuple(pieces), help=tuple(help_),
        wrong=wrong if filling else "",
        bytes=hex_pairs(frame.data) if frame is not None else "", keys=_say_keys(sentence, focused, bool(ways)),
        focused=focused, refused=refused, ways=ways, way=way,
    )  # fmt: skip


def _say_keys(sentence: Sentence, focused: bool, choosing_way: bool) -> tuple[tuple[str, str], ...]:
    if not focused:
        return (("s", "say something"),)
    if choosing_way:
        return (("⏎", "say it so"), ("esc", "not so"))
    if sentence.choosing:
        return (("↑↓", "message"), ("⏎", "fill its blanks"))
    return (("⏎", "say it"), ("b", "say it wrong on purpose"), ("←→", "one less, one more"))


def said_views(entries: tuple[SaidEntry, ...]) -> tuple[SaidView, ...]:
    """What was said by hand."""
    return tuple(
        SaidView(
            f"{entry.t:.4f} s", f"{entry.text}, {entry.how}" if entry.how else entry.text, plain(entry.answer, 60),
            entry.delay, plain(entry.note, 100), entry.is_bad, entry.answer == "…",
        )
        for entry in entries
    )  # fmt: skip
