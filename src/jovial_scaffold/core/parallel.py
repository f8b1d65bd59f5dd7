"""Work that is done beside other work, in a process of its own where the system can fork one, and in turn where it cannot."""

import os
import pickle
import signal
import threading
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from functools import partial
from typing import Any, NamedTuple, TypeVar

Result = TypeVar("Result")


@contextmanager
def spread(tasks: Sequence[Callable[[], Result]], workers: int) -> Iterator[Callable[[], list[Result]]]:
    """Tasks that are shared out over processes, the first ones first; a function that waits for what they give, in their order.

    Each process takes the next task when it has done one, this one from when that function is called on.
    """
    with staged([tasks_of(tasks)], workers) as (results,):
        yield partial(in_order, results)


class Work(NamedTuple):
    """Work in so many pieces, of which each process does those that it takes: `do` gives what comes of all of them, by their numbers."""

    pieces: int
    do: Callable[[Iterator[int]], Any]


def tasks_of(tasks: Sequence[Callable[[], Any]]) -> Work:
    """Tasks as such work, of which `in_order` puts together what comes of it."""
    return Work(len(tasks), lambda numbers: {number: tasks[number]() for number in numbers})


def in_order(results: Callable[[], list[dict[int, Result]]]) -> list[Result]:
    """What tasks give, in their order."""
    found = [each for part in results() for each in part.items()]
    return [result for _, result in sorted(found, key=lambda each: each[0])]


@contextmanager
def staged(stages: Sequence[Work], workers: int) -> Iterator[list[Callable[[], list[Any]]]]:
    """Several such works, one after the other, with a function for each that waits for what comes of it, in each process that took a piece: they go
    on with the next one when nobody has to begin a piece of those before."""
    children = min(workers - 1, max((each.pieces for each in stages), default=0)) if can_fork() else 0
    tickets = [_Tickets(each.pieces) for each in stages] if children > 0 else []
    running = [_Child([partial(_taken, each.do, own) for each, own in zip(stages, tickets, strict=True)]) for _ in range(children)]

    def results(stage: int) -> list[Any]:
        work = stages[stage]
        found = [_taken(work.do, tickets[stage])] if tickets else []
        found += [each for process in running if (each := process.result(stage)) is not None]
        left = sorted(set(range(work.pieces)).difference(*(numbers for numbers, _ in found)))
        return [result for numbers, result in found if numbers] + ([work.do(iter(left))] if left else [])

    try:
        yield [partial(results, stage) for stage in range(len(stages))]
    finally:
        for process in running:
            process.end()
        for each in tickets:
            each.close()


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
    """Steps that are done one after the other in another process, each of which is a part of some work. What goes wrong there is left out: it is
    done again here, so that it is told here."""

    def __init__(self, steps: Sequence[Callable[[], _Answer]]) -> None:
        pipes = [os.pipe() for _ in steps]
        self._pipes = [reading for reading, _ in pipes]
        self._read: list[_Answer | None] = []  # of the first steps, one after the other
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
        for pipe in self._pipes[len(self._read) :]:
            os.close(pipe)

    def result(self, step: int) -> _Answer | None:
        """What came of a step; None where it went wrong."""
        for each in range(len(self._read), step + 1):  # in their order: nobody goes on before somebody reads what does not fit into a pipe
            parts = []
            while part := os.read(self._pipes[each], 1 << 20):
                parts.append(part)
            os.close(self._pipes[each])
            self._read.append(pickle.loads(answer) if (answer := b"".join(parts)) else None)
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
