"""What a shell offers when a word is to be completed: protocols, messages, fields, benches, points."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

import click
from click.shell_completion import CompletionItem

from cavet.wording import UnreachableError, WrongError

Items = list[CompletionItem]


def _fitting(words: Iterable[str], incomplete: str) -> Items:
    return [CompletionItem(word) for word in words if word.startswith(incomplete)]


def complete_protocols(context: click.Context, parameter: click.Parameter, incomplete: str) -> Items:
    """The protocols by name; a plan's file is completed as a file."""
    from cavet.protocols import PROTOCOLS

    return _fitting(sorted(PROTOCOLS), incomplete) or [CompletionItem(incomplete, type="file")]


def complete_messages(context: click.Context, parameter: click.Parameter, incomplete: str) -> Items:
    """The messages of the protocol before."""
    from cavet.library.codec import find_codec, is_plan
    from cavet.protocols import Side

    protocol = str(context.params.get("protocol") or "")
    if is_plan(protocol):
        return _fields(protocol, None, incomplete)
    try:
        chosen = find_codec(protocol)
    except (WrongError, ExceptionGroup):
        return []
    return _fitting(sorted({name for side in Side for name in chosen.forms(side)}), incomplete)


def complete_fields(context: click.Context, parameter: click.Parameter, incomplete: str) -> Items:
    """The fields of the message before, each with its equals sign."""
    return _fields(str(context.params.get("protocol") or ""), context.params.get("message"), incomplete)


def _fields(protocol: str, message: str | None, incomplete: str) -> Items:
    from cavet.library.codec import find_codec
    from cavet.protocols import Side, fitting_forms

    try:
        chosen = find_codec(protocol)
        forms = fitting_forms(chosen, message) if message else {Side.HOST: next(iter(chosen.forms(Side.HOST).values()))}
    except (WrongError, ExceptionGroup):
        return []
    names = {name for form in forms.values() for name in form.__struct_fields__ if name not in chosen.unused}
    return _fitting(sorted(f"{name}=" for name in names), incomplete)


def complete_benches(context: click.Context, parameter: click.Parameter, incomplete: str) -> Items:
    """The demo, and files that may be benches."""
    words = ["demo", *sorted(str(path) for path in Path().glob("*.bench.toml"))]
    return _fitting(words, incomplete) or [CompletionItem(incomplete, type="file")]


def complete_points(context: click.Context, parameter: click.Parameter, incomplete: str) -> Items:
    """The points of the bench before: outputs to set, all of them to read."""
    from cavet.commands._bench import open_bench

    try:
        points = open_bench(str(context.params.get("bench") or "")).setup.points.values()
    except (WrongError, UnreachableError, ExceptionGroup):
        return []
    words = [f"{point.name}=" for point in points if point.kind.is_output] + [f"{point.name}?" for point in points]
    return _fitting(words, incomplete)


def complete_profiles(context: click.Context, parameter: click.Parameter, incomplete: str) -> Items:
    """The profiles that ship."""
    from cavet.benchfile import shipped_profiles

    return _fitting(shipped_profiles(), incomplete)


def complete_shown(context: click.Context, parameter: click.Parameter, incomplete: str) -> Items:
    """A bench or what else can be shown; then its boards, or the profiles that ship."""
    from cavet.commands._bench import open_bench

    if parameter.name == "what":
        words = _fitting(["profile", "map"], incomplete)
        return words + complete_benches(context, parameter, incomplete) if incomplete else words
    what = str(context.params.get("what") or "")
    if what in ("profile", "map"):
        return complete_profiles(context, parameter, incomplete) if what == "profile" else []
    try:
        return _fitting(open_bench(what).setup.boards, incomplete)
    except (WrongError, UnreachableError, ExceptionGroup):
        return []


def complete_said(context: click.Context, parameter: click.Parameter, incomplete: str) -> Items:
    """What is said to a board of the bench before: the board, the message, its fields."""
    from cavet.bench import spoken
    from cavet.commands._bench import open_bench
    from cavet.protocols import Side

    try:
        setup = open_bench(str(context.params.get("bench") or "")).setup
        if parameter.name == "place":
            return _fitting(sorted(setup.linked_boards), incomplete)
        board = str(context.params.get("place") or "").partition(".")[0]
        link = next((link for link in setup.links.values() if link.board == board), None)
    except (WrongError, UnreachableError, ExceptionGroup):
        return []
    forms = spoken(setup, link).forms(Side.HOST) if link is not None else {}
    if parameter.name == "message":
        return _fitting(forms, incomplete)
    form = forms.get(str(context.params.get("message")))
    return _fitting([f"{name}=" for name in form.__struct_fields__] if form is not None else [], incomplete)
