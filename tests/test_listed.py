"""Lists of texts that differ in words of items only: what is known of one says what all others repeat."""

from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from jovial_scaffold.reports.listed import listed_of

_TEXTS = st.text("a, ‹›", max_size=4)
_WORDS = st.tuples(st.text("a, ", max_size=3), st.text("a, ", max_size=3))


def _list(items: list[tuple[str, list[str]]], words: list[tuple[str, str]], column: int) -> list[str]:
    return [f"{before}{inside[column]}{behind}" for (_, inside), (before, behind) in zip(items, words, strict=True)]


def _echo(items: list[tuple[str, list[str]]], words: list[tuple[str, str]]) -> str:
    told = [
        f"{before}{told if len(set(inside)) > 1 else inside[0]}{behind}"
        for (told, inside), (before, behind) in zip(items, words, strict=True)
    ]
    return f"[{', '.join(told)}]"


@given(
    st.data(),
    st.lists(st.tuples(st.text("a,‹›", min_size=1, max_size=4), st.lists(_TEXTS, min_size=2, max_size=2)), min_size=1, max_size=4),
)
def test_what_one_list_repeats_says_what_others_do(data: Any, items: list[tuple[str, list[str]]]) -> None:
    first, other = (data.draw(st.lists(_WORDS, min_size=len(items), max_size=len(items))) for _ in range(2))
    lists = [_list(items, first, column) for column in range(2)]
    known = listed_of(lists, range(len(items)), [True] * len(items), first, _echo(items, first))
    if known is None:  # it may be read in several ways
        return
    assert known.is_alike(lists, first)
    others = [_list(items, other, column) for column in range(2)]
    assert known.is_alike(others, other)
    assert known.echo(others[0], other) == _echo(items, other)
    changed = [others[0], [*others[1][:-1], others[1][-1] + "x"]]
    assert not known.is_alike(changed, other) and not known.is_alike([each[1:] for each in others], other)


def test_it_is_known_where_nothing_can_be_taken_for_something_else() -> None:
    known = listed_of([["n1-a", "x", "s"], ["n1-b", "x", "t"]], [0, 2], [True, False], [("n1-", ""), ("", "")], "[n1-‹zone›, x, ‹zone›]")
    assert known is not None
    assert known.echo(["n2-a", "y", "s"], [("n2-", ""), ("", "")]) == "[n2-‹zone›, y, ‹zone›]"


def test_very_many_items_that_may_be_cut_anywhere_take_no_time() -> None:
    texts = ["a, a, a", "a, a"]
    lists = [[text] * 400 for text in texts]
    assert listed_of(lists, range(400), [True] * 400, [("", "")] * 400, f"[{', '.join(['a'] * 2_000)}x") is None
    assert listed_of(lists, range(400), [True] * 400, [("", "")] * 400, f"[{', '.join(['a, a, a'] * 400)}]") is None
