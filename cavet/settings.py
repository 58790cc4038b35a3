"""Tables of the bench file, each declared once: a struct whose fields are the keys.

A field's name, type and default are the key's; what it is for, its unit and its limits stand beside it, as a `Meaning`.
Reading, checking, the tables of the docs, completion, editing, and what a part is made from are all readings of these.
"""

import functools
from collections.abc import Mapping
from typing import Annotated, Any, ClassVar, TypeVar, get_args, get_origin

import msgspec

from cavet.expressions import Expression
from cavet.wording import digits, from_to, listed

T = TypeVar("T", bound=msgspec.Struct)


class Meaning(msgspec.Struct, frozen=True):
    """What a key means, as the annotation of its field.

    `unit` names the unit that a quantity is read in; `=unit` stands for the one that the key `unit` beside it gives,
    `=of` for that of the quantity that `of` names; `=words` for the words of a switch.
    """

    doc: str
    choices: tuple[str, ...] = ()
    unit: str = ""
    low: float | None = None
    high: float | None = None
    least: float | None = None
    """The least that it can be besides 0, which means that it is not done at all."""
    names: str = ""
    """What it names: a `board`, `link`, `host`, `device`, `profile`, `part`, `quantity`, or a part as `board.part`."""
    concerns: tuple[str, ...] = ()
    """What must be spoken where it means something; () for whatever is."""
    beside: tuple[str, tuple[object, ...]] | None = None
    """Another key of its table, and what that has to say for this one to mean anything; () for anything at all."""
    kind: str = ""
    """What it can be, where the type alone does not tell that: `pin` (a number, or a label such as "A0"; a number once
    it is read), `unit` (one that can be reckoned with), `names` (one text or several), `walk` (true, or texts)."""


KINDS: dict[Any, str] = {
    str: "text",
    int: "whole",
    float: "quantity",
    bool: "switch",
    bytes: "octets",
    Expression: "expression",
    float | str: "scalar",
    tuple[float, float]: "range",
    tuple[int, int]: "whole-list",
    tuple[str, str]: "words",
    tuple[str, ...]: "texts",
    tuple[int, ...]: "wholes",
    tuple[tuple[str, ...], ...]: "sets",
    tuple[object, ...]: "tables",
    dict[str, Any]: "table",
}
"""What a key can be, by the type of its field; where it has choices, a `word`."""
OPTIONAL = {known | None: kind for known, kind in KINDS.items()}


class Key(Meaning, frozen=True, kw_only=True):
    """A key of a table: its name, what it means, and what stands for it where it is left out."""

    name: str
    required: bool = False
    default: Any = None

    @property
    def field(self) -> str:
        """The name of its field: a word of Python's own has a _ behind it there."""
        return FIELDS.get(self.name, self.name)

    @property
    def limits(self) -> str:
        """Between which numbers it may be, in its own unit: `0, or 1 to 65535`; "" where that is said nowhere."""
        zero, low = ("", self.low) if self.least is None else ("0, or ", self.least)
        if low is None:
            return ""
        return zero + (from_to(low, self.high) if self.high is not None else f"{digits(low)} or more")


FIELDS = {"from": "from_", "in": "in_"}
NAMES = {field: name for name, field in FIELDS.items()}


class Table(msgspec.Struct, kw_only=True):
    """A table of the file, as it was read. The docstring of each says what such a table is for."""

    TITLE: ClassVar[str] = ""
    """Where it stands in the file."""
    ABOUT: ClassVar[str] = ""
    """What it is about, in front of the meanings of its keys; but for those that say themselves whom they concern."""
    VARIANTS: ClassVar[Mapping[str, type["Table"]]] = {}
    """Tables with more keys, by what the key `kind` says."""
    ROOMS: ClassVar[Mapping[str, type["Table"]]] = {}
    """Tables whose keys stand beside its own, by what is spoken; each is read by itself."""


class Section(msgspec.Struct, frozen=True, kw_only=True):
    """One kind of table. `variants` adds keys by what the key `kind` in it says."""

    title: str
    doc: str
    keys: tuple[Key, ...]
    variants: dict[str, tuple[Key, ...]] = {}


