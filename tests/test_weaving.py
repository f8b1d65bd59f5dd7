"""What the board's page weaves of digits is what stands in the file."""

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as some

from jovial_scaffold.core.templates.compiling import content_text
from jovial_scaffold.core.text.moulds import Woven
from jovial_scaffold.reports.weaving import Slots, UntoldError, digits_in, form_of, is_formed, pieces_of, told_value

_WORDS = some.text(some.sampled_from("ab $‹{}\"\\'⸤⸢1é\n,:"), max_size=6)
_DIGITS = some.lists(some.sampled_from(("0", "7", "12", "007", "999999999")), min_size=3, max_size=3)
_TEXTS = some.lists(_WORDS | some.integers(0, 2), min_size=1, max_size=4).filter(lambda each: any(isinstance(piece, int) for piece in each))
_WOVEN = some.builds(lambda pieces: Woven(tuple(pieces)), _TEXTS)
_INTEGERS = some.builds(lambda number: Woven((number,), is_integer=True), some.integers(0, 2))
_LISTS = some.lists(_WOVEN | _INTEGERS | _WORDS | some.integers(0, 9) | some.booleans(), max_size=3)
_CONTENTS = _WOVEN | _WORDS | _LISTS | some.dictionaries(some.sampled_from("abc"), _WOVEN | _WORDS | _LISTS, max_size=3)


def _cast(woven: Any, digits: list[str]) -> Any:
    """What stands in the file of a resource with these digits."""
    if isinstance(woven, Woven):
        text = woven.text(digits)
        return int(text) if woven.is_integer else text
    if isinstance(woven, dict):
        return {key: _cast(item, digits) for key, item in woven.items()}
    return [_cast(item, digits) for item in woven] if isinstance(woven, list) else woven


def _canonical(digits: list[str]) -> list[str]:
    return [str(int(each)) for each in digits]  # of integers, nothing else is cast


@given(_CONTENTS, _DIGITS)
def test_texts_are_those_of_the_file(woven: Any, digits: list[str]) -> None:
    slots, digits = Slots(), _canonical(digits)
    pieces = pieces_of(woven, slots)
    if pieces is None:
        return  # the page is told the text
    sent = [digits[each] for each in slots.numbers]
    text = "".join(piece if isinstance(piece, str) else sent[piece] for piece in pieces)
    written = content_text(_cast(woven, digits))
    assert text == written or (next(digits_in(woven), None) is None and not written.isprintable())
    assert {*slots.numbers} == {*digits_in(woven)}, "and no digits are sent that are not needed"


@given(some.dictionaries(some.sampled_from("abc"), _WOVEN | _INTEGERS | _LISTS | _WORDS, max_size=3), _DIGITS)
def test_constants_are_those_of_the_file(content: dict[str, Any], digits: list[str]) -> None:
    slots, digits = Slots(), _canonical(digits)
    value = _cast(content, digits)
    told = [name for name, woven in content.items() if not is_formed(woven)]
    form = form_of(
        value,
        (),
        {(name,): woven for name, woven in content.items() if name not in told},
        {(name,): at for at, name in enumerate(told)},
        slots,
    )
    sent, values = [digits[each] for each in slots.numbers], [told_value(value[name]) for name in told]
    made = _made(form, sent, values)
    assert made == {name: told_value(item) for name, item in value.items()}
    assert [type(each) for each in made.values()] == [type(told_value(each)) for each in value.values()]


def _made(form: list[Any], digits: list[str], values: list[Any]) -> Any:
    """As pages/unfolding.js does."""
    kind, what = form
    if kind == "map":
        return {name: _made(each, digits, values) for name, each in what.items()}
    if kind == "list":
        return [_made(each, digits, values) for each in what]
    if kind == "text":
        return "".join(each if isinstance(each, str) else digits[each] for each in what)
    return values[what] if kind == "told" else int(digits[what]) if kind == "integer" else what


@pytest.mark.parametrize(
    ("value", "told"),
    [
        ("plain", "plain"),
        (2**53, {"": "9007199254740992"}),
        (-(2**53) + 1, -(2**53) + 1),
        (2.0, {"": "2.0"}),
        ("ünï", {"": "ünï"}),
        (" é ", {"": '" é "', "=": "é"}),
        ([1, "a"], [1, "a"]),
        (["é"], {"": "[é]"}),
        ({"a": [{"b": None}]}, {"a": [{"b": None}]}),
    ],
)
def test_what_a_page_cannot_write_by_itself_is_told(value: Any, told: Any) -> None:
    assert told_value(value) == told


def test_a_map_with_an_empty_key_is_not_told() -> None:
    with pytest.raises(UntoldError):
        told_value({"a": {"": 1}})
