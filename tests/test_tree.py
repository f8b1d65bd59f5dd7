"""The pieces of a text: that nothing is lost whatever the text is, that what is known is a piece of its kind, and what is said about what."""

import random

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from jovial_scaffold.core.text.formats import read_source
from jovial_scaffold.core.text.source import Pointer, Source, value_at
from jovial_scaffold.core.text.tree import Tree
from tests.fuzz.yaml import made_up, spoilt
from tests.test_scripts import KEYS, value, written

NAMES = ("x.yaml", "x.json", "x.toml", "x.env", "x.csv")


def source_of(text: str, name: str) -> Source | None:
    return read_source(text.encode("utf-8", "surrogateescape"), name)[0]


def checked(text: str, name: str) -> Tree | None:
    """The tree of a text that can be read at all, whose pieces follow one another without a gap."""
    source = source_of(text, name)
    if source is None:
        return None
    tree, at = Tree(source), 0
    for piece in tree.pieces:
        assert piece.start == at and piece.end > at, (text, piece)
        at = piece.end
    assert str(tree) == source.text
    assert [piece for line in tree.lines() for piece in line] == [piece for piece in tree.pieces if piece.kind != "space"]
    return tree


@settings(max_examples=1_500, deadline=None)
@given(st.text(max_size=60) | st.text(alphabet="ab: #\n-[]{},'\"=|\\.0\t", max_size=60), st.sampled_from(NAMES))
def test_any_text_is_its_pieces(text: str, name: str) -> None:
    checked(text, name)


@settings(max_examples=800, deadline=None)
@given(st.integers(min_value=0, max_value=10**9))
def test_what_is_well_formed_has_a_piece_for_each_value_and_comment(seed: int) -> None:
    chance = random.Random(seed)
    name, text = written(chance, {key: value(chance) for key in chance.sample(KEYS, chance.randint(1, 5))})
    tree = checked(text, name)
    assert tree is not None and not any(piece.kind == "broken" for piece in tree.pieces)
    placed = {piece.pointer for piece in tree.pieces if piece.kind in ("key", "value")}
    waiting: list[Pointer] = [()]
    while waiting:
        pointer = waiting.pop()
        held = value_at(tree.source.value, pointer, None) if pointer else tree.source.value
        if isinstance(held, dict | list) and held:
            waiting += [(*pointer, key) for key in (held if isinstance(held, dict) else range(len(held)))]
        elif isinstance(held, int | float) and pointer:
            assert pointer in placed, (text, pointer)
    for piece in tree.pieces:
        if piece.kind == "comment":
            assert tree.text(piece).startswith("#")


@settings(max_examples=400, deadline=None)
@given(st.integers(min_value=0, max_value=10**9), st.booleans())
def test_a_spoilt_text_keeps_its_pieces(seed: int, made: bool) -> None:
    checked((made_up if made else spoilt)(random.Random(seed)), "x.yaml")


@pytest.mark.parametrize(
    ("name", "text", "kinds"),
    [
        (
            "x.yaml",
            'a: "x # y" # c\nb: [1,2]\n',
            ["key a", "sign :", 'value "x # y"', "comment # c", "key b", "sign :", "sign [", "value 1", "sign ,", "value 2", "sign ]"],
        ),
        (
            "x.yaml",
            "a: | # head\n  # no comment\n  x\n# end\n",
            ["key a", "sign :", "sign |", "comment # head", "value # no comment\n  x", "comment # end"],
        ),
        ("x.yaml", "a: 1\nb: {x: 1\nc: 2\n", ["key a", "sign :", "value 1", "key b", "sign :", "broken {", "broken x:", "broken 1", "key c", "sign :", "value 2"]),
        ("x.json", '{"a": [true]}', ["sign {", 'key "a"', "sign :", "sign [", "value true", "sign ]}"]),
        ("x.toml", '["a#b"]\nc = 1#d\n', ["sign [", 'key "a#b"', "sign ]", "key c", "sign =", "value 1", "comment #d"]),
        ("x.env", "# t\nexport PORT='a#b' # c\nX=y#z # d\n", ["comment # t", "sign export", "key PORT", "sign =", "value 'a#b'", "comment # c", "key X", "sign =", "value y#z", "comment # d"]),
        ("x.env", "export port=1\n", ["sign export", "key port", "sign =", "value 1"]),
        ("x.csv", "a,b\n1,#2\n", ["sign a,b", "value 1,#2"]),
    ],
)  # fmt: skip
def test_a_text_in_pieces(name: str, text: str, kinds: list[str]) -> None:
    tree = checked(text, name)
    assert tree is not None
    assert [f"{piece.kind} {tree.text(piece).strip()}" for piece in tree.pieces if piece.kind != "space"] == kinds


def test_columns_are_counted_as_editors_do() -> None:
    tree = checked("a: '🚞' # here\n", "x.yaml")
    assert tree is not None
    comment = next(piece for piece in tree.pieces if piece.kind == "comment")
    assert (comment.start, tree.columns(comment)) == (7, (8, 14))


def test_comments_belong_to_what_stands_below_them() -> None:
    tree = checked("# top\n\n# of a\na:\n  # in a\n  b: 1 # b\n\n# loose\n\n# of c\nc: 2\n# end\n", "x.yaml")
    assert tree is not None
    assert tree.said_of() == {
        (): ["# top", "# end"],
        ("a",): ["# of a", ("a",), "# in a", ("a", "b"), "# b", "# loose"],
        ("c",): ["# of c", ("c",)],
    }
    assert tree.said()[:3] == ["# top", "# of a", ("a",)]
