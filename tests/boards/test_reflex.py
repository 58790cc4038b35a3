"""Reflexes: what a board does by itself when a pin changes."""

import unittest

from cavet.boards import Board, PinMode, Reflex, World
from cavet.boards.parts import Button, Lamp
from cavet.record import Kind, Tell
from tests.boards.devices import Device
from tests.boards.worlds import Small, wired


def small(mode=PinMode.OUTPUT, **reflex):
    """A board with a button on pin 4 and a lamp on pin 3, and one reflex between them."""
    made = Small([wired(Button, "button", pin=4, bounce=0.006), wired(Lamp, "lamp", pin=3)])
    fields = {"name": "r", "pin": 4, "mode": PinMode.PULL_UP, "target": 3, **reflex}
    tell = Tell(made.record, "board")
    made.board = Board("board", made.circuit, made.firmware, tell, reflexes=[Reflex(**fields)])
    made.world = World([made.board], made.rig, [], made.record)
    made.open()
    if mode is not PinMode.OUTPUT:
        made.circuit.set_mode(3, mode, made.time, None)
    made.go(made.time + 0.1)
    return made


def pressed(made, *, down=0.2, up=0.2):
    made.world.act("board.button", "press")
    made.go(made.time + down)
    made.world.act("board.button", "release")
    made.go(made.time + up)
    return made.circuit.pins[3].value


class Reflexes(unittest.TestCase):
    def test_a_toggle_at_each_press_however_it_bounces(self):
        made = small()
        self.assertEqual([pressed(made) for _ in range(4)], [1, 0, 1, 0])

    def test_the_edge_and_what_is_done_are_as_the_file_says(self):
        cases = [
            ({"edge": "falling", "does": "on"}, [1, 1]),
            ({"edge": "rising", "does": "toggle"}, [1, 0]),
            ({"edge": "both", "does": "toggle"}, [0, 0]),
            ({"edge": "both", "does": "follow"}, [1, 1]),
            ({"edge": "falling", "does": "off"}, [0, 0]),
        ]
        for fields, expected in cases:
            with self.subTest(**fields):
                made = small(**fields)
                self.assertEqual([pressed(made) for _ in expected], expected)

    def test_what_is_shorter_than_its_debouncing_does_nothing(self):
        made = small(debounce=0.05)
        self.assertEqual(pressed(made, down=0.03), 0)
        self.assertEqual(pressed(made, down=0.08), 1)

    def test_a_pin_with_pwm_goes_to_its_full_duty(self):
        made = small(PinMode.PWM)
        self.assertEqual(pressed(made), 255)

    def test_a_pin_that_can_not_be_switched_is_told_and_the_board_goes_on(self):
        made = small(PinMode.SERVO)
        pressed(made)
        self.assertIsNone(made.board.fault)
        self.assertIn("pin 3 is in mode servo", next(event.note for event in made.events() if event.kind == "refused"))

    def test_it_stands_in_the_record_between_the_contact_and_the_pin(self):
        made = small()
        pressed(made)
        events = {event.number: event for event in made.events()}
        event = next(event for event in events.values() if event.kind == "moved")
        kinds = []
        while event.cause is not None:
            event = events[event.cause]
            kinds.append(event.kind)
        self.assertEqual(kinds, ["driven", "reflex", "level", "sensed"])


class BusyMachine(unittest.TestCase):
    def test_what_was_due_meanwhile_happens_in_its_order_however_late_the_world_is_brought_on(self):
        def story(late):
            device = Device("towpath")
            device.go(1.0)
            device.world.act("towpath.button", "press", seconds=0.08)
            device.world.advance(device.time)
            if late:
                device.time += 0.5
                device.world.advance(device.time)
            device.go(2.0)
            subjects = ("button", "lamp_by_button", "lamp")
            return [(e.kind, e.subject, e.value) for e in device.record.since(0) if e.subject in subjects]

        in_time = story(late=False)
        self.assertEqual([kind for kind, *_ in in_time], [Kind.SENSED, Kind.REFLEX, Kind.MOVED, Kind.SENSED])
        self.assertEqual(story(late=True), in_time)


if __name__ == "__main__":
    unittest.main()
