"""Where the demo's bench file is."""

from __future__ import annotations

from importlib import resources
from pathlib import Path


def demo_path() -> Path:
    """Give the path of the bench file that ships."""
    return Path(str(resources.files("cavet.demo").joinpath("ottersluice.bench.toml")))


def find_bench(bench: str | Path) -> Path:
    """The bench file that a word means: a path, or "demo" for the one here."""
    path = Path(bench)
    return demo_path() if str(bench) == "demo" and not path.exists() else path


def find_routines(file: str | Path) -> Path:
    """The file of routines that a word means: a path, or "demo" for the one here."""
    path = Path(file)
    return demo_path().with_name("ottersluice.routine") if str(file) == "demo" and not path.exists() else path
