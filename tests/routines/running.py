"""Running a routine on the demo in fast time, for tests."""

import asyncio
import itertools
import textwrap
from unittest import mock

import msgspec

from cavet import clock
from cavet.bench import Carrier, RunningBench, until_ready
from cavet.benchfile import load_bench
from cavet.demo import demo_path
from cavet.routines import Runner, program_of, python_of, routine_text

SETUP = load_bench(demo_path()).setup


class Ran:
    """How a run went: its end, its lines, and the record."""

    def __init__(self, end, lines, record):
        self.end = end
        self.lines = lines
        self.record = record

    def of(self, event):
        return [line for line in self.lines if line["event"] == event]

    @property
    def said(self):
        return [line["text"] for line in self.of("said")]

    @property
    def steps(self):
        return [(line["line"], line["result"]) for line in self.of("step")]


def run(text, name=None, tunes=None, during=None, setup=SETUP):
    """Run a routine; `during` is told bench and runner, beside it. Without that, the program that is written from the
    text is run as well, and must come to the same, event for event."""
    whole = textwrap.dedent(text).strip("\n") + "\n"
    program = routine_text(whole, "f", setup)
    name = name or next(iter(program.routines))
    ran = carry_out(program, name, tunes, during, setup)
    if during is None:
        compare(
            ran, carry_out(written(python_of(whole, program, "demo", name), setup), name, tunes, None, setup), whole
        )
    return ran


def carry_out(program, name, tunes, during, setup):
    lines = []

    async def story():
        bench = RunningBench(setup, carrier=Carrier.MEMORY)
        await bench.start()
        try:
            await asyncio.gather(
                *(until_ready(bench.host_links[host]) for host in setup.hosts if host in program.hosts)
            )
            runner = Runner(bench, program, lines.append)
            beside = asyncio.ensure_future(during(bench, runner)) if during is not None else None
            end = await runner.run(name, tunes)
            if beside is not None:
                beside.cancel()
            return Ran(end, lines, bench.record)
        finally:
            await bench.stop()

    return clock.run(story(), fast=True)


def written(text, setup):
    """What a program that was written would run."""
    given = {}
    with mock.patch(
        "cavet.script.main", lambda bench, *routines, reflexes="": given.update(of=routines, rules=reflexes)
    ):
        exec(compile(text, "program.py", "exec"), {"__name__": "__main__"})
    return program_of(given["of"], setup, given["rules"])


def compare(ran, other, text):
    """Two runs must have come to the same, but for the words of who asked."""
    for one, two in itertools.zip_longest(ran.record.since(0), other.record.since(0)):
        bare = [msgspec.structs.replace(each, note="") if each is not None else None for each in (one, two)]
        if bare[0] != bare[1]:
            raise AssertionError(f"{text}\nfound as a program {two}\nexpected {one}")
    if (ran.end.result, ran.said) != (other.end.result, other.said):
        raise AssertionError(f"{text}\nfound as a program {other.end} {other.said}\nexpected {ran.end} {ran.said}")
