"""A line that is being typed: its caret, its room, and that it is the same wherever something is."""

import random
import unittest

from cavet.workbench.screens.actions import ActionsScreen
from cavet.workbench.screens.bench import BenchScreen
from cavet.workbench.screens.editing import EditScreen
from cavet.workbench.screens.frames import FramesScreen
from cavet.workbench.typed import CARET, Typed
from tests.workbench.test_screens import seated


def after(typed, *keys):
    """The line after these keys; a character types itself."""
    for key in keys:
        typed = typed.hear(key, key if len(key) == 1 else None) or typed
    return typed


class Lines(unittest.TestCase):
    def test_keys_move_the_caret_and_change_what_is_beside_it(self):
        for keys, shown in (
            ("", "12▏"), ("left", "1▏2"), ("left left", "▏12"), ("left left left", "▏12"), ("home", "▏12"),
            ("home end", "12▏"), ("right", "12▏"), ("home right", "1▏2"), ("left 5", "15▏2"), ("home 5 6", "56▏12"),
            ("backspace", "1▏"), ("left backspace", "▏2"), ("home backspace", "▏12"), ("delete", "12▏"),
            ("left delete", "1▏"), ("home delete delete delete", "▏"),
        ):  # fmt: skip
            with self.subTest(keys):
                self.assertEqual(shown, after(Typed.of("12"), *keys.split()).shown())

    def test_other_keys_are_not_its_own(self):
        for key, character in (("up", None), ("enter", "\r"), ("tab", "\t"), ("f2", None), ("escape", "\x1b")):
            self.assertIsNone(Typed.of("12").hear(key, character))

    def test_no_more_is_kept_than_there_is_room_for(self):
        self.assertEqual(Typed("abXYcd", 4, 6), Typed("abcd", 2, 6).put("XYZ"))
        self.assertEqual("ab", Typed.of("abcd", 2).text)
        self.assertEqual(Typed("ab", 2, 2), Typed.of("ab", 2).put("c"))

    def test_the_caret_is_in_sight_with_what_is_around_it(self):
        for text, caret, room, shown in (
            ("12345678", 8, 9, "12345678▏"), ("12345678", 8, 6, "…5678▏"), ("12345678", 0, 6, "▏1234…"),
            ("12345678", 4, 6, "1234▏…"), ("12345678", 6, 6, "…456▏…"),
            ("12345678", 7, 6, "…567▏8"), ("1", 1, 2, "1▏"), ("12", 2, 2, "▏"),
            ("12", 2, 1, "▏"), ("12", 2, 0, ""),
        ):  # fmt: skip
            with self.subTest(text=text, caret=caret, room=room):
                self.assertEqual(shown, Typed(text, caret).shown(room))

    def test_whatever_is_typed_is_what_stands_there(self):
        chance = random.Random("typed")
        keys = ["left", "right", "home", "end", "backspace", "delete", *"abc 1.%"]
        for _ in range(200):
            typed, text, caret = Typed(most=12), "", 0
            for key in chance.choices(keys, k=60):
                typed = after(typed, key)
                if len(key) == 1 and len(text) < 12:
                    text, caret = text[:caret] + key + text[caret:], caret + 1
                elif key == "backspace" and caret:
                    text, caret = text[: caret - 1] + text[caret:], caret - 1
                elif key == "delete":
                    text = text[:caret] + text[caret + 1 :]
                elif len(key) > 1:
                    caret = {"left": max(0, caret - 1), "right": min(len(text), caret + 1), "home": 0}.get(key, caret)
                    caret = len(text) if key == "end" else caret
                self.assertEqual(Typed(text, caret, 12), typed)
                for room in range(15):
                    shown = typed.shown(room)
                    self.assertLessEqual(len(shown), room)
                    self.assertEqual(room > 0, CARET in shown)


class WhereSomethingIsTyped(unittest.TestCase):
    def test_a_value_and_a_search_on_drive(self):
        async def story(seat):
            await seat.type("60")
            await seat.press("home", "delete", "2", "right")
            await seat.sees("◇ 20▏")
            await seat.press("left")
            await seat.sees("◇ 2▏0")
            await seat.press("enter")
            await seat.until(lambda: seat.asked("beacon") == 20.0)
            await seat.press("f")
            await seat.type("uper")
            await seat.press("left", "left", "p")
            await seat.sees("find upp▏er", "upper_paddle")

        seated(story)

    def test_a_value_for_the_field_on_the_ruler(self):
        async def story(seat):
            await seat.press("right")
            await seat.until(lambda: seat.desk.standings.trails.all)
            await seat.press("w")
            await seat.on(FramesScreen)
            await seat.sees("analog-message 2")
            await seat.press("tab")
            await seat.type("00")
            await seat.press("left", "left", "2")
            await seat.sees("2▏00")
            await seat.press("enter")
            await seat.sees("changed", "78.4 %")

        seated(story)

    def test_a_word_for_an_action(self):
        async def story(seat):
            await seat.press("f2")
            await seat.on(ActionsScreen)
            await seat.type("evrything")
            await seat.sees("nothing of that name")
            await seat.press("home", "right", "right", "e")
            await seat.sees("› eve▏rything", "everything to rest")

        seated(story)

    def test_a_key_of_the_file(self):
        async def story(seat):
            await seat.press("ctrl+g", "1")
            await seat.on(BenchScreen)
            await seat.press("enter")
            await seat.on(EditScreen)
            await seat.press("home", "enter")
            await seat.until(lambda: seat.app.screen._entry is not None)
            before = seat.app.screen._entry
            await seat.press("home", "x")
            await seat.until(lambda: seat.app.screen._entry == Typed(f"x{before.text}", 1))

        seated(story, changing=True)


if __name__ == "__main__":
    unittest.main()
