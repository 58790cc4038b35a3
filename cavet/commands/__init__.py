"""The command line: a file a command, each loaded only when it is called."""

from cavet.commands._run import COMMANDS, code_of, run

__all__ = ["COMMANDS", "code_of", "run"]
