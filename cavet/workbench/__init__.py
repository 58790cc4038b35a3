"""The Textual application: screens that draw the bench as it stands, and ask it for what a person wants."""

from cavet.workbench.app import CavetApp
from cavet.workbench.desk import Desk

__all__ = ["CavetApp", "Desk"]
