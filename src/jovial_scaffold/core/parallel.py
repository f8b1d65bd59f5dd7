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
    """Tasks that take about as long as each other, shared out over processes; a function that waits for what they give, in their order.

    As much as can be is done here, when that function is called: what others give has to be sent, and what they learn is lost. So the
    last tasks are those of this process.
    """
    children = min(workers, len(tasks)) - 1 if can_fork() else 0
    sent = len(tasks) - -(-len(tasks) // (children + 1)) if children > 0 else 0
    shares = [range(number, sent, children) for number in range(children)] if sent else []
    beside = [Beside(partial(_in_turn, [tasks[index] for index in share])) for share in shares]

    def results() -> list[Result]:
        found = dict(zip(range(sent, len(tasks)), _in_turn(tasks[sent:]), strict=True))
        for share, task in zip(shares, beside, strict=True):
            found.update(zip(share, task.result(), strict=True))
        return [found[index] for index in range(len(tasks))]

    try:
        yield results
    finally:
        for task in beside:
            task.end()


def _in_turn(tasks: Sequence[Callable[[], Result]]) -> list[Result]:
    return [task() for task in tasks]


class Beside(Generic[Result]):
    """A task that was begun; `result` waits for it. Whatever goes wrong beside us is done again here, so that it is told here."""

    def __init__(self, task: Callable[[], Result]) -> None:
        self._task = task
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

    def result(self) -> Result:
        """What the task gives."""
        parts = []
        while part := os.read(self._pipe, 1 << 20):
            parts.append(part)
        answer = b"".join(parts)
        os.waitpid(self._child, 0)
        os.close(self._pipe)
        self._waited = True
        if not answer:
            return self._task()
        found: Result = pickle.loads(answer)
        return found


def _send(task: Callable[[], Result], sending: int) -> None:
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
