"""How the program ends: signals as exceptions, an output that cannot take what is written, and the last catch for errors of our own."""

import codecs
import errno
import os
import re
import signal
import sys
from contextlib import suppress
from pathlib import Path
from types import FrameType
from typing import Any, TextIO

from jovial_scaffold._version import __version__
from jovial_scaffold.cli import exit_codes
from jovial_scaffold.reports.words import harmless, visible

# Calls inside of calls at first, and in a thread with a stack of so many bytes, of which the system gives only what is used.
_PLAIN = str.maketrans({"│": "|", "─": "-", "…": "...", "‹": "<", "›": ">", "→": "->", "·": "-", "×": "x", "—": "-", "–": "-", "≤": "<="})


#: errors that the machine gives for what the user asked, not for what we did wrong
OF_THE_MACHINE = frozenset(
    (
        errno.EACCES,
        errno.EPERM,
        errno.ENOENT,
        errno.ENOTDIR,
        errno.EISDIR,
        errno.EEXIST,
        errno.ENOSPC,
        errno.EDQUOT,
        errno.EROFS,
        errno.EINVAL,
        errno.ELOOP,
        errno.ENAMETOOLONG,
        errno.EFBIG,
        errno.EIO,
        errno.EXDEV,
        errno.EMFILE,
        errno.ENXIO,
        errno.EADDRINUSE,
    )
)


_KEPT = 1_000  # parts of what was written, and characters of each
_COLOURS = re.compile("\x1b\\[[0-9;]*m|\x1b\\]8;;[^\x1b]*\x1b\\\\")


class Ended(BaseException):
    """A signal asks the program to end. What is open is closed on the way out."""

    def __init__(self, number: int) -> None:
        super().__init__(number)
        self.code = exit_codes.SIGNALLED + number


def _end(number: int, _: FrameType | None) -> None:
    signal.signal(number, signal.SIG_IGN)  # once is enough: a second one must not cut short what the first one began
    raise Ended(number)


def prepare(machine: bool) -> None:
    """Make signals end the program in order, and the standard streams take whatever is written. `machine` output is UTF-8 everywhere."""
    for number in (signal.SIGTERM, getattr(signal, "SIGHUP", signal.SIGTERM)):
        if signal.getsignal(number) is signal.SIG_DFL:
            signal.signal(number, _end)
    for descriptor in (0, 1, 2):
        # A closed stream's number would go to the next file that is opened, and what is printed into that file.
        try:
            os.fstat(descriptor)
        except OSError:
            null = os.open(os.devnull, os.O_RDWR)
            if null != descriptor:
                os.dup2(null, descriptor)
                os.close(null)
    if sys.stdin is None:
        sys.stdin = open(os.devnull, encoding="utf-8")  # noqa: SIM115 - it stands in for the process's own
    if sys.stdout is None:
        sys.stdout = open(os.devnull, "w", encoding="utf-8")  # noqa: SIM115
    if sys.stderr is None:
        sys.stderr = open(os.devnull, "w", encoding="utf-8")  # noqa: SIM115
    codecs.register_error("jovial", _replaced)
    for stream in (sys.stdout, sys.stderr):
        reconfigure = getattr(stream, "reconfigure", None)
        if reconfigure is not None:
            wide = (stream.encoding or "").lower().replace("-", "") == "utf8" or (machine and stream is sys.stdout)
            reconfigure(errors="surrogateescape" if wide else "jovial", **({"encoding": "utf-8"} if wide else {}))
    sys.stdout, sys.stderr = Guarded(sys.stdout), Guarded(sys.stderr)


