"""What is wrong with a call, in the words of this house: where, what was found, what was expected."""

from __future__ import annotations

import re
from typing import Any

import click

from cavet.wording import WrongError, listed, nearest

QUOTED = re.compile(r"'(.*)' is not |(\S+) is not in the range ", re.DOTALL)
SURPLUS = re.compile(r"unexpected extra arguments? \((.*)\)", re.DOTALL)


def as_wrong(error: click.UsageError) -> WrongError | None:
    """The mistake that a call is; `None` for one that is told by its own words."""
    ctx = error.ctx
    where = ctx.command_path if ctx is not None else "cavet"
    if isinstance(error, click.BadOptionUsage):
        return WrongError(where, found=f"{error.option_name} alone", expected="a value behind it")
    if ctx is None:
        return None
    if isinstance(error, click.NoSuchOption):
        known = [name[2:] for param in ctx.command.params for name in param.opts if name.startswith("--")]
        meant = nearest(error.option_name.lstrip("-"), known)
        expected = f"one of its options: {where} -h lists them"
        return WrongError(where, found=error.option_name, expected=expected, nearest=meant and f"--{meant}")
    usage = f"{where} {' '.join(ctx.command.collect_usage_pieces(ctx))}"
    if isinstance(error, click.MissingParameter):
        if isinstance(error.param, click.Option):
            usage += f" {error.param.opts[0]} {error.param.make_metavar(ctx)}"
        return WrongError(where, found=f"no {_name(error.param)}", expected=usage)
    if isinstance(error, click.BadParameter) and error.param is not None:
        found, expected = QUOTED.search(error.message), _expected(error.param.type)
        if found is None or not expected:
            return None
        return WrongError(f"{where} {_name(error.param)}", found=found[1] or found[2], expected=expected)
    surplus = SURPLUS.search(error.message)
    return WrongError(where, found=surplus[1], expected=f"no more than {usage}") if surplus else None


def _name(param: click.Parameter | None) -> str:
    """What a person calls it: an option by its longest name, an argument as its usage has it."""
    if isinstance(param, click.Option):
        return max(param.opts, key=len)
    return (param.metavar or str(param.name).upper()).removesuffix("...").strip() if param is not None else "argument"


def _expected(kind: click.ParamType[Any]) -> str:
    """What a value of a kind is, in words; "" where that is not known."""
    if isinstance(kind, click.Choice):
        return listed([str(choice) for choice in kind.choices])
    if not isinstance(kind, click.types.IntParamType | click.types.FloatParamType):
        return ""
    number = "a whole number" if isinstance(kind, click.types.IntParamType) else "a number"
    low, high = (getattr(kind, end, None) for end in ("min", "max"))
    if low is not None and high is not None:
        return f"{number}, {low} to {high}"
    return (
        f"{number}, {low} or more" if low is not None else f"{number}, {high} at most" if high is not None else number
    )
