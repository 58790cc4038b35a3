"""The shim, compiled once for each version of its source."""

from __future__ import annotations

import hashlib
import os
import shutil
import struct
import subprocess
import tempfile
from pathlib import Path

import platformdirs

from cavet.files import file_errors, writable_folder
from cavet.wording import WrongError, plain

SOURCES = Path(__file__).with_name("shim")
COMPILERS = ("cc", "gcc", "clang")
FLAGS = ("-shared", "-fPIC", "-O2", "-fvisibility=hidden", "-w", "-Wl,--as-needed")
PT_INTERP = 3
"""The part of a program that names its loader. Source: System V ABI, chapter 5."""


def shim() -> Path:
    """The compiled shim, in the user's cache. Raises `WrongError` where it can't be made."""
    sources = b"".join(path.read_bytes() for path in sorted(SOURCES.iterdir()))
    name = f"shim-{hashlib.sha256(sources + os.uname().machine.encode()).hexdigest()[:16]}.so"
    wanted = platformdirs.user_cache_path("cavet")
    with file_errors(wanted, "a cache folder that can be written: XDG_CACHE_HOME names another"):
        path = writable_folder(wanted) / name
        return path if path.exists() else _compiled(path)


def _compiled(path: Path) -> Path:
    compiler = next((found for name in COMPILERS if (found := shutil.which(name))), None)
    if compiler is None:
        raise WrongError("with", found="no C compiler", expected="cc, gcc or clang: the shim is made with it, once")
    with tempfile.TemporaryDirectory(dir=path.parent) as folder:
        made = Path(folder) / path.name
        done = subprocess.run(
            [compiler, *FLAGS, "-o", str(made), *map(str, sorted(SOURCES.glob("*.c"))), "-ldl", "-lpthread"],
            capture_output=True, text=True, check=False,
        )  # fmt: skip
        if done.returncode:
            said = plain((done.stderr.strip().splitlines() or ["nothing"])[-1], 200)
            raise WrongError("with", found=f"{compiler} that says: {said}", expected="one that makes the shim")
        made.replace(path)
    return path


def is_static(program: str) -> bool:
    """Whether a program is linked statically: then nothing can be put before its calls. Scripts are not."""
    path = shutil.which(program)
    if path is None:
        return False
    with Path(path).open("rb") as file:
        head = file.read(64)
        if len(head) < 64 or head[:4] != b"\x7fELF" or head[4] != 2:
            return False
        begin, size, count = *struct.unpack_from("<Q", head, 32), *struct.unpack_from("<HH", head, 54)
        file.seek(begin)
        kinds = [struct.unpack_from("<I", file.read(size))[0] for _ in range(count)]
    return PT_INTERP not in kinds
