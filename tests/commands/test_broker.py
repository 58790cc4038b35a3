"""The towpath station on its broker, as another program meets it: on our own, and on a real one."""

import json
import socket
import ssl
import subprocess
import tempfile
import time
import unittest
from pathlib import Path

from cavet.demo import demo_path
from tests.commands.real_broker import RealBroker, needs_broker
from tests.commands.run import cavet
from tests.commands.test_bridge import Process, self_signed
from tests.commands.test_serve import Served
from tests.commands.topics import TopicClient
from tests.console.terminal import CAVET, Terminal, needs_tmux
from tests.patience import PATIENCE, quickest

BASE = "ottersluice/towpath/"
BACK_SECONDS = 5.0


class OurOwn(unittest.TestCase):
    def setUp(self):
        self.served = Served("--events", "--board", "towpath")
        self.addCleanup(self.end)
        self.ended = False
        self.address = self.served.address("towpath", "mqtt")

    def end(self):
        if not self.ended:
            self.ended = True
            self.served.end()

    def client(self, version=4, **fields):
        client = TopicClient(self.address, version, **fields)
        self.addCleanup(client.close)
        return client

    def test_another_program_works_the_station_in_either_version(self):
        for version in (4, 5):
            with self.subTest(version=version):
                client = self.client(version)
                client.subscribe(BASE + "#")
                self.assertTrue(client.wait_for_payload(BASE + "presence", b"here").retain)
                client.publish(BASE + "lamp/set", b"1")
                client.wait_for_payload(BASE + "lamp/state", b"1")
                client.publish(BASE + "lamp/set", b"0")
                client.wait_for_payload(BASE + "lamp/state", b"0")

    def test_it_is_ready_as_soon_as_it_says_so(self):
        client = self.client()
        client.subscribe(BASE + "lamp/state")
        client.wait_for("publish")
        client.publish(BASE + "lamp/set", b"1", qos=0)
        client.wait_for_payload(BASE + "lamp/state", b"1")

    def test_its_events_lead_from_the_bytes_to_the_part(self):
        self.client().publish(BASE + "bell/set", b"50")
        moved, lines = self.served.until(lambda line: line.get("part") == "towpath.bell" and line["kind"] == "moved")
        events = {line["number"]: line for line in lines}
        kinds, event = [], moved
        while event["cause"] is not None:
            event = events[event["cause"]]
            kinds.append((event["kind"], event["board"]))
        self.assertEqual(kinds, [("driven", "towpath"), ("taken", "towpath"), ("carried", "broker")])
        self.served.until(lambda line: line.get("part") == "towpath.bell" and line.get("value") is False)

    def test_an_unknown_payload_changes_nothing(self):
        client = self.client()
        client.subscribe(BASE + "lamp/state")
        for payload in (b"2", b"on", b"", b"1 ", b"\xff", b"[b]1[/b]\x1b[2J", b"1" * 100_000):
            client.publish(BASE + "lamp/set", payload)
        refused, lines = self.served.until(
            lambda line: line["event"] == "record" and line["kind"] == "refused" and "11111" in line["note"]
        )
        self.assertEqual(sum(line.get("kind") == "refused" for line in lines), 7)
        self.assertFalse([line for line in lines if line.get("pin") == 4 and line.get("value") == 1])
        self.assertNotIn("\x1b", json.dumps(lines))
        self.assertIn("expected 0 or 1", refused["note"])

    def test_the_button_toggles_the_lamp_by_a_reflex(self):
        client = self.client()
        client.subscribe(BASE + "lamp/state")
        client.wait_for_payload(BASE + "lamp/state", b"0")
        for payload in (b"1", b"0"):
            self.served.tell({"part": "towpath.button", "do": "press", "for": "80 ms"})
            client.wait_for_payload(BASE + "lamp/state", payload)
            self.served.until(lambda line: line.get("part") == "towpath.button" and line.get("value") is False)
            time.sleep(0.1)  # a press counts only after the button was open for the 20 ms of its debouncing

    def test_its_health_comes_every_five_seconds_as_json(self):
        client = self.client()
        client.subscribe(BASE + "health")

        def seconds_between():
            first, second = (json.loads(client.wait_for("publish").payload) for _ in range(2))
            self.assertEqual(set(first), {"uptime", "supply_mv", "rssi"})
            return second["uptime"] - first["uptime"]

        self.assertAlmostEqual(quickest(seconds_between, 6), 5, delta=1)

    def test_on_a_clean_stop_it_says_that_it_is_gone(self):
        client = self.client()
        client.subscribe(BASE + "presence")
        client.wait_for_payload(BASE + "presence", b"here")
        self.end()
        client.wait_for_payload(BASE + "presence", b"gone")


