"""The workbench: the screens on a bench that runs, or on a record."""

from cavet.workbench.app import CavetApp, RecordApp, app_for
from cavet.workbench.desk import Desk
from cavet.workbench.past import PastDesk
from cavet.workbench.wiring.changing import Changing

__all__ = ["CavetApp", "Changing", "Desk", "PastDesk", "RecordApp", "app_for"]
