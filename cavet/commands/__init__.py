"""The command line: a file a command, each loaded only when it is called."""

from cavet.commands._run import run

__all__ = ["run"]