class Addresses(unittest.TestCase):
    def test_one_that_is_none_is_code_2_and_one_that_nobody_answers_at_code_3(self):
        for address in ("nonsense", "127.0.0.1:0", "127.0.0.1:65536", ":1883", "a b:1"):
            ran = cavet("serve", "demo", "--broker", address)
            self.assertEqual((ran.code, ran.err.count("\n")), (2, 1), ran)
            self.assertIn("--broker: found", ran.err)
        with socket.socket() as held:  # so nobody else listens there
            held.bind(("127.0.0.1", 0))
            ran = cavet("serve", "demo", "--broker", f"127.0.0.1:{held.getsockname()[1]}", "--json")
        self.assertEqual((ran.code, ran.err.count("\n")), (3, 1), ran)

    def test_somebody_who_listens_and_is_no_broker_is_told(self):
        with socket.create_server(("127.0.0.1", 0)) as deaf:
            address = f"127.0.0.1:{deaf.getsockname()[1]}"
            words = [*CAVET, "serve", "demo", "--json", "--board", "towpath", "--broker", address]
            with subprocess.Popen(words, stdin=subprocess.DEVNULL, stdout=subprocess.PIPE, stderr=subprocess.PIPE,
                                  text=True) as process:  # fmt: skip
                while "ready" not in process.stdout.readline():
                    pass
                process.terminate()
                _, said = process.communicate(timeout=PATIENCE)
        self.assertEqual(said, f"{address}: open, but the broker there has not let the towpath in so far\n")

    def test_a_bench_without_mqtt_has_no_broker(self):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "empty.bench.toml"
            path.write_text("format = 1\n")
            ran = cavet("serve", str(path), "--broker", "127.0.0.1:1883")
        self.assertEqual(ran.code, 2, ran)
        self.assertIn("expected a bench with a link of kind mqtt", ran.err)


class Driven(unittest.TestCase):
    def test_its_points_are_driven_from_the_shell(self):
        ran = cavet("drive", "demo", "lamp=on", "lamp?", "bell=100 ms", 'sign=" MIND THE STEP"', "battery?", "--json")
        self.assertEqual(ran.code, 0, ran)
        lines = [json.loads(line) for line in ran.out.splitlines()]
        found = [line.get("confirmed", line.get("got")) for line in lines]
        self.assertEqual(found[:4], [True, True, None, None])
        self.assertGreater(found[4], 4000)
        self.assertTrue(all(line["holds"] for line in lines), lines)


