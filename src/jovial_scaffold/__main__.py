"""The command `jovial`."""

import sys


def main() -> int:
    """Run the command line; gives the exit code."""
    if sys.argv[1:] in (["--version"], ["-V"]):
        from jovial_scaffold._version import __version__

        print(f"jovial {__version__}")
        return 0
    from jovial_scaffold.cli.main import run

    return run(sys.argv[1:])


if __name__ == "__main__":
    sys.exit(main())
