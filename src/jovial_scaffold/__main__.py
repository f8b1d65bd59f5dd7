"""The command `jovial`."""

import gc
import os
import sys


def main() -> int:
    """Run the command line and end the process with its exit code, whenever it is asked to end."""
    try:
        code = _run()
    except KeyboardInterrupt:
        code = 130
    except OSError as error:
        print(f"jovial: standard output: {error.strerror}", file=sys.stderr)
        code = 2
    except ImportError as error:
        package = (error.name or "").partition(".")[0]
        if package in ("igraph", "matplotlib", "numpy"):
            print(f"jovial: pictures are drawn with {package}, which is missing: pip install 'jovial-scaffold[pictures]'", file=sys.stderr)
            code = 2
        else:
            print(f"jovial: it is not installed as a whole ({error.name} is missing): install it anew.", file=sys.stderr)
            code = 70
    except BaseException as error:  # a signal that came when the command was over
        code = getattr(error, "code", 70)
    # Taking a large project apart, object by object, takes longer than many a check.
    os._exit(code)


def _run() -> int:
    if sys.argv[1:] in (["--version"], ["-V"]):
        from jovial_scaffold._version import __version__

        print(f"jovial {__version__}", flush=True)
        return 0
    # A command makes many objects and ends soon: looking for circles among them would cost more than it frees.
    gc.disable()
    from jovial_scaffold.cli.main import run

    return run(sys.argv[1:])


if __name__ == "__main__":
    sys.exit(main())
