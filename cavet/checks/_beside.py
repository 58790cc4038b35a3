"""The files beside a bench that it may read: they go along where it is run elsewhere, or as it stands unsaved."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from pathlib import Path

from cavet.files import WRITABLE, file_errors

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


def place_as_it_stands(bench: Path, unsaved: Mapping[Path, str], folder: Path) -> Path:
    """Make another folder like that of a bench, with what is not saved in the place of what is; give where the bench is
    there. All else that lies beside it, folders too, is the same. Raises `WrongError` where that can't be made."""
    with file_errors(folder, WRITABLE):
        own = {bench.name: bench.read_bytes()}  # a link to it would lead to what lies beside that
        texts = own | {path.name: text.encode() for path, text in unsaved.items()}
        for path in bench.parent.iterdir():
            if path.name not in texts:
                (folder / path.name).symlink_to(path.absolute())
        write_files(texts.items(), folder)
    return folder / bench.name
