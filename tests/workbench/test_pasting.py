"""What is pasted is taken as if it were typed, where something is being typed."""

import unittest

from cavet.workbench.screens.actions import ActionsScreen
from cavet.workbench.screens.frames import FramesScreen
from tests.workbench.test_screens import seated

LONG = "Lock is closed until tomorrow, 8 o clock"


class Pasting(unittest.TestCase):
    def test_a_value_begins_with_it_and_only_return_asks_for_it(self):
        async def story(seat):
            await seat.sees("▸ beacon")
            seat.paste("\n  45 %\nq\n")
            await seat.sees("◇ 45 %▏")
            self.assertIsNone(seat.asked("beacon"))
            await seat.press("enter")
            await seat.until(lambda: seat.asked("beacon") == 45.0)

        seated(story)

    def test_what_can_not_begin_a_value_is_no_command_either(self):
        async def story(seat):
            await seat.sees("▸ beacon")
            seat.paste("d")
            seat.paste("\x1b\r\n")
            await seat.press("1")
            await seat.sees("◇ 1▏")
            seat.paste("0 \x07%")
            await seat.sees("◇ 10 %▏")

        seated(story)

    def test_a_long_text_is_taken_whole_and_its_end_stays_in_sight(self):
        async def story(seat):
            await seat.press("f")
            seat.paste("panel")
            await seat.sees("find panel")
            await seat.press("enter")
            await seat.type(chr(34))
            seat.paste(LONG)
            await seat.sees("8 o clock▏")
            await seat.press("enter")
            await seat.until(lambda: seat.asked("panel") == LONG)

        seated(story, size=(80, 24))

    def test_a_list_is_searched_for_it(self):
        async def story(seat):
            await seat.press("f2")
            await seat.on(ActionsScreen)
            seat.paste("everything to rest")
            await seat.sees("› everything to rest▏")

        seated(story)

    def test_bytes_are_searched_for_and_a_long_sum_is_taken_whole(self):
        async def story(seat):
            seat.app.go_to_screen("frames")
            await seat.on(FramesScreen)
            seat.paste("07 06")  # nothing is typed here: it is left
            await seat.press("f")
            seat.paste("F9 02 07 " * 40 + "01")
            await seat.sees("find …", "02 07 01▏")
            await seat.press("escape", "slash")
            seat.paste("check kind=sum8 data=" + "F9 02 07 " * 40 + "01")
            await seat.sees("…2 07 F9 02", "02 07 01▏")
            await seat.press("enter")
            await seat.sees("0x51")

        seated(story)


if __name__ == "__main__":
    unittest.main()
