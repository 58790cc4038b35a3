"""`cavet serve BENCH`: the simulated boards on their real endpoints, no screen."""

from __future__ import annotations

import asyncio
import sys
from pathlib import Path

import click

from cavet import clock
from cavet.bench import Endpoint, RunningBench
from cavet.benchfile import BenchFile, Setup
from cavet.clock import start_task
from cavet.commands._bench import broker_option, chosen_boards, on_broker, open_bench
from cavet.commands._completing import complete_benches
from cavet.commands._endpoints import devices_wanted, linked, with_ports
from cavet.commands._recording import Kept, record_options, recorded, seed_option, with_seed
from cavet.commands._reloading import Reloading, asks_to_reload
from cavet.faults import FORESEEN
from cavet.log import fault_line
from cavet.serving.lines import answer, endpoint_line, follow_events, left_out
from cavet.serving.output import Output, as_json, end_at_signals
from cavet.serving.outside import follow_input
from cavet.wording import plain


@click.command("serve")
@click.argument("bench", shell_complete=complete_benches)
@click.option("--board", "boards", multiple=True, metavar="NAME", help="Only this board; may be given several times.")
@click.option("--json", "json_lines", is_flag=True, help="JSON lines.")
@click.option("--events", is_flag=True, help="Every event of the record, as a JSON line.")
@click.option(
    "--device",
    "devices",
    multiple=True,
    metavar="BOARD[.LINK]=PATH",
    help="A link at PATH to the device; gone at the end.",
)
@click.option("--port", "ports", multiple=True, metavar="BOARD[.LINK]=N", help="The port on which a link listens.")
@click.option("--listen", default="127.0.0.1", metavar="HOST", help="Where network endpoints listen.")
@broker_option
@seed_option
@record_options
def command(
    bench: str, boards: tuple[str, ...], json_lines: bool, events: bool, listen: str, broker: str | None,
    seed: str | None, kept: Kept, devices: tuple[str, ...], ports: tuple[str, ...],
) -> None:  # fmt: skip
    """Put the simulated boards on their real endpoints. Lines of JSON on standard input act on the outside world."""

    def as_setup(file: BenchFile) -> Setup:
        return with_ports(with_seed(on_broker(file.setup, broker), seed), ports, names)

    file = open_bench(bench)
    names = chosen_boards(file.setup, boards) if boards else None
    setup, reloading = as_setup(file), Reloading(file, as_setup)
    told = {"json_lines": json_lines, "events": events}
    clock.run(
        serve(
            setup, names, **told, listen=listen, kept=kept, reloading=reloading,
            devices=devices_wanted(setup, devices, names),
        )
    )  # fmt: skip


async def serve(
    setup: Setup, names: list[str] | None, *, json_lines: bool, events: bool, listen: str, kept: Kept,
    devices: dict[str, Path], reloading: Reloading,
) -> None:  # fmt: skip
    """Serve until a signal comes."""
    output = Output(left_out)
    stop = output.gone  # a reader that has left ends it, as a signal does
    end_at_signals(stop.set)
    bench = RunningBench(setup, boards=names, hosts=False, listen=listen)
    try:
        with recorded(bench, kept):
            await serve_on(bench, output, stop, devices, reloading, json_lines=json_lines, events=events)
    finally:
        output.close()


async def serve_on(
    bench: RunningBench, output: Output, stop: asyncio.Event, devices: dict[str, Path], reloading: Reloading, *,
    json_lines: bool, events: bool,
) -> None:  # fmt: skip
    """Serve a bench until it is to stop."""
    try:
        await bench.start()
        with linked(bench.endpoints, devices):
            await tell_on(bench, output, stop, reloading, json_lines=json_lines, events=events)
    finally:
        await bench.stop()


async def tell_on(
    bench: RunningBench, output: Output, stop: asyncio.Event, reloading: Reloading, *, json_lines: bool, events: bool
) -> None:
    """Say where the boards are, do what lines ask for, print events, until it is to stop."""
    for endpoint in bench.endpoints:
        output.say(as_json(endpoint_line(endpoint)) if json_lines else readable_line(endpoint))
    for endpoint in bench.kept_waiting:
        words = f"open, but the broker there has not let the {plain(endpoint.board)} in so far"
        print(f"{plain(endpoint.address)}: {words}", file=sys.stderr, flush=True)
    if json_lines:
        output.say(as_json({"event": "ready"}))

    def take(line: bytes) -> None:
        if asks_to_reload(line):
            start_task(reload(bench, reloading, output))
        else:
            output.say(as_json(answer(bench, line)))

    follow_input(take)
    follower = start_task(follow_events(bench, output)) if events else None
    await stop.wait()
    if follower is not None:
        follower.cancel()


def readable_line(endpoint: Endpoint) -> str:
    """The same for a person."""
    settings = endpoint.setup.settings
    more = f"  {settings.rate} {settings.form}" if endpoint.kind == "serial" else ""
    return f"{endpoint.board:12} {endpoint.kind:8} {endpoint.address}{more}"


async def reload(bench: RunningBench, reloading: Reloading, output: Output) -> None:
    """Take the changed file over; tell the endpoints that are new, and that it is done, or what keeps it from that."""
    known = {(endpoint.link, endpoint.address) for endpoint in bench.endpoints}
    try:
        await reloading.reload(bench)
    except FORESEEN as error:
        output.say(as_json({"event": "error", "message": plain(str(error))}))
        return
    except Exception as error:  # noqa: BLE001
        output.say(as_json({"event": "error", "message": fault_line("reload", error)}))
        return
    for endpoint in bench.endpoints:
        if (endpoint.link, endpoint.address) not in known:
            output.say(as_json(endpoint_line(endpoint)))
    output.say(as_json({"event": "done"}))
