"""The command `jovial`."""

import os
import sys


def main() -> int:
    """Run the command line; gives the exit code."""
    if sys.argv[1:] in (["--version"], ["-V"]):
        from jovial_scaffold._version import __version__

        print(f"jovial {__version__}")
        return 0
    from jovial_scaffold.cli.main import run

    code = run(sys.argv[1:])
    # Taking a large project apart, object by object, takes longer than many a check.
    os._exit(code)


if __name__ == "__main__":
    sys.exit(main())
