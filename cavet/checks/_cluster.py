"""Runs on other machines: those of a scheduler of Dask's that is there already.

It is imported only when it is asked for, since it is an extra of the package. The scheduler gives a lost worker's runs
to others by itself. A run takes with it the files that it needs, since the machine that does it has not got them.
"""

from __future__ import annotations

import functools
import hashlib
import logging
import tempfile
from concurrent.futures import BrokenExecutor, Future
from pathlib import Path
from typing import Any

import msgspec

from cavet import __version__
from cavet.checks._beside import Files, paths_beside, write_files
from cavet.checks._campaign import Done, Order, done_here, keep_record
from cavet.checks._spread import Workers
from cavet.wording import UnreachableError, WrongError, plain

EXTRA = "cavet[cluster]"
FIND_SECONDS = 5.0
"""How long the scheduler is looked for."""
MOST_BYTES = 32 * 1024 * 1024


class Cluster(Workers):
    """The workers of a scheduler."""

    def __init__(self, address: str) -> None:
        """Raises `WrongError` where this can't be used, `UnreachableError` where nobody is there."""
        try:
            from distributed import Client
        except ImportError as error:
            raise WrongError("--on", found="no Dask here", expected=f"pip install '{EXTRA}'") from error
        for name in [name for name in logging.root.manager.loggerDict if name.split(".")[0] == "distributed"]:
            logging.getLogger(name).setLevel(logging.CRITICAL)  # what is lost there is told by us
        self._address = address
        super().__init__(0)
        try:
            self._client: Any = Client(  # type: ignore[no-untyped-call]
                address, timeout=FIND_SECONDS, set_as_default=False
            )
        except (OSError, TimeoutError) as error:
            raise UnreachableError(address, "no scheduler answers there") from error
        except ValueError as error:
            raise WrongError("--on", found=address, expected="HOST:PORT of a scheduler") from error
        self._look_at_workers()

    def _look_at_workers(self) -> None:
        workers = self._client.scheduler_info(n_workers=-1)["workers"]
        if not workers:
            self.close()
            raise UnreachableError(self._address, "the scheduler has no workers")
        self.count = sum(int(each["nthreads"]) for each in workers.values())
        for worker, found in self._client.run(_version, on_error="return").items():
            if found != __version__:
                self.close()
                told = f"{worker} with {f'Cavet {found}' if isinstance(found, str) else 'no Cavet'}"
                raise WrongError("--on", found=plain(told), expected=f"workers with Cavet {__version__}")

    def submit(self, order: Order) -> Future[Done]:
        """Hand one out; the scheduler hands it out again where a worker is lost."""
        if self.is_stopped:
            raise BrokenExecutor
        files = files_of(order.bench.parent)
        sent = self._client.submit(do_sent, order, files, pure=False)
        future: Future[Done] = Future()
        sent.add_done_callback(functools.partial(self._came, order, future))
        return future

    def _came(self, order: Order, future: Future[Done], sent: Any) -> None:
        if future.done():
            return
        try:
            future.set_result(keep_record(order, sent.result()))  # records are kept here, not where it was done
        except WrongError as error:
            future.set_exception(error)
        except Exception as error:  # noqa: BLE001
            if self._client.status != "running" or type(error).__name__ in ("FutureCancelledError", "CancelledError"):
                lost = UnreachableError(self._address, "the scheduler is gone, and with it what was under way")
                future.set_exception(BrokenExecutor() if self.is_stopped else lost)
            else:
                future.set_exception(BrokenExecutor(str(error)))

    def renew(self) -> None:
        """Others are in the place of lost workers already, if there are any."""

    def stop(self) -> None:
        """Ask for nothing more; what is waited for breaks."""
        self.is_stopped = True
        self._client.close(timeout=FIND_SECONDS)

    def close(self) -> None:
        """Let go of the scheduler; what is not done is left."""
        self.is_stopped = True
        self._client.close(timeout=FIND_SECONDS)


def _version() -> str:
    return __version__


@functools.lru_cache(maxsize=1)
def files_of(folder: Path) -> Files:
    """The files beside a bench that it may read. Raises `WrongError` where they are too many to be sent along."""
    files = tuple((path.name, path.read_bytes()) for path in paths_beside(folder))
    size = sum(len(data) for _, data in files)
    if size > MOST_BYTES:
        found = f"{size} bytes of files beside the bench"
        raise WrongError("--on", found=found, expected=f"at most {MOST_BYTES}: a folder of its own")
    return files


_folders: dict[str, tempfile.TemporaryDirectory[str]] = {}


def do_sent(order: Order, files: Files) -> Done:
    """Do a run with the files that came along. Raises `WrongError`."""
    digest = hashlib.sha256(msgspec.json.encode(files)).hexdigest()
    if digest not in _folders:
        folder = tempfile.TemporaryDirectory(prefix="cavet-")
        write_files(files, Path(folder.name))
        _folders[digest] = folder
    return done_here(msgspec.structs.replace(order, bench=Path(_folders[digest].name) / order.bench.name))
