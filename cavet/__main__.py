"""Where the command line begins."""

from __future__ import annotations

import sys


def main() -> None:
    """Run `cavet`. Asking only for the version loads nothing else, where it can be told."""
    if sys.argv[1:] in (["--version"], ["-V"]):
        from cavet import __version__

        try:
            print(f"cavet {__version__}", flush=True)  # noqa: T201
        except OSError:
            pass  # the command says what is wrong with standard output
        else:
            return
    from cavet.commands import run

    run(sys.argv[1:])


if __name__ == "__main__":
    main()
