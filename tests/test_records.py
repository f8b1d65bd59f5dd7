"""Records, and patterns that are compiled later: both are what Python's own would be."""

import copy
import pickle
import re
from dataclasses import dataclass, field
from typing import Any

import pytest

from jovial_scaffold.core.records import record, replace, value_record
from jovial_scaffold.core.regexes import regex


@record
class Plain:
    """A record of which two are never equal."""

    name: str
    count: int = 3
    parts: list[int] = field(default_factory=list)

    @property
    def twice(self) -> int:
        """Something that is computed."""
        return 2 * self.count


@value_record
class Point:
    """A record of which two are equal where their fields are."""

    x: int
    y: int = 0


@record
class Named(Plain):
    """With a further field."""

    note: str = ""


@dataclass(frozen=True)
class Other:
    """An object of a dataclass."""

    x: int
    y: int = 1


def test_fields_and_what_they_are_by_default() -> None:
    one, two = Plain("a"), Plain("b", 5, [1])
    assert (one.name, one.count, one.parts, one.twice) == ("a", 3, [], 6)
    assert (two.count, two.parts) == (5, [1]) and Plain(name="c", parts=[2]).parts == [2]
    one.parts.append(1)
    assert Plain("a").parts == []  # each has its own
    assert Plain.__match_args__ == ("name", "count", "parts") and Named.__match_args__ == ("name", "count", "parts", "note")  # type: ignore[attr-defined]
    assert (Named("n").note, Named("n", 1, [], "x").note, Named("n").twice) == ("", "x", 6)


@pytest.mark.parametrize(
    "call", [lambda: Plain(), lambda: Plain("a", 1, [], 2), lambda: Plain("a", other=1), lambda: replace(Point(1), z=2)]
)  # type: ignore[call-arg]
def test_fields_that_are_missing_or_unknown(call: Any) -> None:
    with pytest.raises(TypeError):
        call()


def test_equality_and_how_they_show() -> None:
    assert Plain("a") != Plain("a") and Point(1, 2) == Point(1, 2) != Point(2, 1)
    assert len({Point(1), Point(1), Point(2)}) == 2 and Point(1) != Other(1, 0)
    assert repr(Point(1, 2)) == "Point(x=1, y=2)" and "Plain(" not in repr(Plain("secret"))


def test_there_is_no_room_for_anything_else() -> None:
    with pytest.raises(AttributeError):
        Plain("a").other = 1  # type: ignore[attr-defined]


@pytest.mark.parametrize("value", [Point(1, 2), Other(1, 2)])
def test_some_fields_changed(value: Any) -> None:
    changed = replace(value, y=7)
    assert (changed.x, changed.y, value.y) == (1, 7, 2) and type(changed) is type(value)


def test_they_are_sent_and_copied() -> None:
    sent = pickle.loads(pickle.dumps([Point(1, 2), Named("n", 2, [3], "x")]))
    assert sent[0] == Point(1, 2) and (sent[1].parts, sent[1].note) == ([3], "x")
    assert copy.copy(Point(1)) == Point(1)


def test_a_match_takes_them_apart() -> None:
    match Point(1, 2):
        case Point(x, 2):
            assert x == 1
        case _:
            pytest.fail("it is a point")


@pytest.mark.parametrize("text", ["aab", "b", "", "a\nb"])
def test_patterns_give_what_those_of_re_give(text: str) -> None:
    later, now = regex("(a+)(b)?", re.DOTALL), re.compile("(a+)(b)?", re.DOTALL)
    for method in ("match", "search", "fullmatch"):
        found, expected = getattr(later, method)(text), getattr(now, method)(text)
        assert (found and found.groups()) == (expected and expected.groups())
    assert later.sub("x", text) == now.sub("x", text) and later.split(text) == now.split(text)
    assert later.findall(text) == now.findall(text) and (later.pattern, later.flags, later.groups) == (now.pattern, now.flags, now.groups)


def test_a_pattern_that_is_none_is_found_when_it_is_used() -> None:
    with pytest.raises(re.error):
        regex("(").match("x")
    assert regex(b"[0-9]+").findall(b"1 22") == [b"1", b"22"]
