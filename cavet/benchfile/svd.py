"""Register maps from CMSIS-SVD files: the description of a chip's registers that its maker gives away.

Source: CMSIS-SVD schema 1.3. What is taken: a peripheral's registers with their offsets, sizes, reset values and
access, clusters, dimensions, and bit fields with their enumerated values; side effects from `readAction` and
`modifiedWriteValues`. Inherited are `size`, `access`, `resetValue`; and by `derivedFrom` peripherals, clusters,
registers, fields and enumerated values, of which what is said anew replaces what was said before.
"""

from __future__ import annotations

import re
import xml.etree.ElementTree as ElementTree
from collections.abc import Iterator
from typing import NamedTuple

from cavet.protocols.registers import BitField, Register, RegisterMap
from cavet.wording import WrongError, listed, nearest

ACCESS = {
    "read-only": "read-only",
    "write-only": "write-only",
    "read-write": "read-write",
    "writeOnce": "write-only",
    "read-writeOnce": "read-write",
}
MAX_REGISTERS = 4096
MAX_DEPTH = 8
SEVERAL = ("register", "cluster", "enumeratedValue")
"""What an element may hold several of, side by side."""
Element = ElementTree.Element


class _Defaults(NamedTuple):
    """What a register has where it does not say otherwise."""

    size: int = 32
    access: str = "read-write"
    reset: int = 0


