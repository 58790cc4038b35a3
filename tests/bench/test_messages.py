"""The towpath station over our own broker, in fast time: what a wish comes to, and where it stops."""

import asyncio
import unittest

from cavet import clock
from cavet.bench import Carrier, RunningBench, Standings
from cavet.benchfile import check_text
from cavet.demo import demo_path
from cavet.record import Kind


def towpath(*changes):
    """The demo's plan, with pieces of its text changed."""
    text = demo_path().read_text("utf-8")
    for old, new in changes:
        assert old in text, old
        text = text.replace(old, new, 1)
    return check_text(text, "towpath.bench.toml")


def told(story, *changes):
    """Run `story(bench, standings)` on the towpath alone, ready to be asked; give what it gives."""

    async def run():
        bench = RunningBench(towpath(*changes), carrier=Carrier.MEMORY, boards=["towpath"])
        await bench.start()
        standings = Standings(bench)
        await asyncio.sleep(1.0)
        try:
            return await story(bench, standings)
        finally:
            await bench.stop()

    return clock.run(run(), fast=True)


async def asked(bench, standings, name, value, seconds=6.0):
    """Ask a point, and wait; give its trail and what is made of it."""
    number = bench.ask(bench.point(name), value, by="test")
    await asyncio.sleep(seconds)
    standings.follow()
    trail = standings.trails.all[number]
    return trail, standings.diagnose(trail)


class Wishes(unittest.TestCase):
    def test_a_switch_is_confirmed_by_its_state_topic(self):
        async def story(bench, standings):
            trail, diagnosis = await asked(bench, standings, "lamp", True)
            return trail, diagnosis, standings.standing(bench.point("lamp"))

        trail, diagnosis, standing = told(story)
        self.assertIsNone(diagnosis.broken)
        self.assertEqual(list(trail.steps), ["asked", "framed", "carried", "taken", "driven", "confirmed", "moved"])
        self.assertEqual(trail.passed.value, 1)
        self.assertEqual((standing.asked, standing.got), (True, True))

    def test_what_stands_there_is_not_published(self):
        async def story(bench, standings):
            await asked(bench, standings, "lamp", True)
            trail, _ = await asked(bench, standings, "lamp", True)
            return trail

        trail = told(story)
        self.assertEqual((trail.stopped.kind, list(trail.steps)), (Kind.UNCHANGED, ["asked"]))

    def test_a_pulse_is_done_each_time_and_ends_by_itself(self):
        async def story(bench, standings):
            await asked(bench, standings, "bell", 500.0)
            await asked(bench, standings, "bell", 500.0)
            return [(event.value, round(event.t, 2)) for event in bench.record.since(0) if event.subject == "bell"
                    and event.kind == Kind.MOVED]  # fmt: skip

        moves = told(story)
        self.assertEqual([value for value, _ in moves], [True, False, True, False])
        self.assertAlmostEqual(moves[1][1] - moves[0][1], 0.5, delta=0.01)

    def test_a_pulse_may_be_long_and_its_end_is_reported(self):
        async def story(bench, standings):
            await asked(bench, standings, "bell", 90_000.0, 100)
            states = [event for event in bench.record.since(0)
                      if event.kind == Kind.TOLD and event.subject == "ottersluice/towpath/bell/state"]  # fmt: skip
            return [(event.value, round(event.t)) for event in states]

        reports = 'state = "bell/state", command = "bell/set", does = "pulse", pin = 5, range = [0, 100000]'
        said = told(
            story,
            ('command = "bell/set", does = "pulse", pin = 5, range = [0, 60000]', reports),
            ('"3000 ms"', '"100 s"'),
        )
        self.assertEqual([value for value, _ in said], [b"0", b"1", b"0"])
        self.assertEqual(said[2][1] - said[1][1], 90)

    def test_a_sign_turns_to_the_text_leaf_by_leaf(self):
        async def story(bench, standings):
            number = bench.ask(bench.point("sign"), "LOCK OPEN", by="test")
            await asyncio.sleep(0.1)
            halfway = standings.standing(bench.point("sign")).got
            await asyncio.sleep(2)
            standings.follow()
            return halfway, standings.standing(bench.point("sign")), standings.trails.all[number]

        halfway, standing, trail = told(story)
        self.assertTrue("LOCK OPEN".startswith(halfway) and 0 < len(halfway) < 9, halfway)
        self.assertEqual((standing.asked, standing.got), ("LOCK OPEN", "LOCK OPEN"))
        self.assertEqual(trail.steps["moved"].last.value, "LOCK OPEN")

    def test_a_long_text_has_the_time_that_its_leaves_need(self):
        async def story(bench, standings):
            return [(await asked(bench, standings, "sign", "x" * 30, seconds))[1].broken for seconds in (0.5, 0.2)]

        self.assertEqual(told(story), [None, None])

    def test_presence_and_health_are_known(self):
        async def story(bench, standings):
            await asyncio.sleep(12)
            presence = standings.presence_of("towpath")
            return presence, bench.clock.now(), standings.standing(bench.point("battery")).got

        presence, now, battery = told(story)
        self.assertTrue(presence.here)
        self.assertEqual(set(presence.health), {"uptime", "supply_mv", "rssi"})
        self.assertLess(now - presence.health_at, 5)
        self.assertAlmostEqual(presence.usual_pause, 5, delta=0.01)
        self.assertEqual(battery, 4100)

    def test_a_button_that_is_held_counts_as_soon_as_it_is_old_enough(self):
        async def story(bench, standings):
            bench.act("towpath.button", "press")
            await asyncio.sleep(1)
            events = bench.record.since(0)
            last = max(event.t for event in events if event.kind == Kind.LEVEL and event.subject == "14")
            return next(event.t for event in events if event.kind == Kind.REFLEX) - last

        self.assertAlmostEqual(told(story), 0.02, delta=0.001)

    def test_the_button_toggles_the_lamp_by_itself_and_the_host_hears_of_it(self):
        async def story(bench, standings):
            bench.act("towpath.button", "press", seconds=0.2)
            await asyncio.sleep(1)
            on = standings.standing(bench.point("lamp")).got
            bench.act("towpath.button", "press", seconds=0.004)  # shorter than its debouncing
            await asyncio.sleep(1)
            still = standings.standing(bench.point("lamp")).got
            bench.act("towpath.button", "press", seconds=0.2)
            await asyncio.sleep(1)
            chain = [event for event in bench.record.since(0) if event.kind == Kind.HEARD and event.subject == "lamp"]
            events = {event.number: event for event in bench.record.since(0)}
            self.assertEqual(False, chain[0].value)  # the board has told how it stands, at the beginning
            kinds, event = [], chain[1]
            while event.cause is not None:
                event = events[event.cause]
                kinds.append(event.kind)
            return on, still, standings.standing(bench.point("lamp")).got, kinds

        on, still, off, kinds = told(story)
        self.assertEqual((on, still, off), (True, True, False))
        self.assertEqual(kinds, ["told", "driven", "reflex", "level", "sensed"])


