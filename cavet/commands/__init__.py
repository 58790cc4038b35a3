"""The command line: a file a command, each loaded only when it is called."""

from cavet.commands._run import code_of, run

__all__ = ["code_of", "run"]
