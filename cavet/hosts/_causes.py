"""The usual causes of what boards refuse, for a person who wants to know what to do."""

from __future__ import annotations

from cavet.protocols.modbus import EXCEPTIONS

_OF_EXCEPTIONS = {
    1: "the device has not got this function: is the point in the right table?",
    2: "there is no such address: counted from 1 in the manual, from 0 on the wire?",
    3: "the device does not take this value or this many",
    4: "the device failed while doing it",
    5: "it has begun, and takes long: raise reply_within",
    6: "the device is busy: try again later",
    8: "the device's memory has an error",
    10: "the gateway has no way to this unit",
    11: "no device of this unit answers behind the gateway: is `unit` right?",
}
_OF_ERRORS = {
    -1: "the device does not know this header, or not with this data",
    -2: "it is known, but can't be done now or with this value: look at its limits",
    -3: "the device itself has a fault",
    -4: "a question and its answer have come out of step",
}
"""By hundreds."""
_OF_SIZE = {
    -223: "it is longer than the device keeps: ask for less",
    -363: "it is more than the device's input takes: ask for less at once",
}


def exception_words(code: int) -> str:
    """Say an exception code, with its usual cause."""
    words = f"exception {code:02X}, {EXCEPTIONS.get(code, 'not one of the standard')}"
    return f"{words}: {_OF_EXCEPTIONS[code]}" if code in _OF_EXCEPTIONS else words


def error_words(number: int, text: str) -> str:
    """Say an entry of the error queue, with its usual cause."""
    usual = _OF_SIZE.get(number) or _OF_ERRORS.get(-(-number // 100))
    cause = usual if number < 0 else "an error of the device's own"
    return f"{number} {text}{f': {cause}' if cause else ''}"
