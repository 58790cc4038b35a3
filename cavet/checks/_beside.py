"""The files beside a bench that it may read: they go along where it is run elsewhere, or as it stands unsaved."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from pathlib import Path

ENDINGS = (".toml", ".routine", ".svd")
Files = tuple[tuple[str, bytes], ...]
"""Their names and what is in them."""


def paths_beside(folder: Path) -> list[Path]:
    """Where they are."""
    return [path for path in sorted(folder.iterdir()) if path.suffix in ENDINGS and path.is_file()]


def write_files(files: Iterable[tuple[str, bytes]], folder: Path) -> None:
    """Put them into another folder."""
    for name, data in files:
        (folder / Path(name).name).write_bytes(data)


def copy_as_it_stands(bench: Path, unsaved: Mapping[Path, str], folder: Path) -> Path:
    """Put a bench and the files beside it into another folder, with what is not saved of them; give where it is."""
    write_files([(path.name, path.read_bytes()) for path in paths_beside(bench.parent)], folder)
    write_files([(path.name, text.encode()) for path, text in unsaved.items()], folder)
    return folder / bench.name
