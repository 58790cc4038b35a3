"""Reading tables against the schema: everything wrong is collected, each with its place in the file."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Mapping
from functools import cached_property
from typing import Any, NoReturn, TypeVar, cast

from cavet import units
from cavet.benchfile._places import Path, find_places
from cavet.expressions import Expression
from cavet.settings import Key, Table, keys_of, of_variants, rooms_of
from cavet.wording import QUOTED, MoreWrongError, WrongError, digits, listed, nearest, plain

T = TypeVar("T")
Read = TypeVar("Read", bound=Table)
NOTHING = (None, "")
"""What says no more than if it were not there."""
MOST_SHOWN = 16
MOST_TOLD = 50
"""So many mistakes are told of one file; of the others only how many there are."""


class Checker:
    """Turns tables into values, and keeps all that is wrong in `errors`."""

    def __init__(self, file: str, text: str) -> None:
        self.file = file
        self._text = text
        self.errors: list[WrongError] = []
        self.shown_as: dict[Path, str] = {}
        """What items of lists are called, instead of by their numbers."""
        self.unit_of: Callable[[str], str | None] = lambda name: None
        """Gives the unit of a quantity of the rig, for keys that are in it; `None` where there is no such quantity."""

    @cached_property
    def _places(self) -> dict[Path, int]:
        """Where each key stands: looked for only when something is wrong."""
        return find_places(self._text)

    def place(self, path: Path) -> str:
        """Say where a key stands: file, line, and its dotted name."""
        known = path
        while known and known not in self._places:
            known = known[:-1]
        line = f":{self._places[known]}" if known else ""
        words = (self.shown_as.get(path[: size + 1], plain(str(part), QUOTED)) for size, part in enumerate(path))
        return f"{self.file}{line} {'.'.join(words)}".rstrip()

    def placed(self, path: Path, read: Callable[[], T]) -> T:
        """Read something; an error bears its place in the file, which is looked for only then."""
        try:
            return read()
        except WrongError as error:
            raise WrongError(
                self.place(path), found=error.found, expected=error.expected, nearest=error.nearest
            ) from error

    def wrong(self, path: Path, *, found: object, expected: str, nearest: str | None = None) -> None:
        """Note that something is wrong."""
        place = self.place(path) if len(self.errors) < MOST_TOLD else self.file
        self.errors.append(WrongError(place, found=found, expected=expected, nearest=nearest))

    def note(self, path: Path, error: WrongError) -> None:
        """Note an error of something that was read there, at its place in the file."""
        self.wrong(path, found=error.found, expected=error.expected, nearest=error.nearest)

    def note_all(self, group: ExceptionGroup) -> None:
        """Note the errors of another file, at their own places."""
        self.errors += [each for each in group.exceptions if isinstance(each, WrongError)]

    def refuse(self) -> NoReturn:
        """Raise all that is wrong, or the first of it and how much more there is."""
        told: list[WrongError] = self.errors[:MOST_TOLD]
        if len(self.errors) > MOST_TOLD:
            told.append(MoreWrongError(self.file, len(self.errors) - MOST_TOLD))
        raise ExceptionGroup(f"{self.file} can't be used", told)

    def read(self, data: object, table: type[Read], path: Path, *, is_room: bool = False) -> Read | None:
        """Read one table, or a room of it, beside whose keys others may stand; `None` where so much is wrong that
        nothing can be made of it."""
        if not isinstance(data, dict):
            self.wrong(path, found=shown(data), expected=f"a table: {table.TITLE}")
            return None
        before = len(self.errors)
        kind = data.get("kind")
        of = table.VARIANTS.get(kind, table) if isinstance(kind, str) else table
        keys = {key.name: key for key in keys_of(of)}
        if table.VARIANTS:
            keys["kind"] = of_variants(keys["kind"], table)
        values: dict[str, Any] = {}
        for key in sorted(keys.values(), key=lambda key: key.unit.startswith("=")):
            values[key.field] = self._key(data, key, path, values)
        of_rooms = {key.name: key for key in rooms_of(table)}
        for key in of_rooms.values():
            if key.name in data:  # told here, whatever else is wrong; taken by the room
                self._key(data, key, path, values)
        is_whole = len(self.errors) == before
        if is_whole:
            self._check_beside(data, keys, path, values)
        if not is_room and (of is not table or not table.VARIANTS):
            self._unknown(data, {*keys, *of_rooms}, path)
        return cast("Read", of(**values)) if is_whole else None

    def _check_beside(
        self, data: dict[str, Any], keys: Mapping[str, Key], path: Path, values: Mapping[str, Any]
    ) -> None:
        """Keys that mean something only beside what another one says, and say more than what stands for them anyway."""
        for key in keys.values():
            if key.beside is None or key.name not in data or values[key.field] == key.default:
                continue
            name, known = key.beside
            found = values[keys[name].field]
            if (found not in known) if known else (found in NOTHING):
                says = listed(f'"{each}"' if isinstance(each, str) else shown(each) for each in known)
                needed = f"{name} = {says}" if known else f"`{name}`"
                self.wrong((*path, key.name), found=shown(data[key.name]), expected=f"none: it goes with {needed}")

    def check_spoken(self, data: dict[str, Any], table: type[Table], path: Path, spoken: str, by: str) -> bool:
        """Whether none of the keys is for those alone who speak something else than what is `spoken` there `by` it."""
        variant = table.VARIANTS.get(str(data.get("kind")), table)
        others = [
            key
            for key in (*keys_of(variant), *rooms_of(table))
            if key.concerns and spoken not in key.concerns and data.get(key.name) not in (*NOTHING, key.default)
        ]
        for key in others:
            expected = f"none: {by} speaks {spoken}, and this is for {listed(key.concerns)}"
            self.wrong((*path, key.name), found=shown(data[key.name]), expected=expected)
        return not others

    def _unknown(self, data: dict[str, Any], keys: Collection[str], path: Path) -> None:
        expected = f"one of the keys {listed(sorted(keys))}"
        for name in data:
            if name not in keys:
                near = self.nearest(name, keys)
                self.wrong((*path, name), found="this key", expected=expected, nearest=near)

    def _key(self, data: dict[str, Any], key: Key, path: Path, values: Mapping[str, Any]) -> Any:
        if key.name not in data:
            if key.name == "unit" and isinstance(key.default, str) and (implied := _unit_of_range(data, key.default)):
                return implied
            if key.required:
                self.wrong((*path, key.name), found="nothing", expected=f"{key.doc}; it must be there")
            return dict(key.default) if isinstance(key.default, dict) else key.default
        unit: str | None = key.unit
        if key.unit == "=words":
            return self._noted(key, lambda: self._switched(data[key.name], values["words"], (*path, key.name)))
        if key.unit.startswith("="):  # as another key says
            named = values.get(key.unit[1:]) or ""
            unit = self.unit_of(named) if key.unit == "=of" else units.spelled(named)
            if unit is None:
                return key.default  # what `of` names is not there, and that is told at its own place
        is_usual = key.unit == "=unit" and "unit" not in data
        return self._value(data[key.name], key, unit or "", (*path, key.name), is_usual=is_usual)

    def _value(self, raw: object, key: Key, unit: str, path: Path, *, is_usual: bool = False) -> Any:
        """Read a value, in a unit that `is_usual` where none was said."""

        def read() -> Any:
            try:
                return getattr(self, f"_read_{key.kind.replace('-', '_')}")(raw, key, unit, path)
            except WrongError as error:
                if is_usual and error.expected.startswith("a number"):
                    error = WrongError(
                        error.place, found=error.found, expected=f"{error.expected}; `unit` says another"
                    )
                raise error

        return self._noted(key, read)

    def _noted(self, key: Key, read: Callable[[], Any]) -> Any:
        """What is read for a key; what is wrong with it is noted, and its default taken."""
        try:
            return read()
        except WrongError as error:
            self.errors.append(error)
            return key.default

    def nearest(self, word: str, words: Iterable[str]) -> str | None:
        """The word that was probably meant; not looked for any more where so much is wrong that it is not told."""
        return nearest(word, words) if len(self.errors) < MOST_TOLD else None

    def one_of(self, path: Path, found: str, names: Iterable[str], what: str) -> bool:
        """Tell whether it names one of these; else that is wrong."""
        known = list(names)
        if found in known:
            return True
        expected = f"{what}: {listed(known)}" if known else f"{what}, of which there is none"
        self.wrong(path, found=found, expected=expected, nearest=self.nearest(found, known))
        return False

    def _fail(self, raw: object, expected: str, path: Path, near: str | None = None) -> WrongError:
        return WrongError(self.place(path), found=shown(raw), expected=expected, nearest=near)

    def _read_text(self, raw: object, key: Key, unit: str, path: Path) -> str:
        if not isinstance(raw, str):
            raise self._fail(raw, f"a text: {key.doc}", path)
        return raw

    def _read_unit(self, raw: object, key: Key, unit: str, path: Path) -> str:
        if not isinstance(raw, str):
            raise self._fail(raw, f"a text: {key.doc}", path)
        if not units.known(raw):
            fitting = [name for names in units.DIMENSIONS.values() for name in names if name]
            raise self._fail(raw, f"a unit: {listed(fitting)}; or none", path, self.nearest(raw, fitting))
        return raw

    def _read_word(self, raw: object, key: Key, unit: str, path: Path) -> str:
        if raw not in key.choices:
            near = self.nearest(raw, key.choices) if isinstance(raw, str) else None
            raise self._fail(raw, listed(key.choices), path, near)
        return str(raw)

    def _read_whole(self, raw: object, key: Key, unit: str, path: Path) -> int:
        if not isinstance(raw, int) or isinstance(raw, bool):
            raise self._fail(raw, f"a whole number, {key.limits}".removesuffix(", "), path)
        self._within(raw, key, path)
        return raw

    def _read_pin(self, raw: object, key: Key, unit: str, path: Path) -> int | str:
        if isinstance(raw, bool) or not isinstance(raw, int | str):
            raise self._fail(raw, "a pin's number or label", path)
        return raw

    def _read_whole_list(self, raw: object, key: Key, unit: str, path: Path) -> tuple[int, int]:
        if not (isinstance(raw, list) and len(raw) == 2 and all(type(item) is int for item in raw)):
            raise self._fail(raw, "two whole numbers in brackets", path)
        return raw[0], raw[1]

    def _read_words(self, raw: object, key: Key, unit: str, path: Path) -> tuple[str, str]:
        if not (isinstance(raw, list) and len(raw) == 2 and all(isinstance(item, str) and item for item in raw)):
            raise self._fail(raw, "two words in brackets", path)
        if raw[0] == raw[1]:
            raise self._fail(raw, "two words that differ", path)
        return raw[0], raw[1]

    def _read_switch_words(self, raw: object, key: Key, unit: str, path: Path) -> tuple[str, str]:
        words = self._read_words(raw, key, unit, path)
        expected = units.expected_words(words)
        if expected:
            raise self._fail(raw, expected, path)
        return words

    def _read_texts(self, raw: object, key: Key, unit: str, path: Path) -> tuple[str, ...]:
        if not (isinstance(raw, list) and all(isinstance(item, str) for item in raw)):
            raise self._fail(raw, "texts in brackets", path)
        return tuple(raw)

    def _read_names(self, raw: object, key: Key, unit: str, path: Path) -> tuple[str, ...]:
        names = [raw] if isinstance(raw, str) else raw
        if not (isinstance(names, list) and all(isinstance(name, str) and name for name in names)):
            raise self._fail(raw, "a name, or several in brackets", path)
        return tuple(names)

    def _read_wholes(self, raw: object, key: Key, unit: str, path: Path) -> tuple[int, ...]:
        if not (isinstance(raw, list) and all(type(item) is int and 0 <= item <= 0xFFFF for item in raw)):
            raise self._fail(raw, "whole numbers in brackets, 0 to 65535", path)
        return tuple(raw)

    def _read_scalar(self, raw: object, key: Key, unit: str, path: Path) -> float | str:
        if not isinstance(raw, int | float | str):
            raise self._fail(raw, "a number or a text", path)
        return raw

    def _read_switch(self, raw: object, key: Key, unit: str, path: Path) -> bool:
        return self._switched(raw, units.OWN_WORDS, path)

    def _switched(self, raw: object, words: tuple[str, str], path: Path) -> bool:
        if isinstance(raw, bool):
            return raw
        if isinstance(raw, str):
            return self.placed(path, lambda: units.parse_switch(raw, words=words))
        raise self._fail(raw, "on or off", path)

    def _read_quantity(self, raw: object, key: Key, unit: str, path: Path) -> float:
        value = self._number(raw, unit, path)
        self._within(value, key, path)
        return value

    def _number(self, raw: object, unit: str, path: Path) -> float:
        if isinstance(raw, int | float) and not isinstance(raw, bool):
            return self.placed(path, lambda: units.parse(repr(raw), unit))
        if isinstance(raw, str):
            return self.placed(path, lambda: units.parse(raw, unit))
        raise self._fail(raw, f"a number in {unit}" if unit else "a number", path)

    def _read_range(self, raw: object, key: Key, unit: str, path: Path) -> tuple[float, float]:
        if not (isinstance(raw, list) and len(raw) == 2):
            raise self._fail(raw, f"two quantities in brackets{f', in {unit}' if unit else ''}", path)
        low, high = (self._number(item, unit, (*path, place)) for place, item in enumerate(raw))
        if low == high:
            raise self._fail(raw, "two different ends", path)
        return low, high

    def _read_expression(self, raw: object, key: Key, unit: str, path: Path) -> Expression:
        text = repr(raw) if isinstance(raw, int | float) and not isinstance(raw, bool) else raw
        if not isinstance(text, str):
            raise self._fail(raw, "an expression", path)
        return self.placed(path, lambda: Expression(text))

    def _read_tables(self, raw: object, key: Key, unit: str, path: Path) -> tuple[object, ...]:
        if not isinstance(raw, list):
            raise self._fail(raw, "tables in brackets", path)
        return tuple(raw)

    def _read_octets(self, raw: object, key: Key, unit: str, path: Path) -> bytes:
        if isinstance(raw, str) and raw.startswith("@"):
            return raw[1:].encode()
        try:
            return bytes.fromhex(raw if isinstance(raw, str) else "-")
        except ValueError as error:
            raise self._fail(raw, 'hex pairs in quotes, such as "0D 0A", or text after @', path) from error

    def _read_walk(self, raw: object, key: Key, unit: str, path: Path) -> bool | tuple[str, ...] | None:
        if isinstance(raw, bool):
            return raw or None
        if not (isinstance(raw, list) and raw and all(isinstance(item, str) for item in raw)):
            raise self._fail(raw, "true, or outputs in brackets", path)
        return tuple(raw)

    def _read_sets(self, raw: object, key: Key, unit: str, path: Path) -> tuple[tuple[str, ...], ...]:
        if not isinstance(raw, list):
            raise self._fail(raw, "lists of names in brackets", path)
        return tuple(self._read_texts(item, key, unit, (*path, place)) for place, item in enumerate(raw))

    def _read_table(self, raw: object, key: Key, unit: str, path: Path) -> dict[str, Any]:
        if not isinstance(raw, dict):
            raise self._fail(raw, "a table", path)
        return raw

    def _within(self, value: float, key: Key, path: Path) -> None:
        low = key.least if key.least is not None and value else key.low
        if (low is not None and value < low) or (key.high is not None and value > key.high):
            unit = "" if key.unit.startswith("=") else key.unit
            raise self._fail(f"{digits(value)} {unit}" if unit else value, f"{key.limits} {unit}".strip(), path)


def _unit_of_range(data: dict[str, Any], usual: str) -> str:
    """The unit of a range both of whose ends are given in one, where no `unit` says another; "" where that can be
    turned into the usual one, which it is then."""
    ends = data.get("range")
    if not isinstance(ends, list) or not all(isinstance(end, str) and len(end) <= QUOTED for end in ends):
        return ""
    try:
        found = {units.split(end, "a number")[1] for end in ends}
    except WrongError:
        return ""
    unit = found.pop() if len(found) == 1 else ""
    return unit if unit and units.known(unit) and not units.are_alike(unit, usual) else ""


def shown(raw: object) -> object:
    """Give what was found in the file, as an error shows it."""
    if isinstance(raw, bool):
        return "true" if raw else "false"
    if isinstance(raw, dict):
        return "a table"
    if isinstance(raw, list):
        return f"a list of {len(raw)}" if len(raw) > MOST_SHOWN else f"[{', '.join(str(shown(item)) for item in raw)}]"
    return raw if isinstance(raw, str | int | float) else str(raw)
