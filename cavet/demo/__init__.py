"""Ottersluice: the demo, a small canal lock worked from a hut. Only files, such as any user could write."""

from cavet.demo._place import demo_path, find_bench, find_routines

__all__ = ["demo_path", "find_bench", "find_routines"]