class Stops(unittest.TestCase):
    """Each way in which a command can stop is told apart."""

    def reason(self, name, value, *changes, before=None):
        async def story(bench, standings):
            if before is not None:
                before(bench)
                await asyncio.sleep(1)
            return await asked(bench, standings, name, value)

        trail, diagnosis = told(story, *changes)
        return diagnosis.broken, diagnosis.reason, trail

    def test_nobody_has_subscribed(self):
        broken, reason, trail = self.reason(
            "lamp", True, ('command = "lamp/set"\nstate', 'command = "lmap/set"\nstate')
        )
        self.assertEqual(broken, "taken")
        self.assertIn("nobody has subscribed to ottersluice/towpath/lmap/set", reason)
        self.assertIn("in 3 tries", reason)
        self.assertEqual(trail.stopped.kind, Kind.UNCONFIRMED)

    def test_the_board_is_gone(self):
        broken, reason, _ = self.reason("lamp", True, before=lambda bench: bench.switch_defect("towpath_away", True))
        self.assertEqual((broken, reason), ("taken", "the board is gone: its presence says so"))

    def test_the_board_took_it_but_did_not_act(self):
        wrong = ('state = "lamp/state"\n', 'state = "lamp/state"\npayload_words = ["off", "on"]\n')
        broken, reason, _ = self.reason("lamp", True, wrong)
        self.assertEqual(broken, "taken")
        self.assertEqual(reason, 'ottersluice/towpath/lamp/set: found "on", expected 0 or 1')

    def test_the_pin_is_dead(self):
        dead = (
            "[defects.towpath_away]",
            '[defects.x]\nkind = "dead-pin"\nboard = "towpath"\npin = 4\n\n[defects.towpath_away]',
        )
        broken, reason, _ = self.reason("lamp", True, dead)
        self.assertEqual(broken, "driven")
        self.assertIn("pin 4 took it, but its line stays low", reason)

    def test_the_board_acted_but_did_not_report(self):
        broken, reason, trail = self.reason(
            "lamp", True, before=lambda bench: bench.switch_defect("towpath_mute", True)
        )
        self.assertEqual(broken, "confirmed")
        self.assertEqual(reason, "the board acted, but reported nothing on ottersluice/towpath/lamp/state")
        self.assertIn("but ottersluice/towpath/lamp/state says off, to 3 tries", trail.stopped.note)

    def test_a_broker_that_asks_for_a_password_is_told(self):
        async def story(bench, standings):
            return bench.host_links["towpath"].words

        words = told(story, ("[links.towpath]", '[broker]\nusers = { keeper = "heron" }\n\n[links.towpath]'))
        self.assertIn("the broker refuses: not authorized", words)

    def test_with_name_and_password_it_is_let_in(self):
        async def story(bench, standings):
            trail, diagnosis = await asked(bench, standings, "lamp", True)
            return diagnosis.broken, trail.reached(Kind.CONFIRMED)

        broken, confirmed = told(
            story,
            ("[links.towpath]", '[broker]\nusers = { keeper = "heron" }\n\n[links.towpath]'),
            ('every = "5 s"', 'every = "5 s"\nuser = "keeper"\npassword = "heron"\nversion = "5.0"'),
            ('link = "towpath"', 'link = "towpath"\nuser = "keeper"\npassword = "heron"\nversion = "5.0"'),
        )
        self.assertIsNone(broken)
        self.assertIsNotNone(confirmed)


