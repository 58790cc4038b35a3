"""What came of checks as JUnit XML, for whoever collects tests: a suite a check, a case a run."""

from __future__ import annotations

from collections.abc import Sequence
from xml.etree import ElementTree as Xml

import msgspec

from cavet.wording import plain


class Ran(msgspec.Struct, frozen=True, kw_only=True):
    """A run as it is told: of which check, what it is called, whether it held, after how many bench seconds, why not,
    and what else there is to say of that."""

    check: str
    name: str
    held: bool
    t: float
    why: str = ""
    more: str = ""


def junit(runs: Sequence[Ran]) -> str:
    """The text of the file."""
    root = Xml.Element("testsuites", _counts(runs))
    for check in dict.fromkeys(run.check for run in runs):
        own = [run for run in runs if run.check == check]
        suite = Xml.SubElement(root, "testsuite", {"name": _text(check), **_counts(own)})
        for run in own:
            case = Xml.SubElement(
                suite, "testcase", {"classname": _text(check), "name": _text(run.name), "time": f"{run.t:.6f}"}
            )
            if not run.held:
                failure = Xml.SubElement(case, "failure", {"message": _text(run.why), "type": "check"})
                failure.text = _lines(run.more)
    Xml.indent(root)
    return f'<?xml version="1.0" encoding="UTF-8"?>\n{Xml.tostring(root, encoding="unicode")}\n'


def _counts(runs: Sequence[Ran]) -> dict[str, str]:
    failed = sum(not run.held for run in runs)
    return {
        "tests": str(len(runs)), "failures": str(failed), "errors": "0", "time": f"{sum(run.t for run in runs):.6f}"
    }  # fmt: skip


def _text(text: str) -> str:
    """Without what XML can't hold."""
    return plain(text)


def _lines(text: str) -> str:
    return "\n".join(plain(line) for line in text.splitlines())
