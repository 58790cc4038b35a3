"""Values and conditions as Python, for a routine that is written out as a program.

What nobody has told yet is no number there (`nan`), so that sums with it are none either, and no comparison holds.
"""

from __future__ import annotations

import json
import keyword
import math
from typing import Any

OR, AND, NOT, COMPARED, SUM, PRODUCT, ATOM = range(7)
"""How tightly the parts of an expression hold together (The Python Language Reference, 6.17)."""
UNKNOWN = "nan"
HELPERS = ("agree", "converted", "differ", "divided", "greatest", "least", "nan", "root", "rounded", "told")
"""Functions that a program is given for its values."""
OTHERS = ("Run", "Tune", "main", "routine", "run", "BENCH", "REFLEXES", "abs", "all", "any", "bool", "float")
RESERVED = frozenset((*HELPERS, *OTHERS, *keyword.kwlist))
"""Names that a program has for something else."""


class Code(str):
    """A piece of Python; `binds` says how tightly its parts hold together."""

    binds: int

    def __new__(cls, text: str, binds: int = ATOM) -> Code:
        made = super().__new__(cls, text)
        made.binds = binds
        return made


def within(code: str, binds: int) -> str:
    """A piece as part of another: in brackets, if it would fall apart there."""
    return f"({code})" if isinstance(code, Code) and code.binds < binds else code


def quoted(text: str) -> str:
    """A text as Python writes it."""
    return json.dumps(text, ensure_ascii=False)


def local(name: str) -> str:
    """What a value of a track is called."""
    return f"{name}_" if name in RESERVED else name


def literal(value: Any) -> Code:
    """A value that is known beforehand."""
    if value is None or (isinstance(value, float) and math.isnan(value)):
        return Code(UNKNOWN)
    if isinstance(value, bool):
        return Code(str(value))
    if isinstance(value, str):
        return Code(quoted(value))
    if not math.isfinite(value):
        return Code(f'float("{value}")')
    short = f"{value:.15g}"
    text = short if float(short) == value else repr(value)
    return Code(text, PRODUCT if value < 0 else ATOM)


def called(name: str, *of: str) -> Code:
    """A function of pieces."""
    return Code(f"{name}({', '.join(of)})")


def joined(sign: str, left: str, right: str) -> Code:
    """A sum or a product."""
    binds = SUM if sign in "+-" else PRODUCT
    return Code(f"{within(left, binds)} {sign} {within(right, binds + 1)}", binds)


def compared(sign: str, left: str, right: str) -> Code:
    """A comparison."""
    return Code(f"{within(left, SUM)} {sign} {within(right, SUM)}", COMPARED)


def negated(code: str) -> Code:
    """The other way round."""
    for word in ("True", "False"):
        if code.endswith(f" is {word}") and isinstance(code, Code) and code.binds == COMPARED:
            return Code(f"{code.removesuffix(f'is {word}')}is not {word}", COMPARED)
    return Code(f"not {within(code, NOT)}", NOT)


def truth(code: str) -> Code:
    """What a condition comes to, as a value: true or false, also where one of its parts is not known yet."""
    return code if isinstance(code, Code) and code.binds in (COMPARED, NOT) else called("bool", code)


def looks(code: str) -> bool:
    """Whether a piece looks at the world, or remembers: then it has to be looked at when its step has begun, and not
    passed over."""
    return any(f"run.{word}(" in code for word in ("part", "pin", "rises", "falls", "changes"))


def either(how: str, parts: list[str]) -> Code:
    """`and`, `or`: each part is looked at, where looking does something."""
    if any(looks(part) for part in parts):
        return called("all" if how == "and" else "any", f"[{', '.join(parts)}]")
    binds = AND if how == "and" else OR
    return Code(f" {how} ".join(within(part, binds + 1) for part in parts), binds)


def text_of(parts: list[str]) -> Code:
    """A text with values in it: pieces of text begin with `"`, the others are values."""
    if all(part.startswith('"') for part in parts):
        return Code(quoted("".join(json.loads(part) for part in parts)))
    if any("'" in part or "\\" in part for part in parts if not part.startswith('"')):
        return called('"".join', f"[{', '.join(parts)}]")
    inner = "".join(_piece(json.loads(part)) if part.startswith('"') else f"{{{part}}}" for part in parts)
    return Code(f"f'{inner}'")


def _piece(text: str) -> str:
    bare = quoted(text)[1:-1].replace('\\"', '"').replace("'", "\\'")
    return bare.replace("{", "{{").replace("}", "}}")