@functools.cache
def keys_of(table: type[Table]) -> tuple[Key, ...]:
    """The keys of a table, those first that must be there. Fields without a `Meaning` are none."""
    keys = sorted(_keys(table).values(), key=lambda key: not key.required)
    if not table.ABOUT:
        return tuple(keys)
    docs = [key.doc if key.concerns else f"{table.ABOUT}: {key.doc}" for key in keys]
    return tuple(msgspec.structs.replace(key, doc=doc) for key, doc in zip(keys, docs, strict=True))


@functools.cache
def _keys(table: type[Table]) -> dict[str, Key]:
    """The same by the names of their fields, in the order of these. Tables are in modules whose annotations stand as
    they are, not as texts: so they need not be read once more."""
    base = table.__base__
    inherited = _keys(base) if base is not None and issubclass(base, Table) else {}
    own = vars(table).get("__annotations__", {})
    fields, usual = table.__struct_fields__, table.__struct_defaults__
    defaults = dict(zip(fields[len(fields) - len(usual) :], usual, strict=True))
    found: dict[str, Key] = {}
    for field in fields:
        if field not in own:
            found |= {field: inherited[field]} if field in inherited else {}
        elif isinstance(own[field], str):
            raise TypeError(f"{table.__module__}: found annotations as texts, expected no such import from __future__")
        elif get_origin(own[field]) is Annotated:
            bare, meaning = get_args(own[field])
            found[field] = _key(field, bare, meaning, defaults.get(field, msgspec.NODEFAULT))
    return found


def _key(field: str, bare: Any, meaning: Meaning, default: Any) -> Key:
    required = default is msgspec.NODEFAULT
    return Key(
        name=NAMES.get(field, field), kind=meaning.kind or _kind(bare, meaning), doc=_doc(meaning), required=required,
        default=None if required else {} if bare == dict[str, Any] and default is not None else default,
        choices=meaning.choices, unit=meaning.unit, low=meaning.low, high=meaning.high, least=meaning.least,
        names=meaning.names, concerns=meaning.concerns, beside=meaning.beside,
    )  # fmt: skip


def _doc(meaning: Meaning) -> str:
    """What it is for, behind what it has to stand beside."""
    if meaning.beside is None:
        return meaning.doc
    name, known = meaning.beside
    return f"with {name if known in ((), (True,)) else listed(map(str, known))}: {meaning.doc}"


def _kind(bare: Any, meaning: Meaning) -> str:
    if meaning.choices:
        return "word"
    kind = KINDS.get(bare) or OPTIONAL.get(bare)
    if kind is None:
        raise TypeError(f"{bare}: found no kind of key for this type, expected `kind` beside it")
    return kind


def of_variants(key: Key, table: type[Table]) -> Key:
    """The key `kind` of a table with variants: it must be there, and say one of them."""
    return msgspec.structs.replace(key, choices=tuple(table.VARIANTS), required=True, default=None)


@functools.cache
def section_of(table: type[Table]) -> Section:
    """What a table can have, for those who tell of it or change it."""
    keys = keys_of(table)
    names = {key.name for key in keys}
    if table.VARIANTS:
        keys = (of_variants(next(key for key in keys if key.name == "kind"), table), *(
            key for key in keys if key.name != "kind"
        ))  # fmt: skip
    return Section(
        title=table.TITLE, doc=" ".join((table.__doc__ or "").split()),
        keys=(*keys, *rooms_of(table)),
        variants={
            kind: tuple(key for key in keys_of(variant) if key.name not in names)
            for kind, variant in table.VARIANTS.items()
        },
    )  # fmt: skip


@functools.cache
def rooms_of(table: type[Table]) -> tuple[Key, ...]:
    """The keys of a table's rooms: each once, and it concerns all those that have it."""
    found: dict[str, Key] = {}
    for room, each in table.ROOMS.items():
        for key in keys_of(each):
            known = found.get(key.name)
            others = known.concerns if known is not None else ()
            found[key.name] = msgspec.structs.replace(known or key, concerns=(*others, room))
    return tuple(found.values())


def made(of: type[T], table: Table, **more: Any) -> T:
    """Make a struct of a table that was read: what a key says goes to the field of its name. `more` is what was made of
    other keys, or stands in their place."""
    said = table.__struct_fields__
    told = {name: getattr(table, name) for name in of.__struct_fields__ if name in said and name not in more}
    return of(**told, **more)
