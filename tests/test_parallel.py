"""Work in several processes: what comes of it is what one process gives, whatever goes wrong in another."""

import json
import os
import random
from collections.abc import Callable
from functools import partial
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from jovial_scaffold.cli.board import board
from jovial_scaffold.core import project_reading as computing
from jovial_scaffold.core.limits import Limit
from jovial_scaffold.core.parallel import shared_out, spread
from jovial_scaffold.core.rendering.results import Rendering
from jovial_scaffold.reports.board import SHARES, rows_of
from jovial_scaffold.reports.board_rows import Share
from jovial_scaffold.reports.machine import render_text
from tests.fuzz import repeated
from tests.fuzz.code import code_from
from tests.fuzz.drivers import ENVIRONMENTS, loaded, project
from tests.support import checked_document

HERE = os.getpid()


def doubled(number: int) -> int:
    """What a task gives."""
    return number * 2


def only_here(number: int) -> int:
    """The same, which fails in any other process."""
    if os.getpid() != HERE:
        raise RuntimeError
    return doubled(number)


def only_here_at_all(number: int) -> int:
    """The same, in whose process nothing is left."""
    if os.getpid() != HERE:
        os._exit(3)
    return doubled(number)


def not_to_be_sent(number: int) -> object:
    """What cannot be handed from one process to another."""
    return lambda: number


@settings(max_examples=12, deadline=None)
@given(st.lists(st.integers(), max_size=6), st.integers(1, 4), st.sampled_from((doubled, only_here, only_here_at_all)))
def test_results_come_in_order_however_they_are_shared_out(numbers: list[int], workers: int, task: Callable[[int], int]) -> None:
    with spread([partial(task, number) for number in numbers], workers) as results:
        assert results() == [number * 2 for number in numbers]


@settings(max_examples=12, deadline=None)
@given(st.integers(0, 9), st.integers(1, 4), st.sampled_from((doubled, only_here, only_here_at_all)))
def test_each_piece_of_work_is_done_once(pieces: int, workers: int, task: Callable[[int], int]) -> None:
    with shared_out(pieces, lambda numbers: [(each, task(each)) for each in numbers], workers) as results:
        found = results()
        assert len(found) <= max(workers, 1) + 1 and all(found), "one part of each process that did some, and one of what went wrong"
        assert sorted(each for part in found for each in part) == [(number, number * 2) for number in range(pieces)]


def test_results_that_do_not_fit_into_a_pipe_come_from_all_processes() -> None:
    with shared_out(9, lambda numbers: [bytes([number]) * (1 << 20) for number in numbers], 4) as results:
        assert sorted(each[0] for part in results() for each in part) == list(range(9))
    with pytest.raises(ChildProcessError):
        os.waitpid(-1, os.WNOHANG)


def test_what_cannot_be_sent_is_done_here() -> None:
    with spread([partial(not_to_be_sent, number) for number in range(3)], 3) as results:
        assert all(callable(each) for each in results())


def test_what_fails_here_too_is_raised() -> None:
    with pytest.raises(ZeroDivisionError), spread([partial(divmod, 1, 0)] * 2, 2) as results:
        results()


def test_nobody_goes_on_when_nobody_waits() -> None:
    with pytest.raises(KeyError), spread([partial(doubled, number) for number in range(4)], 3):
        raise KeyError
    with pytest.raises(ChildProcessError):
        os.waitpid(-1, os.WNOHANG)


def written(rendering: Rendering) -> str:
    """One environment as text."""
    return render_text("yard", rendering)


@pytest.mark.parametrize("seed", range(4))
def test_several_processes_render_and_check_as_one_does(seed: int, monkeypatch: pytest.MonkeyPatch) -> None:
    files = project(random.Random(seed))
    alone, found = loaded(files), loaded(files)
    expected = {name: written(alone.render(name)) for name in ENVIRONMENTS}
    monkeypatch.setattr(computing, "PARALLEL_RESOURCES", Limit(1, "", ""))
    assert found.render_each(written, workers=2) == expected
    assert loaded(files).render_each(written, ENVIRONMENTS[1:], workers=3) == {name: expected[name] for name in ENVIRONMENTS[1:]}
    assert checked_document(loaded(files), workers=3) == checked_document(alone)


@given(st.lists(st.integers(), max_size=60), st.integers(1, 12))
def test_the_shares_of_addresses_are_all_of_them(addresses: list[int], count: int) -> None:
    found = [Share(number, count).of(addresses) for number in range(count)]  # type: ignore[arg-type]  # whatever they are
    assert addresses == [address for each in found for address in each]
    assert max(map(len, found)) - min(map(len, found)) <= 1


@pytest.mark.parametrize("make", (project, repeated.project), ids=("of all sorts", "of loops"))
@pytest.mark.parametrize("seed", range(6))
def test_the_rows_of_all_shares_are_those_of_the_whole(seed: int, make: Callable[[random.Random], dict[str, bytes]]) -> None:
    files = make(random.Random(seed))
    with code_from(0):  # which is else made when it is worth it, wherever that is first
        one, other = (loaded(files) for _ in range(2))
        found = rows_of(one.views(one.environments), [Share(number, SHARES) for number in range(SHARES)])
        assert found == rows_of(other.views(other.environments), [Share()])


@pytest.mark.parametrize("make", (project, repeated.project), ids=("of all sorts", "of loops"))
@pytest.mark.parametrize("workers", (2, 3))
def test_a_board_of_several_processes_tells_what_that_of_one_does(
    workers: int, make: Callable[[random.Random], dict[str, bytes]], monkeypatch: pytest.MonkeyPatch
) -> None:
    for seed in range(6):
        files = make(random.Random(seed))
        with monkeypatch.context() as patched, code_from(0):
            alone = board(loaded(files), [])
            patched.setattr(computing, "PARALLEL_RESOURCES", Limit(1, "", ""))
            together = board(loaded(files), [], workers=workers)
        assert together.data == alone.data and together.maps == alone.maps
        one, several = ([json.loads(share) for share in each.shares] for each in (alone, together))
        found = [each["address"] for share in several for each in share["resources"]]
        assert sorted(found) == sorted(each["address"] for share in one for each in share["resources"])
        assert _nodes(several) == _nodes(one)


def test_a_loop_over_many_items_of_a_parameter_is_large() -> None:
    template = "parameters: {rows: {type: array, description: d}}\nresources: {q (fulmar.queue): {LOOPname: q}}\n"
    head = "project: p\ntemplate: t.yaml\ncatalogs: [fulmar]\nenvironments: {a: {parameters: [a.json]}, b: {parameters: [b.json]}}\n"
    for loop, items, is_large in (("$per: {row: rows}, ", 600, True), ("$per: {row: rows}, ", 400, False), ("", 600, False)):
        rows = {"a.json": json.dumps({"rows": ["x"]}), "b.json": json.dumps({"rows": list(range(items))})}
        found = loaded(
            {name: text.encode() for name, text in {"jovial.yaml": head, "t.yaml": template.replace("LOOP", loop), **rows}.items()}
        )
        assert (found.processes(2, ["a", "b"]) == 2) == is_large
        assert found.processes(2, ["a"]) == 1


def _nodes(shares: list[dict[str, Any]]) -> dict[str, Any]:
    return {name: node for share in shares for name, node in share["nodes"].items()}
