"""Tables of the bench file: what is read off their fields."""

import unittest
from typing import Annotated, Any

import msgspec

from cavet.expressions import Expression
from cavet.settings import Meaning, Table, keys_of, made, rooms_of, section_of


class Lamp(Table, kw_only=True):
    """A lamp,
    as a test has it."""

    TITLE = "[lamps.NAME]"
    kind: Annotated[str, Meaning("what it is", kind="word")]
    fade: Annotated[float, Meaning("how long", unit="s", low=0, high=2)] = 0.5
    hung: bool = False
    pin: Annotated[int, Meaning("where it hangs", kind="pin")]
    from_: Annotated[float | None, Meaning("where it begins", unit="=unit")] = None
    more: Annotated[dict[str, Any], Meaning("see below")] = {}


class Beacon(Lamp, kw_only=True):
    """A lamp that turns."""

    fade: Annotated[float, Meaning("how long a turn takes", unit="s")] = 2.0
    stops: Annotated[Expression | None, Meaning("when it stops")] = None


class Own(Table, kw_only=True):
    """What one protocol has."""

    ABOUT = "MQTT"
    topic: Annotated[str, Meaning("where it is told")] = ""
    port: Annotated[int, Meaning("MQTT, SCPI: where it listens", concerns=("mqtt", "scpi"))] = 0


class Place(msgspec.Struct):
    fade: float
    pin: int
    name: str


class Tables(unittest.TestCase):
    def test_keys_are_the_annotated_fields_those_first_that_must_be_there(self):
        self.assertEqual(["kind", "pin", "fade", "from", "more"], [key.name for key in keys_of(Lamp)])
        kinds = {key.name: (key.kind, key.required, key.default) for key in keys_of(Lamp)}
        self.assertEqual(("quantity", False, 0.5), kinds["fade"])
        self.assertEqual(("pin", True, None), kinds["pin"])
        self.assertEqual(("table", False, {}), kinds["more"])
        self.assertEqual("from_", next(key for key in keys_of(Lamp) if key.name == "from").field)

    def test_what_is_declared_anew_stands_in_the_place_of_what_was_inherited(self):
        keys = {key.name: key for key in keys_of(Beacon)}
        self.assertEqual(("how long a turn takes", 2.0), (keys["fade"].doc, keys["fade"].default))
        self.assertEqual(("expression", None), (keys["stops"].kind, keys["stops"].default))
        self.assertIn("pin", keys)

    def test_a_section_has_the_kinds_and_the_rooms(self):
        class Either(Lamp, kw_only=True):
            """Something."""

        Either.VARIANTS, Either.ROOMS = {"beacon": Beacon}, {"mqtt": Own, "scpi": Own}
        section = section_of(Either)
        self.assertEqual(
            ("kind", ("beacon",), True), (section.keys[0].name, section.keys[0].choices, section.keys[0].required)
        )
        self.assertEqual(
            {"beacon": ["stops"]}, {kind: [key.name for key in keys] for kind, keys in section.variants.items()}
        )
        topic, port = rooms_of(Either)
        self.assertEqual(("MQTT: where it is told", ("mqtt", "scpi")), (topic.doc, topic.concerns))
        self.assertEqual("MQTT, SCPI: where it listens", port.doc)
        self.assertEqual("A lamp, as a test has it.", section_of(Lamp).doc)

    def test_what_a_key_says_goes_to_the_field_of_its_name(self):
        place = made(Place, Lamp(kind="lamp", pin=3), name="beacon", pin=4)
        self.assertEqual((0.5, 4, "beacon"), (place.fade, place.pin, place.name))

    def test_what_can_t_be_read_is_said_at_once(self):
        class Odd(Table, kw_only=True):
            """Odd."""

            value: Annotated[complex, Meaning("a value")] = 0j

        class Texts(Table, kw_only=True):
            """As a module would have it that imports annotations from `__future__`."""

            value: "Annotated[int, Meaning('a value')]" = 0

        for table, words in ((Odd, "no kind of key for this type"), (Texts, "annotations as texts")):
            with self.assertRaises(TypeError) as raised:
                keys_of(table)
            self.assertIn(words, str(raised.exception))
