"""The keys of the belief: hosts, and the points that they work."""

from typing import Annotated

from cavet.benchfile._point_tables import PointTable
from cavet.benchfile.hosts import PROTOCOLS
from cavet.hosts import SessionSettings
from cavet.settings import Meaning


class HostTable(SessionSettings, kw_only=True):
    """How the host talks to a board: its belief. NAME is the board's name as the points use it."""

    TITLE = "[hosts.NAME]"
    ROOMS = {name: protocol.HOST for name, protocol in PROTOCOLS.items()}
    link: Annotated[str, Meaning("the link that it opens", names="link")]
    protocol: Annotated[str, Meaning("what it speaks", tuple(PROTOCOLS))]


PointTable.ROOMS = {name: protocol.POINT for name, protocol in PROTOCOLS.items()}
