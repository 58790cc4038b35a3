"""What is wired to what: from what the host believes, over the link, to the places of a board, and what hangs there."""

from cavet.wiring._place import Place, PlaceKind
from cavet.wiring._wiring import Wire, Wiring, wirings

__all__ = ["Place", "PlaceKind", "Wire", "Wiring", "wirings"]
