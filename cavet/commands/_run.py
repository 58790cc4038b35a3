"""Finding the command, and turning every error into its one line and its exit code."""

from __future__ import annotations

import errno
import importlib
import keyword
import os
import resource
import sys
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from typing import Any

import click

from cavet.commands._loading import loading
from cavet.commands._spelling import spell_out
from cavet.commands._usage import as_wrong
from cavet.faults import FORESEEN
from cavet.log import fault_line, keep_log
from cavet.wording import UnreachableError, WrongError, is_text, listed, nearest, plain

DONE, DOES_NOT_HOLD, WRONG, UNREACHABLE = 0, 1, 2, 3
INTERRUPTED, UNREAD = 130, 141
"""As shells tell what a signal has ended: the interrupt key's, and that of a pipe whose reader has left."""
MOST_FILES = 4096
MOST_QUOTED = 60
FULL = (errno.ENOSPC, errno.EDQUOT, errno.EIO)
"""What a place says that takes no more lines."""

COMMANDS = {
    "demo": "the workbench on the demo",
    "open": "the workbench on a bench",
    "new": "a small bench to begin with, every key explained",
    "serve": "the simulated boards on their real endpoints, no screen",
    "drive": "set or read points from the shell",
    "run": "a routine: steps, at once, in time, checked before anything moves",
    "encode": "a message of a protocol, as bytes",
    "decode": "bytes of a protocol, as messages",
    "explain": "frames taken apart, bit by bit, with what they mean",
    "say": "a message said by hand to a board, and its answer",
    "draw": "drawings of frames and levels, as SVG or PDF",
    "compare": "two records: up to when they are the same, and what differs then",
    "export": "a record in other formats: lines, numbers, waveforms, captures, drawings",
    "check": "does it hold? The walk, routines, your own program; with defects and faults, under many seeds",
    "with": "a program of others, unchanged, on the simulated buses",
    "trails": "what became of each command of a record, and how long its stages took",
    "import": "a record of a capture from elsewhere",
    "look": "the workbench on a record, also while it is written",
    "reckon": "the small sums of the trade",
    "remarks": "what a careful colleague would say of a bench, with mends",
    "show": "a bench, a board pin by pin, a register map",
    "find": "what is around this machine: ports, devices, buses, services, topics",
    "who": "who is at an address, asked with harmless questions",
    "bridge": "two links joined, and what passes shown",
    "completion": "words completed by the shell",
}
"""What each command is for, in the order in which they are listed. Each is a module here with `command` in it."""


class UnreadError(Exception):
    """Whoever read standard output has left."""


class Command(click.Command):
    """Says `UnreadError` where its reader has left: click would end it as if something did not hold."""

    def make_context(self, *arguments: Any, **options: Any) -> click.Context:
        with _unread():
            return super().make_context(*arguments, **options)

    def invoke(self, ctx: click.Context) -> Any:
        with _unread():
            return super().invoke(ctx)


@contextmanager
def _unread() -> Iterator[None]:
    try:
        yield
    except BrokenPipeError as error:
        raise UnreadError from error


class Commands(Command, click.Group):
    """Loads a command's module only when it is called."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        return list(COMMANDS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        if cmd_name not in COMMANDS:
            raise WrongError(
                "cavet",
                found=cmd_name,
                expected=f"one of the commands {listed(COMMANDS)}",
                nearest=nearest(cmd_name, COMMANDS),
            )
        with loading():
            module = f"{cmd_name}_" if keyword.iskeyword(cmd_name) else cmd_name
            command: click.Command = importlib.import_module(f"cavet.commands.{module}").command
        return command

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        with formatter.section("Commands"):
            formatter.write_dl(list(COMMANDS.items()))


@click.group(cls=Commands, invoke_without_command=True, context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(None, "-V", "--version", message="cavet %(version)s", package_name="cavet")
@click.pass_context
def cavet(context: click.Context) -> int:
    """A workbench for people who write the program that moves a board's outputs.

    Without a command: the workbench on the bench last used.
    """
    if context.invoked_subcommand is None:
        from cavet.commands.open import open_last

        return open_last()
    return DONE


def run(arguments: Sequence[str]) -> None:
    """Run the command line and end the process with the contract's exit code.

    At once: all is shut and said by now, and taking Python down in order would cost a tenth of a second.
    """
    keep_standard_numbers()
    spell_out()
    allow_many_files()
    code = code_of(arguments)
    sys.stderr.flush()
    os._exit(code)


def keep_standard_numbers() -> None:
    """Where standard input, output or errors were shut from the start, no other file may get their numbers: nothing
    comes from there, and what is said there is gone."""
    for number, name in enumerate(("stdin", "stdout", "stderr")):
        try:
            os.fstat(number)
        except OSError:
            os.open(os.devnull, os.O_RDWR)  # gets the least free number: this one
        if getattr(sys, name) is None:
            setattr(sys, name, os.fdopen(number, "w" if number else "r", encoding="utf-8"))


def allow_many_files() -> None:
    """Each program that connects is a file here: as many as the system lets us have, within reason."""
    soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    wanted = MOST_FILES if hard == resource.RLIM_INFINITY else min(MOST_FILES, hard)
    if soft != resource.RLIM_INFINITY and soft < wanted:
        resource.setrlimit(resource.RLIMIT_NOFILE, (wanted, hard))


def code_of(arguments: Sequence[str], command: click.Command = cavet, name: str = "cavet") -> int:
    """Run the command line; give its exit code. Errors go to standard error, one line each."""
    try:
        keep_log()
        code = command.main(args=list(arguments), prog_name=name, standalone_mode=False)
        sys.stdout.flush()
        return code if isinstance(code, int) else DONE
    except click.exceptions.Exit as done:
        return done.exit_code
    except click.UsageError as error:
        where = error.ctx.command_path if error.ctx else "cavet"
        return _tell(str(as_wrong(error) or f"{where}: {_one_line(error.format_message())}"), WRONG)
    except ExceptionGroup as group:
        for each in group.exceptions:
            _tell(str(each) if isinstance(each, FORESEEN) else _unforeseen(each), WRONG)
        return WRONG
    except WrongError as error:
        return _tell(str(error), WRONG)
    except UnreachableError as error:
        return _tell(str(error), UNREACHABLE)
    except (KeyboardInterrupt, click.Abort):
        return INTERRUPTED
    except (BrokenPipeError, UnreadError):
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return UNREAD
    except UnicodeEncodeError as error:
        if is_text(error.object):
            return _tell(_unforeseen(error), WRONG)
        return _tell(str(WrongError("cavet", found=error.object[:MOST_QUOTED], expected="text in UTF-8")), WRONG)
    except OSError as error:
        return _tell(_of_the_system(error), WRONG)
    except Exception as error:  # noqa: BLE001
        return _tell(_unforeseen(error), WRONG)


def _of_the_system(error: OSError) -> str:
    if error.errno in FULL:
        return f"standard output: {error.strerror}"
    if error.errno in (errno.EMFILE, errno.ENFILE):
        return str(WrongError("cavet", found=str(error.strerror), expected="a higher limit, by `ulimit -n`"))
    if error.errno == errno.ENAMETOOLONG:
        name = plain(str(error.filename), MOST_QUOTED)
        return str(WrongError("cavet", found=name, expected="a name that is not too long for the system"))
    return _unforeseen(error)


def _unforeseen(error: Exception) -> str:
    return fault_line("cavet", error)


def _one_line(text: str) -> str:
    return plain(" ".join(text.split()))


def _tell(line: str, code: int) -> int:
    print(line, file=sys.stderr)
    return code
