"""Ottersluice: the demo, a small canal lock worked from a hut. Files only; nothing in them that a user could not write."""

from cavet.demo._place import demo_path

__all__ = ["demo_path"]
