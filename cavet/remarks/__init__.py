"""What a careful colleague would say of a bench: rules in rooms of their own, each with what it says, why, and a mend
where one is sure."""

from cavet.remarks._mending import Edit, Mend, mended
from cavet.remarks._remark import Remark, Weight
from cavet.remarks._rules import RULES, remarks_on, well

__all__ = ["RULES", "Edit", "Mend", "Remark", "Weight", "mended", "remarks_on", "well"]
