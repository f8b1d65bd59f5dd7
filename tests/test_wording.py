"""Resources that are laid out alike have their values in the same lines, whatever words they have."""

from collections.abc import Iterator
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as some

from jovial_scaffold.core.text.outline import Outline
from jovial_scaffold.core.text.source import Pointer, Source
from jovial_scaffold.core.text.yaml_reader import locate_yaml, read_yaml
from jovial_scaffold.reports.wording import is_word, layout_of, structure_of

_SHORT = (
    "kar",
    "5",
    "true",
    "~",
    '"a: b"',
    "'it''s'",
    "[kar, 5]",
    "[rinne, 7]",
    "{a: kar, b: 5}",
    '{a: "x}"}',
    "kar # told",
    "[] # [",
    "http://kar",
)
_LONG = (
    '"two\n        lines"',
    "two\n        lines",
    "[kar,\n        5]",
    "[\n        kar, 5]",
    "|\n        kar\n        5",
    ">-\n        kar",
)
_LATER = ("\n        kar", "# told\n        kar", "  # told\n\n        kar", "")
_KEYS = ("name", "tags", "wait_hours", "$when", '"q k"', "a/b", "a-b")
_DOUBTFUL = ('{a: "x}"}', "[] # [")
_HOLE = "\0"


@some.composite
def _forms(draw: Any) -> str:
    """An entry with holes for values."""
    lines = ["  r (t):" + draw(some.sampled_from(("", "  # told")))]
    for key in draw(some.lists(some.sampled_from(_KEYS), min_size=1, max_size=3, unique=True)):
        lines += draw(some.sampled_from(([], [], ["    # told of"], [""], ["      # further in"])))
        inner = draw(
            some.sampled_from(
                ([], ["      a: \0", "      b: \0"], ["      - \0"] * 2, ["      - a: \0", "        b: \0"] * 2, ["      - {a: \0}"])
            )
        )
        lines += [f"    {key}:", *inner] if inner else [f"    {key}: \0"]
    return "\n".join(lines) + "\n" + draw(some.sampled_from(("", "\n", "\n  # of the next one\n")))


@some.composite
def _pairs(draw: Any) -> tuple[str, str]:
    """Two entries of one form."""
    pieces = draw(_forms()).split(_HOLE)
    found = ["", ""]
    for number, piece in enumerate(pieces):
        alike = draw(some.sampled_from((_SHORT, _SHORT, _SHORT, (*_SHORT, *_LONG, *_LATER))))
        first = draw(some.sampled_from(alike))
        for side, value in enumerate((first, first if draw(some.booleans()) else draw(some.sampled_from(alike)))):
            found[side] += piece + (value if number < len(pieces) - 1 else "")
    return found[0], found[1]


def _places(value: Any, at: Pointer) -> Iterator[Pointer]:
    yield at
    for step, item in value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ():
        yield from _places(item, (*at, step))


def _read(entry: str) -> tuple[Source, Any] | None:
    text, outline = f"resources:\n{entry}", Outline()
    value, problems = read_yaml(text, outline)
    if problems or ("resources", "r (t)") not in outline.starts:
        return None
    source = Source("t.yaml", text, value, locate_yaml)
    source.outline = outline
    return source, value["resources"]["r (t)"]


@settings(max_examples=600)
@given(_pairs())
def test_what_is_laid_out_alike_stands_in_the_same_lines(entries: tuple[str, str]) -> None:
    read = [_read(each) for each in entries]
    layouts = {layout_of(each) for each in entries}
    sides = [each for each in read if each is not None]
    if len(sides) < len(read) or None in layouts or len(layouts) > 1 or len({structure_of(held, []) for _, held in sides}) > 1:
        return
    lines = [[(place, source.value_line(place)) for place in _places(held, ("resources", "r (t)"))] for source, held in sides]
    assert lines[0] == lines[1]


@pytest.mark.parametrize("value", [*_LONG, *_DOUBTFUL])
def test_what_may_take_several_lines_is_not_looked_at(value: str) -> None:
    assert layout_of(f"  r (t):\n    name: {value}\n    tags: {{a: kar}}\n") is None


@pytest.mark.parametrize("value", [each for each in _SHORT if each not in _DOUBTFUL])
def test_what_takes_one_line_is(value: str) -> None:
    assert layout_of(f"  r (t):\n    name: {value}\n\n  # of the next one\n") == ("    name:=",)


def test_what_words_a_page_shows_as_they_stand() -> None:
    odd = ("é", "a\tb", " a", "a ", "$${a}", "x" * 101)
    assert [each for each in ("", "kar", "a: b", '"', "\\", "${a}", "x" * 100, *odd) if not is_word(each)] == [*odd]


def test_values_that_say_more_than_words_are_told_apart() -> None:
    words: list[str] = []
    assert structure_of({"a": "kar", "b": [1, True, None, 2.5]}, words) == (
        ("a", str),
        ("b", (list, int, (bool, "True"), (type(None), "None"), (float, "2.5"))),
    )
    assert words == ["kar", "1"]
    assert structure_of([2**60], []) is None
