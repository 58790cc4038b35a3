"""The Textual application: it shows the bench and passes on what a person wants."""

from cavet.workbench.app import CavetApp

__all__ = ["CavetApp"]
