"""Writes the tables of docs/bench-file.md and docs/plan-file.md from the schema, and the keys of docs/drive-screen.md
from the registry of commands: `python -m tests.bench_keys`."""

import re
from pathlib import Path

from cavet.benchfile import PLAN_TABLES, TABLES
from cavet.settings import section_of
from cavet.workbench import keymap

DOCS = Path(__file__).parents[1] / "docs"
PAGES = {"bench-file.md": TABLES, "plan-file.md": PLAN_TABLES}
MARK = "<!-- the tables below are written by `python -m tests.bench_keys` -->"


KEY_TABLE = re.compile(r"\| key \| what it does \|\n(\|.*\n)*")


KEYS = {
    "bench-screen.md": ((*keymap.BENCH, *keymap.EVERYWHERE),),
    "drive-screen.md": ((*keymap.DRIVE, *keymap.EVERYWHERE),),
    "routines-screen.md": ((*keymap.ROUTINES, *keymap.EVERYWHERE), keymap.TUNES),
    "checks.md": ((*keymap.CHECKS, *keymap.EVERYWHERE),),
    "record-screen.md": ((*keymap.RECORD, *keymap.EVERYWHERE), keymap.MOMENT),
    "frames-screen.md": ((*keymap.FRAMES, *keymap.EVERYWHERE), keymap.RULER, keymap.SAY),
}
"""The commands of each key table of a page, in their order."""


def with_keys(page, text):
    """A page with its key tables as the registry has them."""
    groups = iter(KEYS[page])
    return KEY_TABLE.sub(lambda found: keymap.key_table(next(groups)) + "\n", text)


def row(key):
    kinds = {
        "word": ", ".join(f"`{choice}`" for choice in key.choices),
        "whole": "whole number",
        "expression": "an expression",
        "octets": "hex pairs, or text after `@`",
        "scalar": "a number or a text",
        "switch-words": "two words in brackets",
        "words": "two words in brackets",
        "names": "a name, or several in brackets",
    }
    unit = {"": "", "=unit": " in `unit`", "=of": " in the unit of `of`"}.get(key.unit, f" in {key.unit}")
    kind = kinds.get(key.kind, key.kind.replace("-", " ")) + (unit if key.kind in ("quantity", "range") else "")
    kind += f", {key.limits}" if key.limits else ""
    default = (
        "must be there"
        if key.required
        else ("" if key.default in (None, "", {}, b"", ()) else f"`{shown(key.default)}`")
    )
    return f"| `{key.name}` | {kind} | {key.doc} | {default} |"


def shown(value):
    if isinstance(value, bool):
        return "on" if value else "off"
    return ", ".join(map(str, value)) if isinstance(value, tuple) else value


def tables(sections):
    lines = []
    for section in sections:
        lines += [
            f"## {section.title}",
            "",
            section.doc,
            "",
            "| key | what it can be | meaning | else |",
            "|---|---|---|---|",
        ]
        lines += [row(key) for key in section.keys]
        for kind, keys in section.variants.items():
            lines += [
                "",
                f'For `kind = "{kind}"`:',
                "",
                "| key | what it can be | meaning | else |",
                "|---|---|---|---|",
            ]
            lines += [row(key) for key in keys]
        lines.append("")
    return "\n".join(lines)


if __name__ == "__main__":
    for name, of_page in PAGES.items():
        page = DOCS / name
        head = page.read_text().partition(MARK)[0]
        page.write_text(f"{head}{MARK}\n\n{tables(map(section_of, of_page))}")
    for name in KEYS:
        page = DOCS / name
        page.write_text(with_keys(name, page.read_text()))
