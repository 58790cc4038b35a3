"""Cavet: a workbench for people who write the program that moves a board's outputs."""

__version__ = "0.1.0"
