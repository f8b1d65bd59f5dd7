"""Room for calls inside of calls: chains of values, resources and modules may be as long as people write them."""

import gc
import sys
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import TypeVar

_CALLS, _MANY_CALLS, _LARGE_STACK = 8_000, 1_500_000, 1 << 30
Result = TypeVar("Result")


def with_room(run: Callable[[], Result], again: Callable[[], Result] | None = None) -> Result:
    """The result of `run`; where it needs more room, that of `again` (or of `run` once more) in a thread, whose stack may be as large as
    we say. Raises RecursionError where that is too small, too, and whatever is raised there."""
    before = sys.getrecursionlimit()
    if before >= _MANY_CALLS:
        return run()
    with _undisturbed():
        return _with_room(run, again, before)


@contextmanager
def _undisturbed() -> Iterator[None]:
    """No looking for circles meanwhile: what is read and rendered stays, and a look at all of it takes as long as making it."""
    looks = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if looks:
            gc.enable()


def _with_room(run: Callable[[], Result], again: Callable[[], Result] | None, before: int) -> Result:
    sys.setrecursionlimit(max(before, _CALLS))
    try:
        return run()
    except RecursionError:
        pass
    finally:
        sys.setrecursionlimit(before)
    return _in_thread(again or run, before)


def _in_thread(run: Callable[[], Result], before: int) -> Result:
    found: list[Result] = []
    raised: list[BaseException] = []

    def call() -> None:
        try:
            found.append(run())
        except BaseException as error:
            raised.append(error)

    size = threading.stack_size()
    sys.setrecursionlimit(_MANY_CALLS)
    try:
        threading.stack_size(_LARGE_STACK)
        thread = threading.Thread(target=call, daemon=True)
        thread.start()
        while thread.is_alive():
            thread.join(0.2)  # not for good: a signal is looked at between two waits
    finally:
        threading.stack_size(size)
        sys.setrecursionlimit(before)
    if raised:
        raise raised[0]
    return found[0]
