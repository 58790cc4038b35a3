"""Running a routine on the demo in fast time, for tests."""

import asyncio
import textwrap

from cavet import clock
from cavet.bench import Carrier, RunningBench, load_bench, until_ready
from cavet.demo import demo_path
from cavet.routines import Runner, routine_text

PLAN = load_bench(demo_path()).plan


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


def run(text, name=None, tunes=None, during=None, plan=PLAN):
    """Run a routine; `during` is told bench and runner, beside it."""
    program = routine_text(textwrap.dedent(text).strip("\n") + "\n", "f", plan)
    lines = []

    async def story():
        bench = RunningBench(plan, carrier=Carrier.MEMORY)
        await bench.start()
        try:
            await asyncio.gather(*(until_ready(bench.host_links[host]) for host in plan.hosts if host in program.hosts))
            runner = Runner(bench, program, lines.append)
            beside = asyncio.ensure_future(during(bench, runner)) if during is not None else None
            end = await runner.run(name or next(iter(program.routines)), tunes)
            if beside is not None:
                beside.cancel()
            return Ran(end, lines, bench.record)
        finally:
            await bench.stop()

    return clock.run(story(), fast=True)
