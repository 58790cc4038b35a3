"""`cavet encode PROTOCOL MESSAGE [FIELD=VALUE ...]`: bytes, as hex."""

from __future__ import annotations

import sys

import click

from cavet.commands._completing import complete_fields, complete_messages, complete_protocols
from cavet.library.codec import find_codec, is_plan
from cavet.protocols import (
    Codec,
    FieldError,
    Message,
    Side,
    describe,
    fields_of,
    find_form,
    fitting_forms,
    read_message,
    summary,
)
from cavet.wording import WrongError, hex_pairs


@click.command("encode", context_settings={"ignore_unknown_options": True})
@click.argument("protocol", shell_complete=complete_protocols)
@click.argument("message", required=False, shell_complete=complete_messages)
@click.argument("fields", nargs=-1, metavar="[FIELD=VALUE ...]", shell_complete=complete_fields)
@click.option("--response", is_flag=True, help="The board's side, where request and response differ.")
@click.option("--binary", is_flag=True, help="The bytes themselves, not hex.")
@click.option("--fields", "list_fields", is_flag=True, help="List the message's fields instead.")
def command(
    protocol: str, message: str | None, fields: tuple[str, ...], response: bool, binary: bool, list_fields: bool
) -> None:
    """Print the bytes of a message, as hex. Without MESSAGE: the messages; without fields: the fields."""
    chosen = find_codec(protocol)
    if is_plan(protocol):
        fields = (message, *fields) if message is not None else fields
        message = next(iter(chosen.forms(Side.HOST)))
    if message is None:
        list_messages(chosen)
        return
    given = split_fields(fields)
    form = find_form(chosen, message, list(given), response)
    if list_fields or (not given and has_required(form)):
        print_fields(chosen, message)
        return
    data = chosen.encode(read_message(form, given, chosen.unused))
    if binary:
        sys.stdout.buffer.write(data)
        return
    print(hex_pairs(data))


def split_fields(fields: tuple[str, ...]) -> dict[str, str]:
    """Take `NAME=VALUE` words apart."""
    given: dict[str, str] = {}
    for word in fields:
        name, equals, value = word.partition("=")
        if not equals:
            raise WrongError("encode", found=word, expected="FIELD=VALUE")
        if name in given:
            raise FieldError(name, found="this field twice", expected="once")
        given[name] = value
    return given


def has_required(form: type[Message]) -> bool:
    """Whether a message has fields that must be given."""
    return any(field.required for field in fields_of(form))


def list_messages(chosen: Codec) -> None:
    """Print the messages of a protocol."""
    for side in Side:
        print(f"from the {side.value}:")
        for name, form in sorted(chosen.forms(side).items()):
            print(f"  {name:28} {summary(form)}")


def print_fields(chosen: Codec, message: str) -> None:
    """Print the fields of a message."""
    forms = fitting_forms(chosen, message)
    for side, form in forms.items():
        if len(set(forms.values())) > 1:
            print(f"from the {side.value}:")
        print("\n".join(describe(form, chosen.unused)) or "no fields")
        if len(set(forms.values())) == 1:
            return