class Losses(unittest.TestCase):
    def test_what_is_asked_while_the_link_is_down_is_done_once_it_is_back(self):
        async def story(bench, standings):
            bench.memory_link("towpath/host").cut()
            await asyncio.sleep(0.5)
            number = bench.ask(bench.point("lamp"), True, by="test")
            await asyncio.sleep(3)
            bench.memory_link("towpath/host").mend()
            await asyncio.sleep(5)
            standings.follow()
            return standings.trails.all[number], standings.standing(bench.point("lamp"))

        trail, standing = told(story)
        self.assertIsNotNone(trail.reached(Kind.CONFIRMED))
        self.assertTrue(standing.got)

    def test_a_station_that_was_cut_off_is_gone_and_then_here_again(self):
        async def story(bench, standings):
            link = bench.memory_link("towpath/station")
            link.cut()
            await asyncio.sleep(1)
            gone = standings.presence_of("towpath").here
            link.mend()
            await asyncio.sleep(5)
            return gone, standings.presence_of("towpath").here

        self.assertEqual(told(story), (False, True))

    def test_what_it_measures_is_told_with_its_decimals(self):
        async def story(bench, standings):
            await asyncio.sleep(6)
            standings.follow()
            return standings.standing(bench.point("battery")).got, bench.world.rig.value("battery") / 1000

        for decimals in (2, 3, 0):
            words = "" if decimals == 2 else f", decimals = {decimals}"
            field = 'supply_mv = { of = "battery", decimals = 0 }'
            got, there = told(story, (field, f'supply_mv = {{ of = "battery / 1000"{words} }}'))
            self.assertEqual(got, round(got, decimals))
            self.assertAlmostEqual(got, there, delta=0.6 * 10**-decimals)


class Files(unittest.TestCase):
    def test_what_is_wrong_is_told_with_its_place(self):
        link = 'kind = "mqtt"\nboard = "towpath"\nbroker = "own"'
        command = 'command = "lamp/set"\nstate'
        cases = [
            (('does = "switch", pin = 4', 'does = "switch", pin = 15'), "topics.lamp.pin: found 15, expected a pin"),
            (('command = "lamp/set", state', 'command = "lamp/#/x", state'), "topics.lamp.command"),
            (('presence = "presence"', 'presence = "pre/+"'), "boards.towpath.station.presence: found "),
            (('health = "health"', 'gone = "here"\nhealth = "health"'), "found here, expected something else"),
            (
                ('broker = "own"', 'broker = "own house"'),
                "links.towpath.broker: found own house, expected own",
            ),
            ((link, 'kind = "tcp"\nboard = "towpath"'), "links.towpath.kind: found tcp for mqtt"),
            ((command, 'command = "lamp/+"\nstate'), "points.lamp.command"),
            (('command = "bell/set"\n', 'command = "bell/set"\nstate = "bell/state"\n'), "expected none for a pulse"),
            ((command, "pin = 3\nstate"), "points.lamp.pin: found 3, expected none: its host speaks mqtt"),
            (('path = "rssi"', 'path = "rssi["'), "points.signal.path"),
            (("target = 4 }", "target = 15 }"), "reflexes.lamp_by_button.target: found 15"),
            (('kind = "mute"', 'kind = "lossy"\nshare = "4 %"'), "defects.towpath_mute.kind: found lossy"),
            (
                ('kind = "late"\nboard = "gatehouse"\ndelay = "800 ms"', 'kind = "away"\nboard = "gatehouse"'),
                "found away",
            ),
            (('uptime = { of = "uptime" }', 'uptime = { of = "tide" }'), "health.uptime.of: found tide"),
            (("[links.towpath]", "[broker]\nusers = { a = 1 }\n[links.towpath]"), "broker.users.a: found "),
            (('protocol = "mqtt"', 'protocol = "mqtt"\npassword = "x"'), "hosts.towpath.user: found nothing"),
        ]
        for change, part in cases:
            with self.subTest(change=change):
                with self.assertRaises(ExceptionGroup) as raised:
                    towpath(change)
                lines = [str(error) for error in raised.exception.exceptions]
                self.assertTrue(any(part.replace('"', "").strip() in line.replace('"', "") for line in lines), lines)


if __name__ == "__main__":
    unittest.main()
