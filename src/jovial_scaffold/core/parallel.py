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
    with staged([tasks], workers) as (results,):
        yield results


@contextmanager
def staged(stages: Sequence[Sequence[Callable[[], Any]]], workers: int) -> Iterator[list[Callable[[], list[Any]]]]:
    """The same of several lists of tasks, with a function for each: a process goes on with the tasks of the next one when nobody has to begin one
    of those before."""
    children = min(workers - 1, max(map(len, stages), default=0)) if can_fork() else 0
    tickets = [_Tickets(len(tasks)) for tasks in stages] if children > 0 else []
    steps = [partial(_in_turn, [partial(_sendable, task) for task in tasks], own) for tasks, own in zip(stages, tickets, strict=False)]
    running = [_Child(steps) for _ in range(children) if steps]

    def results(stage: int) -> list[Any]:
        tasks = stages[stage]
        found = _in_turn(tasks, tickets[stage]) if tickets else {}
        for process in running:
            found.update((number, pickle.loads(answer)) for number, answer in process.result(stage).items())
        return [found[index] if index in found else task() for index, task in enumerate(tasks)]

    try:
        yield [partial(results, stage) for stage in range(len(stages))]
    finally:
        for process in running:
            process.end()
        for each in tickets:
            each.close()


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


class _Child:
    """Steps that are done one after the other in another process, each of which gives what came of tasks, by their numbers. What goes wrong there
    is left out: it is done again here, so that it is told here."""

    def __init__(self, steps: Sequence[Callable[[], dict[int, bytes]]]) -> None:
        pipes = [os.pipe() for _ in steps]
        self._pipes = [reading for reading, _ in pipes]
        self._read: dict[int, dict[int, bytes]] = {}
        self._process = os.fork()
        if self._process == 0:
            _send([(step, sending) for step, (_, sending) in zip(steps, pipes, strict=True)])
        for _, sending in pipes:
            os.close(sending)

    def end(self) -> None:
        """Stop it where its results are no longer wanted: it must not go on when the program has ended."""
        if len(self._read) < len(self._pipes):
            os.kill(self._process, signal.SIGKILL)
        os.waitpid(self._process, 0)
        for number, pipe in enumerate(self._pipes):
            if number not in self._read:
                os.close(pipe)

    def result(self, step: int) -> dict[int, bytes]:
        """What came of a step."""
        if step not in self._read:
            parts = []
            while part := os.read(self._pipes[step], 1 << 20):
                parts.append(part)
            os.close(self._pipes[step])
            self._read[step] = pickle.loads(answer) if (answer := b"".join(parts)) else {}
        return self._read[step]


def _send(steps: Sequence[tuple[Callable[[], object], int]]) -> None:
    """Runs in the child, which never returns: it holds a copy of the whole program."""
    try:
        for step, sending in steps:
            answer = pickle.dumps(step(), pickle.HIGHEST_PROTOCOL)
            with os.fdopen(sending, "wb") as stream:
                stream.write(answer)
    except BaseException:
        os._exit(1)
    os._exit(0)


def can_fork() -> bool:
    """Whether a task may run beside this process: there is a fork, and no other thread that it would leave behind."""
    return hasattr(os, "fork") and threading.active_count() == 1
