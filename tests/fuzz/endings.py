"""Commands that write, ended at any moment: each file is as it was or as it should be, and the next run leaves nothing else behind."""

import functools
import os
import random
import signal
import sys
import tempfile
import time
from pathlib import Path
from types import FrameType
from typing import NoReturn

from jovial_scaffold.__main__ import main
from jovial_scaffold.core.rendering import shapes
from jovial_scaffold.machine import writing
from jovial_scaffold.machine.writing import MARK
from tests.fuzz.commands import in_process, lay_out
from tests.fuzz.mini import FILES, SECRET

Contents = dict[str, bytes]
#: command lines that write, each into `out` or a folder of that name
WRITERS = (
    ("render", "live", "--format", "json", "--out", "out"),
    ("render", "live", "--reveal-secrets", "--out", "out"),
    ("render", "live", "--documents", "out"),
    ("compare", "--format", "html", "--out", "out"),
    ("compare", "--expect", "out", "--accept"),
    ("record", "live", "--out", "out"),
    ("effects", "live", "--format", "html", "--out", "out"),
    ("map", "live", "--format", "dot", "--out", "out"),
    ("plot", "differences", "--format", "svg", "--out", "out"),
    ("board", "--out", "out"),
    ("fill", "start.sh", "--environment", "live", "--out", "out"),
    ("demo", "--into", "out"),
)
HOW = (signal.SIGKILL, signal.SIGTERM, signal.SIGINT)
COUNT = "moments"  # a file beside the folder


def _contents(folder: Path) -> Contents:
    found = {path.relative_to(folder).as_posix(): path.read_bytes() for path in folder.rglob("*") if path.is_file()}
    return {name: content for name, content in found.items() if name not in FILES}


class Moments:
    """Counts the steps from the first one in which something is written on, and sends a signal to this very process at one of them."""

    def __init__(self, at: int = -1, how: signal.Signals = signal.SIGKILL) -> None:
        self.at, self.how, self.count = at, how, -1

    def __call__(self, frame: FrameType, event: str, _: object) -> None:
        """What Python tells of a step: a call of a function, of Python or of C, or its end."""
        if self.count < 0 and frame.f_code.co_filename != writing.__file__:
            return
        if frame.f_code.co_filename == __file__:  # the end of the process, between whose beginning and end there is nothing
            return
        self.count += 1
        if self.count == self.at:
            os.kill(os.getpid(), self.how)

    def tell_at_the_end(self, path: Path) -> None:
        """Write into a file how many steps there were."""
        leave = os._exit

        def told(code: int) -> NoReturn:
            sys.setprofile(None)
            path.write_text(str(self.count))
            leave(code)

        os._exit = told


def start(folder: Path, command: tuple[str, ...], moments: Moments | None = None) -> int:
    """The number of a process that runs a command in a folder, with all of the program loaded already."""
    # Until it is a process as any other, signals wait: this one has run commands itself, and has what they do about signals.
    signal.pthread_sigmask(signal.SIG_BLOCK, HOW[1:])
    child = os.fork()
    if child:
        signal.pthread_sigmask(signal.SIG_UNBLOCK, HOW[1:])
        return child
    try:
        os.chdir(folder)
        null = os.open(os.devnull, os.O_RDWR)
        for number in range(3):
            os.dup2(null, number)
        sys.stdin, sys.stdout, sys.stderr = (open(number, "r" if number == 0 else "w", closefd=False) for number in range(3))  # noqa: SIM115
        os.environ["DESK_PASSWORD"] = SECRET
        signal.signal(signal.SIGINT, signal.default_int_handler)
        signal.signal(signal.SIGTERM, signal.SIG_DFL)
        signal.pthread_sigmask(signal.SIG_UNBLOCK, HOW[1:])
        sys.argv = ["jovial", *command]
        if moments is not None:
            moments.tell_at_the_end(folder.with_name(COUNT))
            sys.setprofile(moments)
        main()
    finally:
        os._exit(70)


def ended(child: int) -> int:
    """The exit code of a process, or the signal that ended it as a negative number."""
    return os.waitstatus_to_exitcode(os.waitpid(child, 0)[1])


@functools.cache
def _whole(command: tuple[str, ...], least: int) -> tuple[Contents, float, int]:
    """What a command writes when it is left alone, how long it takes, and in how many steps it writes. How a board tells what resources have in common
    hangs on which of them get code, from so many on: it shows the same."""
    assert least == shapes.FEW
    with tempfile.TemporaryDirectory() as above:
        lay_out(Path(above), FILES)
        in_process(Path(above), list(command))  # loads what is loaded once
    with tempfile.TemporaryDirectory() as above:
        lay_out(Path(above), FILES)
        began = time.monotonic()
        code = ended(start(Path(above), command))
        took = time.monotonic() - began
        written = _contents(Path(above))
        assert code in (0, 1) and written, (command, code)
    with tempfile.TemporaryDirectory() as above:
        folder = Path(above) / "project"
        lay_out(folder, FILES)
        ended(start(folder, command, Moments()))
        return written, took, int(folder.with_name(COUNT).read_text())


def attempt(chance: random.Random) -> str:
    """One case: a command is ended while it runs, or two run at once."""
    command = chance.choice(WRITERS)
    whole, took, moments = _whole(command, shapes.FEW)
    with tempfile.TemporaryDirectory() as above:
        folder = Path(above) / "project"
        lay_out(folder, FILES)
        before: Contents = {}
        if chance.random() < 0.5 and command[0] not in ("record", "compare") and list(whole) == ["out"]:
            before = {"out": b"old"}
            lay_out(folder, before)
        how = chance.choice((*HOW, None))
        exactly = Moments(chance.randrange(moments + 1), how) if how is not None and chance.random() < 0.6 else None
        children = [start(folder, command, exactly) for _ in range(2 if how is None else 1)]
        if how is not None and exactly is None:
            time.sleep(chance.uniform(0.3, 1.1) * took)
            os.kill(children[0], how)
        codes = [ended(child) for child in children]
        # Two that make the same new folder: the second is told that it is there.
        allowed = (0, 1, 2) if how is None else (0, 1, -9) if how is signal.SIGKILL else (0, 1, 128 + how, -how)
        assert all(code in allowed for code in codes), (command, how, codes)
        now = {name: content for name, content in _contents(folder).items() if not name.startswith(MARK)}
        single = list(whole) == ["out"]
        for name, content in now.items():
            assert content in (before.get(name), whole.get(name)), (command, how, name, len(content))
        assert not single or now or not before, (command, how)
        if command[0] == "demo":
            assert not now or now == whole, (command, how, sorted(now))
        if how is None or 0 in codes:
            assert now == whole or command[0] == "demo", (command, how, codes)
        left = [name for name in os.listdir(folder) if name.startswith(MARK)]
        assert not left or how is signal.SIGKILL, (command, how, left)
        if not (folder / "out").is_dir() or command[0] != "demo":
            ended(start(folder, command))
            assert _contents(folder) == whole, (command, how)
            assert not [name for name in os.listdir(folder) if name.startswith(MARK)], (command, how)
    return "errors" if any(codes) else "clean"
