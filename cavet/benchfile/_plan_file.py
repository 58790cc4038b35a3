"""Plan files: frames of the user's own, and register maps."""

from __future__ import annotations

import functools
from collections.abc import Iterator
from importlib import resources
from pathlib import Path
from typing import TypeVar

import msgspec

from cavet.benchfile import _schema_plan as schema
from cavet.benchfile._check import Checker
from cavet.benchfile._field_reading import NAME
from cavet.benchfile._frame_reading import FrameReader
from cavet.benchfile._map_reading import MapReader
from cavet.benchfile._places import Path as Place
from cavet.benchfile._toml import parse_toml, read_text
from cavet.protocols.plans import FramePlan, PlanCodec
from cavet.protocols.registers import RegisterMap
from cavet.settings import Table
from cavet.wording import WrongError, listed, nearest

T = TypeVar("T", bound=Table)


class PlanFile(msgspec.Struct, frozen=True):
    """A plan file that has been read and found right."""

    file: str
    frames: dict[str, FramePlan]
    maps: dict[str, RegisterMap]

    def codec(self, frame: str, name: str = "") -> PlanCodec:
        """The codec of one of its frames, called `name`. Raises `WrongError`."""
        if frame not in self.frames:
            known = self.frames
            expected = f"a frame: {listed(known)}" if known else "a plan with frames"
            raise WrongError(f"{self.file}#{frame}", found=frame, expected=expected, nearest=nearest(frame, known))
        return PlanCodec(self.frames[frame], name or f"{self.file}#{frame}")

    def map(self, name: str) -> RegisterMap:
        """One of its register maps; without a name the only one. Raises `WrongError`."""
        if not name and len(self.maps) == 1:
            return next(iter(self.maps.values()))
        if name not in self.maps:
            known = self.maps
            expected = f"a map: {listed(known)}" if known else "a plan with register maps"
            raise WrongError(f"{self.file}#{name}", found=name, expected=expected, nearest=nearest(name, known))
        return self.maps[name]


def load_plan(path: Path) -> PlanFile:
    """Read a plan file. Raises `WrongError`, or an `ExceptionGroup` of all that is wrong in it."""
    return read_plan_text(read_text(path, "a plan file"), path.name)


def find_plan(name: str, folder: Path | None) -> PlanFile:
    """Give a plan that ships, by its name, or a plan file in `folder`. Raises as `load_plan` does."""
    if name.endswith(".plan.toml"):
        if folder is None:
            raise WrongError("", found=name, expected="a plan that ships")
        return load_plan(folder / name)
    shipped = shipped_plans()
    if name not in shipped:
        expected = f"FILE.plan.toml, or one that ships: {listed(shipped)}"
        raise WrongError("", found=name, expected=expected, nearest=nearest(name, shipped))
    return _shipped(name)


@functools.cache
def _shipped(name: str) -> PlanFile:
    return read_plan_text(shipped_plans()[name], f"{name}.plan.toml")


@functools.cache
def shipped_plans() -> dict[str, str]:
    """The texts of the plan files that ship, by their names."""
    folder = resources.files("cavet.benchfile").joinpath("plans")
    return {
        entry.name.removesuffix(".plan.toml"): entry.read_text("utf-8")
        for entry in sorted(folder.iterdir(), key=lambda entry: entry.name)
        if entry.name.endswith(".plan.toml")
    }


def read_plan_text(text: str, file: str) -> PlanFile:
    """Check the text of a plan file; `file` is what errors call it."""
    checker = Checker(file, text)
    data = parse_toml(text, file, checker)
    top = checker.read(data, schema.PlanTable, ())
    frames = {name: FrameReader(checker, name, table).read() for name, table in _named(checker, top, schema.FrameTable)}
    maps = {name: MapReader(checker, name, table).read() for name, table in _named(checker, top, schema.MapTable)}
    if checker.errors:
        checker.refuse()
    return PlanFile(
        file,
        {name: frame for name, frame in frames.items() if frame is not None},
        {name: found for name, found in maps.items() if found is not None},
    )


def _named(checker: Checker, top: schema.PlanTable | None, of: type[T]) -> Iterator[tuple[str, T]]:
    """Read all tables of a section, `[frames.NAME]` or `[maps.NAME]`."""
    group = of.TITLE.strip("[]").partition(".")[0]
    for name, raw in (getattr(top, group) if top else {}).items():
        if not NAME.fullmatch(name):
            checker.wrong((group, name), found=name, expected="a name of letters, digits and _")
            continue
        table = checker.read(raw, of, (group, name))
        if table is not None:
            yield name, table


def load_frames(checker: Checker, path: Place, name: str, folder: Path | None) -> PlanFile | None:
    """The plan file of a name; what is wrong with it stands in the checker's errors."""
    if not name:
        checker.wrong(path, found="nothing", expected="the plan file whose frames it speaks; it must be there")
        return None
    try:
        return find_plan(name, folder)
    except WrongError as error:
        checker.note(path, error)
    except ExceptionGroup as group:
        checker.note_all(group)
    return None
