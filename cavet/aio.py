"""The library of `import cavet` for asyncio: the same names, every wait awaited.

import cavet.aio

async def main():
    async with cavet.aio.open("demo", seed="a") as bench:
        await bench["beacon"].set("50 %")

cavet.aio.run(main())
"""

from cavet.library.aio import Bench, Part, Point, open, run
from cavet.library.codec import Decoded, decode, encode
from cavet.library.core import BenchRecord, Ran
from cavet.library.errors import Refused, TooLate, Unconfirmed
from cavet.library.rig import Rig
from cavet.library.sending import Sent
from cavet.library.trails import Stage, Trail
from cavet.wording import UnreachableError, WrongError

__all__ = [
    "Bench",
    "BenchRecord",
    "Decoded",
    "Part",
    "Point",
    "Ran",
    "Refused",
    "Rig",
    "Sent",
    "Stage",
    "TooLate",
    "Trail",
    "Unconfirmed",
    "UnreachableError",
    "WrongError",
    "decode",
    "encode",
    "open",
    "run",
]