class Guarded:
    """A standard stream through which nothing gets that could steer a terminal, whatever wrote it. `exactly` is for results that are data,
    such as a filled-in text: they go out byte by byte where no terminal reads them."""

    def __init__(self, stream: TextIO) -> None:
        self._stream = stream
        self.said: list[str] = []  #: the last of what was written

    def write(self, text: str) -> int:
        """Write a part of a report."""
        written = self._stream.write(harmless(text))  # raises where it is no text, which libraries try out
        self._keep(text)
        return written

    def _keep(self, text: str) -> None:
        self.said.append(text[:_KEPT])
        if len(self.said) > 2 * _KEPT:
            del self.said[:_KEPT]

    def exactly(self, text: str) -> None:
        """Write data."""
        self._keep(text)
        self._stream.write(harmless(text) if self._stream.isatty() else text)

    def __getattr__(self, name: str) -> Any:
        return getattr(self._stream, name)


def tell_as_json(code: int) -> None:
    """An error for programs, where nothing else is on standard output: what was said on standard error."""
    out, err = sys.stdout, sys.stderr
    if isinstance(out, Guarded) and isinstance(err, Guarded) and not out.said:
        from jovial_scaffold.reports.machine import error_document, json_text

        message = _COLOURS.sub("", harmless("".join(err.said))).strip()
        out.write(json_text(error_document(code, message.rpartition("Error: ")[2], ())))


def _replaced(error: UnicodeError) -> tuple[str, int]:
    """What a small encoding lacks, in its nearest form."""
    if not isinstance(error, UnicodeEncodeError):
        raise error
    wanted = error.object[error.start : error.end].translate(_PLAIN)
    return "".join(char if char.isascii() else "?" for char in wanted), error.end


def flushed() -> int | None:
    """Write out what was printed; an exit code where that fails."""
    try:
        sys.stdout.flush()
        sys.stderr.flush()
    except BrokenPipeError:
        return dead_pipe()
    except OSError as error:
        return refused(error, "standard output")
    return None


def dead_pipe() -> int:
    """Whoever read our output has had enough: nothing is left to say, and nobody to say it to."""
    with suppress(OSError, ValueError):
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
    return 0


def refused(error: OSError, otherwise: str = "") -> int:
    """Say which file or stream the system refused; gives the exit code."""

    name = str(error.filename) if error.filename else otherwise
    if name == "standard output":
        dead_pipe()
    told = f"{visible(name)}: " if name else ""
    with suppress(OSError, ValueError):
        print(f"jovial: {told}{error.strerror or type(error).__name__}", file=sys.stderr)
    return exit_codes.UNUSABLE


def internal(error: BaseException, arguments: list[str]) -> int:
    """An error of our own: a sentence, and a report without any value, name or line of the user's. Gives the exit code."""
    lines = [f"jovial {__version__}, Python {sys.version.split()[0]}, {sys.platform}"]
    words = [word.partition("=")[0] for word in arguments if word.startswith("--")]
    lines.append(f"jovial {arguments[0] if arguments[:1] and arguments[0].isalpha() else ''} {' '.join(words)}")
    seen: set[int] = set()
    current: BaseException | None = error
    while current is not None and id(current) not in seen:
        seen.add(id(current))
        lines.append(type(current).__name__)
        trace = current.__traceback__
        frames = []
        while trace is not None:
            code = trace.tb_frame.f_code
            frames.append(f"  {Path(code.co_filename).name}:{trace.tb_lineno} {code.co_name}")
            trace = trace.tb_next
        lines += frames[:20] + (["  …"] if len(frames) > 40 else []) + frames[20:][-20:]
        current = current.__cause__ or current.__context__
    where = ""
    with suppress(OSError):
        import tempfile

        descriptor, name = tempfile.mkstemp(prefix="jovial-report-", suffix=".txt")
        with os.fdopen(descriptor, "w", encoding="utf-8", errors="replace") as stream:
            stream.write("\n".join(lines) + "\n")
        where = f" Where it happened stands in {name}, which holds nothing of your files."
    with suppress(OSError, ValueError):
        print(f"jovial: an internal error ({type(error).__name__}): this is our mistake, not yours.{where}", file=sys.stderr)
    return exit_codes.INTERNAL
