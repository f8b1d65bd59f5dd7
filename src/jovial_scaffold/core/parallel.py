"""Work that is done beside other work, in a process of its own where the system can fork one, and in turn where it cannot."""

import os
import pickle
import signal
import threading
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from functools import partial
from typing import Any, TypeVar

Result = TypeVar("Result")


@contextmanager
def spread(tasks: Sequence[Callable[[], Result]], workers: int) -> Iterator[Callable[[], list[Result]]]:
    """Tasks that are shared out over processes, the first ones first; a function that waits for what they give, in their order.

    Each process takes the next task when it has done one, this one from when that function is called on.
    """

    def results() -> list[Result]:
        found = [each for part in parts() for each in part.items()]
        return [result for _, result in sorted(found, key=lambda each: each[0])]

    with shared_out(len(tasks), lambda numbers: {number: tasks[number]() for number in numbers}, workers) as parts:
        yield results


@contextmanager
def shared_out(pieces: int, do: Callable[[Iterator[int]], Result], workers: int) -> Iterator[Callable[[], list[Result]]]:
    """Work in so many pieces, of which each process does those that it takes: `do` gives what comes of all of them, by their numbers. A function
    that waits for what that is in each process that took a piece."""
    children = min(workers - 1, pieces) if can_fork() else 0
    tickets = _Tickets(pieces) if children > 0 else None
    running = [_Child(partial(_taken, do, tickets)) for _ in range(children)] if tickets is not None else []

    def results() -> list[Result]:
        found = [_taken(do, tickets)] if tickets is not None else []
        found += [answer for process in running if (answer := process.result()) is not None]
        left = sorted(set(range(pieces)).difference(*(numbers for numbers, _ in found)))
        return [result for numbers, result in found if numbers] + ([do(iter(left))] if left else [])

    try:
        yield results
    finally:
        for process in running:
            process.end()
        if tickets is not None:
            tickets.close()


class _Tickets:
    """The numbers of pieces of work, each of which one process takes."""

    def __init__(self, count: int) -> None:
        self._pipe, filling = os.pipe()
        os.write(filling, b"".join(number.to_bytes(_TICKET, "big") for number in range(min(count, _MOST_TICKETS))))
        os.close(filling)

    def take(self) -> int | None:
        """The next one; None where there are no more."""
        ticket = os.read(self._pipe, _TICKET)
        return int.from_bytes(ticket, "big") if len(ticket) == _TICKET else None

    def close(self) -> None:
        """Nobody takes any more of them here."""
        os.close(self._pipe)


_TICKET = 2  # bytes
_MOST_TICKETS = 2_000  # as many as a pipe surely holds; what is left is done here


def _taken(do: Callable[[Iterator[int]], Result], tickets: _Tickets) -> tuple[list[int], Result]:
    """The pieces that are taken here, as long as there are tickets, and what comes of them."""
    numbers: list[int] = []

    def taken() -> Iterator[int]:
        while (number := tickets.take()) is not None:
            numbers.append(number)
            yield number

    result = do(taken())
    return numbers, result


_Answer = tuple[list[int], Any]
"""The pieces that a process took, and what came of them."""


class _Child:
    """A part of some work that is done in another process. What goes wrong there is left out: it is done again here, so that it is told here."""

    def __init__(self, do: Callable[[], _Answer]) -> None:
        self._pipe, sending = os.pipe()
        self._is_read = False
        self._process = os.fork()
        if self._process == 0:
            _send(do, sending)
        os.close(sending)

    def end(self) -> None:
        """Stop it where its result is no longer wanted: it must not go on when the program has ended."""
        if not self._is_read:
            os.kill(self._process, signal.SIGKILL)
        os.waitpid(self._process, 0)
        os.close(self._pipe)

    def result(self) -> _Answer | None:
        """What came of it; None where it went wrong, or where that was asked for already."""
        self._is_read = True
        parts = []
        while part := os.read(self._pipe, 1 << 20):
            parts.append(part)
        return pickle.loads(answer) if (answer := b"".join(parts)) else None


def _send(do: Callable[[], object], sending: int) -> None:
    """Runs in the child, which never returns: it holds a copy of the whole program."""
    try:
        answer = pickle.dumps(do(), pickle.HIGHEST_PROTOCOL)
        with os.fdopen(sending, "wb") as stream:
            stream.write(answer)
    except BaseException:
        os._exit(1)
    os._exit(0)


def can_fork() -> bool:
    """Whether a task may run beside this process: there is a fork, and no other thread that it would leave behind."""
    return hasattr(os, "fork") and threading.active_count() == 1
