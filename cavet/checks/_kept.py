"""A campaign that is stopped, and goes on later: what was done is kept in a file, a line for each run."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator, Sequence
from pathlib import Path

import msgspec

from cavet import __version__
from cavet.checks._beside import paths_beside
from cavet.checks._campaign import Done, Order
from cavet.checks._spread import Workers, run_all
from cavet.files import WRITABLE, file_errors
from cavet.wording import WrongError

FORMAT = "cavet checks 1"


class _Head(msgspec.Struct, frozen=True):
    """The first line: what the file is, and of which benches, files and program."""

    format: str
    of: str


class _Line(msgspec.Struct, frozen=True):
    """A run that was done: the digest of its order, and what came."""

    order: str
    done: Done


class Kept:
    """The runs that were done, by their orders. A line that was not finished, since it was killed, does not count."""

    def __init__(self, path: Path, orders: Sequence[Order]) -> None:
        self._path = path
        self._done: dict[str, Done] = {}
        head = _Head(FORMAT, _digest_of_files(orders))
        if path.exists():
            self._read(head)
        else:
            self._write(msgspec.json.encode(head) + b"\n", "xb")

    def _read(self, head: _Head) -> None:
        with file_errors(self._path, "a file that can be read"):
            data = self._path.read_bytes()
        whole = data[: data.rfind(b"\n") + 1]
        lines = whole.splitlines()
        try:
            found = msgspec.json.decode(lines[0], type=_Head) if lines else None
        except msgspec.DecodeError:
            found = None
        if found is None or found.format != FORMAT:
            raise WrongError(str(self._path), found="another file", expected="a new name, or a file that --done made")
        if found.of != head.of:
            expected = "the bench and the routines as they were, or a new name"
            raise WrongError(str(self._path), found="runs of other files than these", expected=expected)
        for number, text in enumerate(lines[1:], 2):
            try:
                line = msgspec.json.decode(text, type=_Line, dec_hook=_path)
            except (msgspec.DecodeError, TypeError) as error:
                found_here = f"what is no run: {error}"
                raise WrongError(f"{self._path}:{number}", found=found_here, expected="a run that was kept") from error
            self._done[line.order] = line.done
        if len(whole) < len(data):
            self._write(whole, "wb")

    def _write(self, data: bytes, mode: str) -> None:
        with file_errors(self._path, WRITABLE), self._path.open(mode) as file:
            file.write(data)

    def done(self, order: Order) -> Done | None:
        """What came of an order before; `None` where it was not done yet."""
        return self._done.get(_digest(order))

    def keep(self, order: Order, done: Done) -> None:
        """Keep what came of one. Raises `WrongError` where that can't be written."""
        key = _digest(order)
        self._done[key] = done
        self._write(msgspec.json.encode(_Line(key, done), enc_hook=str) + b"\n", "ab")


def run_on(orders: Sequence[Order], kept: Kept, workers: Workers | None = None) -> Iterator[Done]:
    """Do what was not done before; give what came of all, in their order. Raises `WrongError`."""
    fresh = run_all([order for order in orders if kept.done(order) is None], workers)
    for order in orders:
        done = kept.done(order)
        if done is None:
            done = next(fresh, None)
            if done is None:
                return  # the workers were told to stop
            kept.keep(order, done)
        yield done


def _digest(order: Order) -> str:
    what = (order.case, order.shows, order.is_campaign)  # not where its files are
    return hashlib.sha256(msgspec.json.encode(what)).hexdigest()[:32]


def _path(kind: type, text: str) -> Path:
    return Path(text)


def _digest_of_files(orders: Sequence[Order]) -> str:
    """Of all that can change what comes of the orders: the files beside the bench, and this program."""
    digest = hashlib.sha256(__version__.encode())
    for folder in sorted({order.bench.parent for order in orders}):
        for path in paths_beside(folder):
            digest.update(f"{path.name}\0".encode() + path.read_bytes())
    return digest.hexdigest()
