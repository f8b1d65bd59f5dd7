"""Work that is done beside other work, in a process of its own where the system can fork one, and in turn where it cannot."""

import os
import pickle
import signal
import threading
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from functools import partial
from typing import Generic, TypeVar

Result = TypeVar("Result")


@contextmanager
def spread(tasks: Sequence[Callable[[], Result]], workers: int) -> Iterator[Callable[[], list[Result]]]:
    """Tasks that are shared out over processes, the first ones first; a function that waits for what they give, in their order.

    Each process takes the next task when it has done one, this one from when that function is called on.
    """
    children = min(workers - 1, len(tasks)) if can_fork() else 0
    tickets = _Tickets(len(tasks)) if children > 0 else None
    sent = [partial(_sendable, task) for task in tasks]
    beside = [Beside(partial(_in_turn, sent, tickets)) for _ in range(children) if tickets is not None]

    def results() -> list[Result]:
        found = _in_turn(tasks, tickets) if tickets is not None else {}
        for task in beside:
            found.update((number, pickle.loads(answer)) for number, answer in task.result().items())
        return [found[index] if index in found else task() for index, task in enumerate(tasks)]

    try:
        yield results
    finally:
        for task in beside:
            task.end()
        if tickets is not None:
            tickets.close()


class _Tickets:
    """The numbers of tasks, each of which one process takes."""

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


def _in_turn(tasks: Sequence[Callable[[], Result]], tickets: _Tickets) -> dict[int, Result]:
    """What tasks give, by their numbers, as long as there are tickets."""
    found = {}
    while (number := tickets.take()) is not None:
        found[number] = tasks[number]()
    return found


def _sendable(task: Callable[[], object]) -> bytes:
    """What a task gives, as another process takes it: that takes its time, too, before the next ticket is taken."""
    return pickle.dumps(task(), pickle.HIGHEST_PROTOCOL)


class Beside(Generic[Result]):
    """Tasks that are done in another process; `result` waits for what they gave, by their numbers. What goes wrong there is left out: it is
    done again here, so that it is told here."""

    def __init__(self, task: Callable[[], dict[int, Result]]) -> None:
        self._waited = False
        self._pipe, sending = os.pipe()
        self._child = os.fork()
        if self._child == 0:
            _send(task, sending)
        os.close(sending)

    def end(self) -> None:
        """Stop the task where its result is no longer wanted: it must not go on when the program has ended."""
        if not self._waited:
            os.kill(self._child, signal.SIGKILL)
            os.waitpid(self._child, 0)
            os.close(self._pipe)
            self._waited = True

    def result(self) -> dict[int, Result]:
        """What the tasks gave."""
        parts = []
        while part := os.read(self._pipe, 1 << 20):
            parts.append(part)
        answer = b"".join(parts)
        os.waitpid(self._child, 0)
        os.close(self._pipe)
        self._waited = True
        found: dict[int, Result] = pickle.loads(answer) if answer else {}
        return found


def _send(task: Callable[[], object], sending: int) -> None:
    """Runs in the child, which never returns: it holds a copy of the whole program."""
    try:
        answer = pickle.dumps(task(), pickle.HIGHEST_PROTOCOL)
        with os.fdopen(sending, "wb") as stream:
            stream.write(answer)
    except BaseException:
        os._exit(1)
    os._exit(0)


def can_fork() -> bool:
    """Whether a task may run beside this process: there is a fork, and no other thread that it would leave behind."""
    return hasattr(os, "fork") and threading.active_count() == 1
