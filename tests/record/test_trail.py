"""Trails, read from a record that is written by hand."""

import unittest

from cavet.record import Kind, Purpose, Record, Topic, Trails


class Story:
    """A record in which each event is a millisecond after the one before."""

    def __init__(self, parts=None):
        self.record = Record(lambda: len(self.record) / 1000)
        self.trails = Trails(parts=parts)

    def __call__(self, kind, cause=None, topic=Topic.POINT, subject="beacon", value=None, note="", **fields):
        number = self.record.append(kind, "gatehouse", topic, subject, value, cause, note, **fields)
        self.trails.follow(self.record.since(self.trails.next))
        return number


class TrailStory(unittest.TestCase):
    def setUp(self):
        self.tell = Story()

    def sent(self, frames=1):
        asked = self.tell(Kind.ASKED, value=50)
        framed = [self.tell(Kind.FRAMED, asked, value=b"\xe2\x7f\x00") for _ in range(frames)]
        return asked, framed

    def trail(self, number):
        return self.tell.trails.all[number]

    def test_one_command_is_followed_through_all_seven_stages(self):
        asked, (framed,) = self.sent()
        carried = self.tell(Kind.CARRIED, framed, "link")
        taken = self.tell(Kind.TAKEN, carried, "message")
        driven = self.tell(Kind.DRIVEN, taken, "pin", "2")
        self.tell(Kind.MOVED, driven, "part")
        self.tell(Kind.CONFIRMED, asked)
        trail = self.trail(asked)
        self.assertEqual(list(trail.steps), ["asked", "framed", "carried", "taken", "driven", "moved", "confirmed"])
        self.assertTrue(trail.complete)
        self.assertAlmostEqual(trail.delay(Kind.TAKEN), 0.001)

    def test_of_what_one_frame_moves_its_own_part_is_what_a_command_is_about(self):
        for part in ("beacon", "lamp_2"):
            self.tell = Story({} if part == "beacon" else {"beacon": ("gatehouse", "lamp_2")})
            asked, (framed,) = self.sent()
            taken = self.tell(Kind.TAKEN, self.tell(Kind.CARRIED, framed, "link"), "message")
            driven = self.tell(Kind.DRIVEN, taken, "pin", "2")
            self.tell(Kind.MOVED, driven, "part", "horn", note="quiet")
            self.assertEqual(self.trail(asked).reached(Kind.MOVED).note, "quiet")
            self.tell(Kind.MOVED, driven, "part", part, note="50 %")
            self.tell(Kind.MOVED, driven, "part", "relay", note="open")
            self.assertEqual(self.trail(asked).reached(Kind.MOVED).note, "50 %")

    def test_what_stands_there_already_is_so_by_the_command_before_it_or_by_another_one_since(self):
        def moved(subject, board="gatehouse"):
            asked = self.tell(Kind.ASKED, subject=subject)
            driven = self.tell(Kind.DRIVEN, self.tell(Kind.FRAMED, asked, subject=subject), "pin", "2")
            self.tell.record.append(Kind.MOVED, board, Topic.PART, "beacon", 0.0, driven)
            return asked

        def again():
            asked = self.tell(Kind.ASKED, value=50)
            self.tell(Kind.UNCHANGED, asked)
            return self.trail(asked).stands_as, self.trail(asked).stood is not None

        self.assertEqual(again(), (None, False))
        first = moved("beacon")
        self.assertEqual(again(), (first, False))
        moved("horn", "hut")  # a part of that name at another board
        self.assertEqual(again(), (first, False))
        moved("horn")
        self.assertEqual(again(), (None, True))
        self.tell(Kind.MOVED, self.tell(Kind.DRIVEN, None, Topic.PIN, "2"), Topic.PART, "beacon")  # its board blinks it
        self.assertEqual(again(), (None, False))
        self.tell(Kind.MOVED, None, Topic.PART, "beacon")  # wires were changed
        self.assertEqual(again(), (None, True))
        forced = self.tell(Kind.ASKED, value=50)
        self.tell(Kind.FRAMED, forced)
        self.tell(Kind.UNCHANGED, forced)  # sent all the same
        self.assertIsNone(self.trail(forced).stands_as)

    def test_an_answer_is_what_follows_from_the_message_and_not_what_came_of_it(self):
        for refuses in (False, True):
            root = self.tell(Kind.CARRIED, None, Topic.LINK, "gatehouse", b"\xf5", purpose=Purpose.OUTSIDE)
            taken = self.tell(Kind.TAKEN, root, Topic.MESSAGE)
            driven = self.tell(Kind.DRIVEN, taken, Topic.PIN, "2")
            self.tell(Kind.TOLD, driven, Topic.MESSAGE, "digital-message")  # an input that hangs there
            self.assertIsNone(self.trail(root).answered)
            last = self.tell(Kind.REFUSED, taken, Topic.MESSAGE) if refuses else taken
            first = self.tell(Kind.TOLD, last, Topic.MESSAGE, "string-data")
            self.tell(Kind.TOLD, taken, Topic.MESSAGE, "string-data")
            self.assertEqual(self.trail(root).answered.number, first)

    def test_a_stage_is_reached_when_every_frame_has_reached_it(self):
        asked, framed = self.sent(frames=2)
        first = self.tell(Kind.CARRIED, framed[0], "link")
        self.tell(Kind.TAKEN, first, "message")
        trail = self.trail(asked)
        self.assertIsNone(trail.reached(Kind.CARRIED))
        second = self.tell(Kind.CARRIED, framed[1], "link")
        self.assertIsNotNone(trail.reached(Kind.CARRIED))
        self.assertIsNone(trail.reached(Kind.TAKEN))
        self.tell(Kind.TAKEN, second, "message")
        self.assertIsNotNone(trail.reached(Kind.TAKEN))

    def test_the_question_that_reads_back_is_no_part_of_the_command(self):
        asked, (framed,) = self.sent()
        question = self.tell(Kind.FRAMED, asked, purpose=Purpose.READ_BACK)
        carried = self.tell(Kind.CARRIED, question, "link")
        self.tell(Kind.TAKEN, carried, "message")
        self.assertNotIn(Kind.TAKEN, self.trail(asked).steps)
        self.assertEqual([event.number for event in self.trail(asked).steps[Kind.FRAMED].events], [framed])

    def test_sending_again_begins_the_stages_anew(self):
        asked, (framed,) = self.sent()
        self.tell(Kind.CARRIED, framed, "link")
        self.tell(Kind.RESENT, asked)
        trail = self.trail(asked)
        self.assertEqual((list(trail.steps), trail.resends), (["asked"], 1))

    def test_what_ends_a_command_is_kept_with_its_reason(self):
        for kind in (Kind.REFUSED, Kind.OVERTAKEN, Kind.UNCONFIRMED, Kind.UNCHANGED):
            with self.subTest(kind):
                asked, _ = self.sent()
                self.tell(kind, asked, note="why")
                self.assertEqual(self.trail(asked).stopped.note, "why")
                self.assertFalse(self.trail(asked).complete)

    def test_of_two_events_that_overtake_it_the_first_says_why(self):
        asked, (framed,) = self.sent()
        driven = self.tell(Kind.DRIVEN, framed, Topic.PIN, "2")
        self.tell(Kind.OVERTAKEN, asked, note="a newer wish came")
        self.tell(Kind.OVERTAKEN, driven, Topic.PART)
        self.assertEqual("a newer wish came", self.trail(asked).stopped.note)

    def test_what_a_part_does_since_a_defect_was_switched_is_by_its_wires(self):
        asked, (framed,) = self.sent()
        self.tell(Kind.MOVED, self.tell(Kind.DRIVEN, framed, Topic.PIN, "2"), Topic.PART, value=50.0)
        self.tell(Kind.CONFIRMED, asked)
        upto = self.tell.trails.changes_of(self.trail(asked))
        switched = self.tell(Kind.DEFECT, None, Topic.DEFECT, "dead", value=True)
        moved = self.tell(Kind.MOVED, switched, Topic.PART, value=0.0)
        self.assertEqual(upto, self.tell.trails.changes_of(self.trail(asked)))
        self.tell(Kind.DEFECT, None, Topic.DEFECT, "dead", value=False)
        again = self.tell(Kind.ASKED, value=50)
        self.tell(Kind.UNCHANGED, again)
        stood = self.trail(again).stood
        self.assertEqual((moved, False), (stood.number, self.trail(again).is_others))

    def test_a_part_that_the_same_wish_drives_anew_is_not_overtaken(self):
        asked, (framed,) = self.sent()
        first = self.tell(Kind.DRIVEN, framed, Topic.PIN, "2")
        self.tell(Kind.RESENT, asked)
        again = self.tell(Kind.DRIVEN, self.tell(Kind.FRAMED, asked), Topic.PIN, "2")
        self.tell(Kind.OVERTAKEN, first, Topic.PART)
        self.assertIsNone(self.trail(asked).stopped)
        self.tell(Kind.OVERTAKEN, again, Topic.PART)
        self.assertIsNotNone(self.trail(asked).stopped)

    def test_a_part_that_two_late_tries_drive_is_not_overtaken_by_another_command(self):
        asked, (framed,) = self.sent()
        self.tell(Kind.RESENT, asked)
        late = [self.tell(Kind.CARRIED, each, "link") for each in (framed, self.tell(Kind.FRAMED, asked))]
        driven = [self.tell(Kind.DRIVEN, self.tell(Kind.TAKEN, each, "message"), "pin", "2") for each in late]
        self.tell(Kind.OVERTAKEN, driven[0], Topic.PART)
        self.assertIsNone(self.trail(asked).stopped)
        other = self.tell(Kind.DRIVEN, self.tell(Kind.TAKEN, late[1], "message"), "pin", "3")
        self.tell(Kind.OVERTAKEN, driven[1], Topic.PART)
        self.assertEqual(self.trail(asked).stopped.cause, driven[1], other)

    def test_what_an_older_try_comes_to_late_ends_no_newer_one(self):
        asked, (framed,) = self.sent()
        carried = self.tell(Kind.CARRIED, framed, "link")
        self.tell(Kind.RESENT, asked)
        again = self.tell(Kind.CARRIED, self.tell(Kind.FRAMED, asked), "link")
        self.tell(Kind.REFUSED, carried, Topic.BOARD, note="garbled")
        self.assertIsNone(self.trail(asked).stopped)
        self.tell(Kind.REFUSED, again, Topic.BOARD, note="wrong")
        self.assertEqual(self.trail(asked).stopped.note, "wrong")

    def test_bytes_that_a_board_could_not_read_are_lost_and_refuse_no_command(self):
        asked, (framed,) = self.sent()
        self.tell(Kind.REFUSED, self.tell(Kind.CARRIED, framed, "link"), Topic.BYTES, note="outside any message")
        trail = self.trail(asked)
        self.assertEqual((trail.stopped, trail.losses), (None, 1))

    def test_a_dead_pin_ends_it_but_a_lost_byte_is_only_counted(self):
        asked, (framed,) = self.sent()
        self.tell(Kind.LOST, framed, Topic.BYTES, "1")
        self.assertIsNone(self.trail(asked).stopped)
        self.assertEqual(self.trail(asked).losses, 1)
        self.tell(Kind.LOST, framed, Topic.PIN, "2")
        self.assertIsNotNone(self.trail(asked).stopped)

    def test_another_programs_bytes_begin_a_trail_of_their_own(self):
        carried = self.tell(Kind.CARRIED, None, "link", "gatehouse", b"\xe2\x7f\x00")
        self.tell(Kind.TAKEN, carried, "message")
        self.assertEqual(self.trail(carried).furthest, Kind.TAKEN)

    def test_only_so_many_are_kept_and_their_events_are_forgotten_with_them(self):
        self.tell.trails = Trails(kept=3)
        numbers = [self.sent()[0] for _ in range(5)]
        self.assertEqual(list(self.tell.trails.all), numbers[-3:])
        self.tell(Kind.CONFIRMED, numbers[0])
        self.assertEqual(list(self.tell.trails.all), numbers[-3:])


if __name__ == "__main__":
    unittest.main()
