"""An answer that comes down a line is waited for while it comes, and not for ever."""

import asyncio
import unittest
from math import inf

from cavet.links import Coming


class Waiting(unittest.IsolatedAsyncioTestCase):
    async def test_it_is_put_off_by_the_time_of_the_bytes_up_to_so_many(self):
        for byte_seconds, most, until, puts in (
            (0.01, 100, inf, (0.4, 0.4, 0.2, 0.0)), (0.01, 100, 0.5, (0.4, 0.1, 0.0, 0.0)), (0.0, 100, inf, (0.0,) * 4),
        ):  # fmt: skip
            now = asyncio.get_running_loop().time()
            async with asyncio.timeout_at(now + 60) as timeout:
                coming = Coming(timeout, byte_seconds, most, now + 60 + until)
                for put in puts:
                    before = timeout.when()
                    coming.comes(40)
                    self.assertAlmostEqual(put, timeout.when() - before)

    async def test_what_comes_when_it_is_over_is_no_matter(self):
        with self.assertRaises(TimeoutError):
            async with asyncio.timeout(0) as timeout:
                await asyncio.sleep(60)
        Coming(timeout, 0.01, 100).comes(5)


if __name__ == "__main__":
    unittest.main()