@needs_broker
class OnARealBroker(unittest.TestCase):
    def setUp(self):
        self.broker = RealBroker()
        self.addCleanup(self.broker.end)

    def client(self, version=4):
        client = TopicClient(self.broker.address, version)
        self.addCleanup(client.close)
        client.subscribe(BASE + "#")
        return client

    def serve(self, *more):
        process = Process(self, "serve", "demo", "--json", "--board", "towpath", "--broker", self.broker.address, *more)
        lines = []
        while (line := process.line())["event"] == "endpoint":
            lines.append(line)
        self.assertEqual([(line["link"], line["address"]) for line in lines], [("mqtt", self.broker.address)])
        return process

    def test_the_station_works_there_as_on_our_own(self):
        self.serve()
        for version in (4, 5):
            client = self.client(version)
            client.wait_for_payload(BASE + "presence", b"here")
            client.publish(BASE + "lamp/set", b"1")
            client.wait_for_payload(BASE + "lamp/state", b"1")
            client.publish(BASE + "lamp/set", b"0")
            client.wait_for_payload(BASE + "lamp/state", b"0")

    def test_the_causes_go_over_it(self):
        process = self.serve("--events")
        client = self.client()
        client.publish(BASE + "lamp/set", b"1")
        moved = process.until(lambda line: line.get("part") == "towpath.lamp" and line.get("kind") == "moved")
        self.assertIsNotNone(moved["cause"])

    def test_points_are_driven_and_each_stage_is_known(self):
        ran = cavet("drive", "demo", "--broker", self.broker.address, "lamp=on", "bell=50 ms", "lamp=off", "--json")
        self.assertEqual(ran.code, 0, ran)
        lines = [json.loads(line) for line in ran.out.splitlines()]
        self.assertEqual([line["stage"] for line in lines], ["confirmed", "moved", "confirmed"])

    def test_in_version_5_the_causes_go_over_it_behind_aliases_too(self):
        broker = RealBroker("max_topic_alias 10")
        self.addCleanup(broker.end)
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        path = Path(folder.name) / "lock.bench.toml"
        text = demo_path().read_text().replace('every = "5 s"', 'every = "5 s"\nversion = "5.0"')
        path.write_text(text.replace('link = "towpath"', 'link = "towpath"\nversion = "5.0"'))
        wishes = ("lamp=on", "lamp=off", "lamp=on", "sign=A", "sign=B", "bell=50 ms", "bell=50 ms")
        ran = cavet("drive", str(path), "--broker", broker.address, *wishes, "--json")
        self.assertEqual(ran.code, 0, ran)
        lines = [json.loads(line) for line in ran.out.splitlines()]
        self.assertEqual([line["stage"] for line in lines], ["confirmed"] * 3 + ["moved"] * 4)

    def test_a_board_that_is_not_simulated_is_driven_at_its_broker(self):
        self.serve()
        ran = cavet("drive", "demo", "--at", f"towpath={self.broker.address}", "lamp=on", "lamp?")
        self.assertEqual(ran.code, 0, ran)
        self.assertIn("confirmed on", ran.out)

    def test_nobody_at_home_is_told(self):
        ran = cavet("drive", "demo", "--at", f"towpath={self.broker.address}", "lamp=on")
        self.assertEqual(ran.code, 1, ran)
        self.assertIn("the broker took it, but ottersluice/towpath/lamp/state says nothing", ran.out)

    def test_killed_and_started_again_all_are_back_and_what_was_confirmed_holds(self):
        self.serve()
        client = self.client()
        client.publish(BASE + "lamp/set", b"1")
        client.wait_for_payload(BASE + "lamp/state", b"1")
        self.assertLess(quickest(self.seconds_to_be_back, BACK_SECONDS), BACK_SECONDS)
        client = self.client()
        self.assertTrue(client.wait_for_payload(BASE + "lamp/state", b"1", b"0").payload == b"1")

    def seconds_to_be_back(self):
        self.broker.kill()
        self.broker.start()
        began = time.monotonic()
        client = self.client()
        client.wait_for_payload(BASE + "presence", b"here")
        return time.monotonic() - began

    @needs_tmux
    def test_the_workbench_is_back_too(self):
        terminal = Terminal(*CAVET, "demo", "--broker", self.broker.address)
        self.addCleanup(terminal.end)
        terminal.sees("6 of 6 boards ready")
        terminal.press("f")
        terminal.type("lamp")
        terminal.press("Enter", "End", "Space")
        terminal.sees("lamp ← on", "◈ confirmed", self.broker.address)

        def seconds_to_be_back():
            self.broker.kill()
            terminal.sees("Connection refused", "5 of 6 boards ready")
            self.broker.start()
            began = time.monotonic()
            terminal.sees("6 of 6 boards ready", "here, health")
            return time.monotonic() - began

        self.assertLess(quickest(seconds_to_be_back, BACK_SECONDS), BACK_SECONDS)
        terminal.press("Space")
        terminal.sees("lamp ← off", "◈ confirmed")


class Encrypted(unittest.TestCase):
    def test_our_own_broker_behind_tls_with_a_password(self):
        made = tempfile.TemporaryDirectory()
        self.addCleanup(made.cleanup)
        folder = Path(made.name)
        key, certificate = self_signed(self, folder)
        text = demo_path().read_text()
        user = 'user = "keeper"\npassword = "heron"'
        for old, new in (
            ("[links.towpath]", f'[broker]\ntls = true\ncertificate = "{certificate}"\nkey = "{key}"\n'
             f'users = {{ keeper = "heron" }}\n\n[links.towpath]\ntls = true\ntrust = "{certificate}"'),
            ('every = "5 s"', f'every = "5 s"\n{user}'),
            ('link = "towpath"', f'link = "towpath"\n{user}'),
        ):  # fmt: skip
            text = text.replace(old, new, 1)
        path = folder / "lock.bench.toml"
        path.write_text(text)
        process = Process(self, "serve", str(path), "--json", "--board", "towpath", "--events")
        address = process.until(lambda line: line["event"] == "endpoint")["address"]
        context = ssl.create_default_context(cafile=certificate)
        client = TopicClient(address, user_name="keeper", password=b"heron", tls=context)
        self.addCleanup(client.close)
        client.subscribe(BASE + "presence")
        client.wait_for_payload(BASE + "presence", b"here")
        refused = TopicClient(address, user_name="keeper", password=b"wren", tls=context)
        self.addCleanup(refused.close)
        self.assertEqual(refused.answer.return_code, 4)


if __name__ == "__main__":
    unittest.main()
