"""What can be done on the Checks screen."""

from __future__ import annotations

from cavet.workbench.command import Command

CHECKS = (
    Command(does="the campaign instead of the walk, where there is room for one", keys="v", shown="v", foot="campaign",
            action="view", tight=True),
    Command(does="another check", keys="down", shown="↑↓", foot="check", action="choose(1)"),
    Command(does="another check", keys="up", action="choose(-1)"),
    Command(name="run this check", does="as the file has it", keys="enter", shown="⏎", foot="run", action="run"),
    Command(name="run all checks", does="but for programs of your own, which take a word", keys="a", shown="a",
            foot="run all", action="run_all"),
    Command(name="walk", does="each output alone: what moved? With the defects that are on now", keys="w", shown="w",
            foot="walk", action="walk"),
    Command(name="walk here", does="the boards that are looked at, real ones too; F12 stops it", keys="W", shown="W",
            action="walk_here"),
    Command(name="a campaign", does="of this check: many seeds, defects, faults", keys="c", shown="c",
            foot="campaign of it", action="campaign"),
    Command(name="stop", does="what is run; what was done stays", keys="x", shown="x", foot="stop", action="stop"),
    Command(does="another output of the walk", keys="right_square_bracket,j", shown="[ ]", foot="output",
            action="row(1)"),
    Command(does="another output of the walk", keys="left_square_bracket,k", action="row(-1)"),
    Command(name="the next wrong output", does="of the walk", keys="n", shown="n N", foot="wrong one",
            action="wrong(1)"),
    Command(name="the wrong output before", does="of the walk", keys="N", action="wrong(-1)"),
    Command(name="the next failing run", does="of the campaign", keys="right", shown="←→", foot="failing run",
            action="failing(1)"),
    Command(name="the failing run before", does="of the campaign", keys="left", action="failing(-1)"),
    Command(name="look at it",
            does="the failing run where it broke, a walk at its output: as on Drive; a walk here on Record",
            keys="o", shown="o", foot="look at it", action="look"),
    Command(name="keep it", does="the smallest failing run, as a routine that fails by itself", keys="s", shown="s",
            foot="keep it", action="keep"),
    Command(name="explain", does="the check under the cursor, and how its pictures are read", keys="question_mark",
            shown="?", foot="explain", action="explain"),
    Command(name="JUnit XML", does="all results, in a file", keys="J", shown="J", action="junit"),
)  # fmt: skip
