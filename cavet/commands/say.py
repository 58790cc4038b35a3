"""`cavet say BENCH BOARD[.LINK] MESSAGE [FIELD=VALUE …]`: one message said by hand, and what answers it."""

from __future__ import annotations

import sys
from typing import Any

import click
import msgspec

from cavet import clock
from cavet.bench import SPOILING_LOOKS, Carrier, RunningBench, Spoiling, read_spoiling, spoken
from cavet.benchfile import HostSetup, LinkSetup, Setup
from cavet.commands._bench import at_addresses, broker_option, on_broker, open_bench
from cavet.commands._completing import complete_benches, complete_said
from cavet.commands._recording import Kept, record_options, recorded, seed_option, with_seed
from cavet.commands.encode import split_fields
from cavet.library.codec import Decoded
from cavet.library.sending import Sent, say
from cavet.protocols import Side, describe, fitting_forms
from cavet.units import parse, show_duration
from cavet.wording import WrongError, as_written, hex_pairs, listed, unknown

BY = "say"


@click.command("say")
@click.argument("bench", shell_complete=complete_benches)
@click.argument("place", metavar="BOARD[.LINK]", shell_complete=complete_said)
@click.argument("message", required=False, shell_complete=complete_said)
@click.argument("fields", nargs=-1, metavar="[FIELD=VALUE ...]", shell_complete=complete_said)
@click.option("--wrong", metavar="WAY", help=f"Say it wrong on purpose: {SPOILING_LOOKS}.")
@click.option("--wait", metavar="TIME", help="How long to wait for the answer, instead of the host's time for it.")
@click.option("--at", multiple=True, metavar="BOARD=ADDRESS", help="The board is at this device or HOST:PORT.")
@broker_option
@click.option("--real", is_flag=True, help="In real time, though the board is simulated.")
@seed_option
@record_options
def command(
    bench: str, place: str, message: str | None, fields: tuple[str, ...], wrong: str | None, wait: str | None,
    at: tuple[str, ...], broker: str | None, real: bool, seed: str | None, kept: Kept,
) -> int:  # fmt: skip
    """Say one message to a board and print the answer as `decode` does. Without MESSAGE: what can be said."""
    setup = with_seed(at_addresses(on_broker(open_bench(bench).setup, broker), at), seed)
    link, host = find_link(setup, place)
    setup = setup.narrowed([link], [host])
    if message is None:
        list_messages(setup, link)
        return 0
    how = read_spoiling(wrong) if wrong is not None else None
    within = _read_wait(wait) if wait is not None else None
    return clock.run(
        say_once(setup, link, host.name, message, split_fields(fields), how, within, kept),
        fast=link.is_within and not real,
    )


def _read_wait(text: str) -> float:
    seconds = parse(text, "s", "--wait")
    if not seconds > 0:
        raise WrongError("--wait", found=text, expected="more than 0 s")
    return seconds


def find_link(setup: Setup, place: str) -> tuple[LinkSetup, HostSetup]:
    """The link that is meant, by its board, its kind there or its own name, and who speaks on it."""
    board, dot, name = place.partition(".")
    links = [link for link in setup.links.values() if link.board == board]
    if not links:
        boards = sorted(setup.linked_boards)
        raise unknown("say", board, boards)
    hosts = {host.link: host for host in setup.hosts.values()}
    spare = next((hosts[link.name] for link in links if link.name in hosts), None)
    if spare is None:
        raise WrongError("say", found=board, expected="a board that a host speaks with")
    links.sort(key=lambda link: link.name not in hosts)
    if not dot:
        return links[0], hosts.get(links[0].name, spare)
    for link in links:
        if name in (link.kind, link.name, link.name.removeprefix(f"{board}_")):
            return link, hosts.get(link.name) or msgspec.structs.replace(spare, link=link.name)
    raise WrongError("say", found=place, expected=listed([f"{board}.{link.kind}" for link in links]))


def list_messages(setup: Setup, link: LinkSetup) -> None:
    """Print what can be said on a link, with its fields."""
    tongue = spoken(setup, link)
    for name in tongue.forms(Side.HOST):
        chosen = tongue.codec_of(name)
        print(name)
        for line in describe(fitting_forms(chosen, name)[Side.HOST], chosen.unused):
            print(f"    {line}")


async def say_once(
    setup: Setup, link: LinkSetup, host: str, message: str, fields: dict[str, str], how: Spoiling | None,
    within: float | None, kept: Kept,
) -> int:  # fmt: skip
    """Start the bench, say it, print what comes, end the bench; give the exit code."""
    spoken(setup, link).made(message, fields)  # what is wrong with it is told before anything is started
    bench = RunningBench(setup, carrier=Carrier.MEMORY if link.is_within else Carrier.REAL)
    with recorded(bench, kept):
        try:
            await bench.start()
            sent = await say(bench, host, message, fields, within, BY, how)
        finally:
            await bench.stop()
    patience = within if within is not None else setup.hosts[host].settings.reply_within
    return told(sent, message, link.board, how, patience)


def told(sent: Sent, message: str, board: str, how: Spoiling | None, patience: float) -> int:
    """Print what came of a message; give the exit code."""
    for answer, delay in sent.answers:
        print(msgspec.json.encode(answer_line(answer, delay)).decode())
    if sent.answers:
        return 0
    what = f"{message}, {as_written(sent.wire)}"
    if not sent.due:
        print(f"{board}: said {what}; no answer is due", file=sys.stderr)
        return 0
    spoiled = f", said with {how}," if how is not None else ""
    print(f"{board}: no answer to {what}{spoiled} within {show_duration(patience)}", file=sys.stderr)
    return 0 if how is not None else 1


def answer_line(answer: Decoded, delay: float) -> dict[str, Any]:
    """An answer as `decode` prints it, with its delay."""
    return {
        "protocol": answer.protocol, "message": answer.name, "fields": answer.fields, "hex": hex_pairs(answer.wire),
        "offset": answer.offset, "problems": answer.problems, "answer_s": round(delay, 6),
    }  # fmt: skip
