"""Where the demo's bench file is."""

from __future__ import annotations

from importlib import resources
from pathlib import Path


def demo_path() -> Path:
    """Give the path of the bench file that ships."""
    return Path(str(resources.files("cavet.demo").joinpath("ottersluice.bench.toml")))
