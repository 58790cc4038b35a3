"""Checks: whether a bench, and the program that drives it, does what it should."""

from cavet.checks._walk import Walk, Walked

__all__ = ["Walk", "Walked"]