class SvdReader:
    """Reads the peripherals of one file. `file` is what errors call it."""

    def __init__(self, text: str, file: str) -> None:
        self._file = file
        if "<!DOCTYPE" in text or "<!ENTITY" in text:
            raise WrongError(file, found="a document type of its own", expected="a plain CMSIS-SVD file")
        try:
            root = ElementTree.fromstring(text)
        except ElementTree.ParseError as error:
            line, column = error.position
            raise WrongError(f"{file}:{line}:{column + 1}", found=str(error), expected="XML") from error
        if root.tag != "device":
            raise WrongError(file, found=f"<{root.tag}>", expected="<device>, as CMSIS-SVD files begin")
        self._device = root
        self._peripherals = {
            name: element for element in root.iter("peripheral") if (name := element.findtext("name", "").strip())
        }

    @property
    def names(self) -> list[str]:
        """The peripherals that it describes."""
        return list(self._peripherals)

    def map(self, name: str) -> RegisterMap:
        """The registers of a peripheral. Raises `WrongError`."""
        if name not in self._peripherals:
            expected = f"a peripheral: {listed(self.names) or 'there is none'}"
            raise WrongError(f"{self._file}#{name}", found=name, expected=expected, nearest=nearest(name, self.names))
        chain = self._ancestors(name)
        defaults = self._defaults(self._device, _Defaults())
        for element in reversed(chain):
            defaults = self._defaults(element, defaults)
        groups = [found for element in reversed(chain) if (found := element.find("registers")) is not None]
        if not groups:
            raise WrongError(f"{self._file}#{name}", found="no registers", expected="a peripheral with registers")
        merged = {each.name: each for group in groups for each in self._registers(group, 0, "", defaults, name, 0)}
        registers = list(merged.values())
        if not 0 < len(registers) <= MAX_REGISTERS:
            expected = f"1 to {MAX_REGISTERS}"
            raise WrongError(f"{self._file}#{name}", found=f"{len(registers)} registers", expected=expected)
        top = max(register.at + register.size - 1 for register in registers)
        if top > 0xFFFF:
            raise WrongError(f"{self._file}#{name}", found=f"address 0x{top:X}", expected="at most 0xFFFF on a bus")
        pointer = 1 if top <= 0xFF else 2
        last = (1 << 8 * pointer) - 1
        return RegisterMap(name=name, registers=tuple(registers), pointer=pointer, last=last, doc=_doc(chain[0]))

    def _ancestors(self, name: str) -> list[Element]:
        """A peripheral and those that it is derived from."""
        chain: list[Element] = []
        seen: list[str] = []
        while name:
            if name in seen:
                raise WrongError(f"{self._file}#{name}", found=f"derived from {name} again", expected="no loop")
            if name not in self._peripherals:
                raise WrongError(self._file, found=f"derived from {name}", expected=listed(self.names))
            seen.append(name)
            chain.append(self._peripherals[name])
            name = chain[-1].get("derivedFrom", "")
        return chain

    def _defaults(self, element: Element, before: _Defaults) -> _Defaults:
        access = element.findtext("access", "").strip()
        return _Defaults(
            self._number(element, "size", before.size),
            ACCESS.get(access, before.access),
            self._number(element, "resetValue", before.reset),
        )

    def _number(self, element: Element, tag: str, default: int) -> int:
        text = element.findtext(tag, "").strip().lower()
        if not text:
            return default
        try:
            if text.startswith(("#", "0b")):
                return int(text.lstrip("#").removeprefix("0b").replace("x", "0"), 2)
            return int(text, 16) if text.startswith("0x") else int(text)
        except ValueError as error:
            name = element.findtext("name", "?").strip()
            raise WrongError(f"{self._file} {name}.{tag}", found=text, expected="a number") from error

    def _registers(
        self, group: Element, base: int, prefix: str, defaults: _Defaults, where: str, depth: int
    ) -> Iterator[Register]:
        if depth > MAX_DEPTH:
            raise WrongError(f"{self._file}#{where}", found=f"clusters {depth} deep", expected=f"at most {MAX_DEPTH}")
        for written in group:
            if written.tag not in ("register", "cluster"):
                continue
            element = self._whole(written, group)
            offset = self._number(element, "addressOffset", 0)
            for name, more in self._repeated(element):
                at, full = base + offset + more, f"{prefix}{name}"
                mine = self._defaults(element, defaults)
                if element.tag == "cluster":
                    yield from self._registers(element, at, f"{full}_", mine, where, depth + 1)
                else:
                    yield self._register(element, at, full, mine)

    def _repeated(self, element: Element) -> Iterator[tuple[str, int]]:
        """The names and offsets of an element that stands for several."""
        name = element.findtext("name", "").strip()
        count = self._number(element, "dim", 0)
        if not count:
            yield _plain_name(name), 0
            return
        if count > MAX_REGISTERS:
            raise WrongError(f"{self._file} {name}.dim", found=count, expected=f"at most {MAX_REGISTERS}")
        step = self._number(element, "dimIncrement", 0)
        index = element.findtext("dimIndex", "").replace(" ", "")
        words = index.split(",") if "," in index else []
        for place in range(count):
            word = words[place] if place < len(words) else str(place)
            yield _plain_name(name.replace("[%s]", word).replace("%s", word)), place * step

    def _register(self, element: Element, at: int, name: str, defaults: _Defaults) -> Register:
        where = f"{self._file} {name}"
        if defaults.size % 8 or not 8 <= defaults.size <= 64:
            raise WrongError(f"{where}.size", found=f"{defaults.size} bits", expected="8 to 64, whole bytes")
        access = _side_effect(element, defaults.access)
        fields = []
        for written in element.iter("field"):
            each = self._whole(written, element)
            low, bits = self._bits(each, where)
            if low + bits > defaults.size:
                found = f"bit {low + bits - 1}"
                raise WrongError(f"{where}.{each.findtext('name')}", found=found, expected=f"0 to {defaults.size - 1}")
            own = ACCESS.get(each.findtext("access", "").strip(), "")
            fields.append(
                BitField(
                    name=_plain_name(each.findtext("name", "").strip()), low=low, bits=bits,
                    access=_side_effect(each, own), values=self._values(each), doc=_doc(each),
                )
            )  # fmt: skip
        reset = defaults.reset & (1 << defaults.size) - 1
        return Register(
            name=name, at=at, size=defaults.size // 8, reset=reset, access=access, order="little",
            fields=tuple(fields), doc=_doc(element),
        )  # fmt: skip

    def _bits(self, field: Element, where: str) -> tuple[int, int]:
        """The lowest bit and the width of a field, in any of the three ways to write them."""
        span = re.fullmatch(r"\[(\d+):(\d+)\]", field.findtext("bitRange", "").strip())
        if span is not None:
            high, low = int(span[1]), int(span[2])
        elif field.find("lsb") is not None:
            low, high = self._number(field, "lsb", 0), self._number(field, "msb", 0)
        else:
            low = self._number(field, "bitOffset", 0)
            high = low + self._number(field, "bitWidth", 1) - 1
        if high < low:
            raise WrongError(
                f"{where}.{field.findtext('name')}", found=f"bits {high} to {low}", expected="none reversed"
            )
        return low, high - low + 1

    def _whole(self, element: Element, beside: Element) -> Element:
        """An element with what it takes over from the one that it is derived from: one beside it, or at a path."""
        chain = [element]
        while base := chain[-1].get("derivedFrom", ""):
            name = element.findtext("name", "?").strip()
            found = self._named(base, element.tag, beside, chain[-1])
            if found is None:
                expected = f"a {element.tag} of this file"
                raise WrongError(f"{self._file} {name}", found=f"derived from {base}", expected=expected)
            if any(found is seen for seen in chain):
                raise WrongError(f"{self._file} {name}", found=f"derived from {base} again", expected="no loop")
            chain.append(found)
        if len(chain) == 1:
            return element
        whole = ElementTree.Element(element.tag)
        for each in reversed(chain):
            for child in each:
                for older in whole.findall(child.tag) if child.tag not in SEVERAL else ():
                    whole.remove(older)
            whole.extend(each)
        return whole

    def _named(self, path: str, tag: str, beside: Element, but: Element) -> Element | None:
        *above, name = path.split(".")
        places = [self._peripherals[above[0]]] if above and above[0] in self._peripherals else [beside, self._device]
        return next(
            (
                found
                for place in places
                for found in place.iter(tag)
                if found is not but and found.findtext("name", "").strip() == name
            ),
            None,
        )

    def _values(self, field: Element) -> dict[str, int]:
        return {
            name: self._number(value, "value", 0)
            for group in field.iter("enumeratedValues")
            for value in self._whole(group, field).iter("enumeratedValue")
            if (name := value.findtext("name", "").strip()) and value.find("value") is not None
        }


def _side_effect(element: Element, access: str) -> str:
    """What reading or writing does besides."""
    if element.findtext("readAction", "").strip() == "clear":
        return "clear-on-read"
    if element.findtext("modifiedWriteValues", "").strip() in ("oneToClear", "clear"):
        return "write-one-to-clear"
    return access


def _plain_name(name: str) -> str:
    return re.sub(r"\W+", "_", name).strip("_") or "register"


def _doc(element: Element) -> str:
    return " ".join(element.findtext("description", "").split())
