"""The Textual application: it shows the bench and passes on what a person wants."""

from cavet.workbench.app import CavetApp
from cavet.workbench.bench_thread import BenchThread
from cavet.workbench.desk import Desk

__all__ = ["BenchThread", "CavetApp", "Desk"]
