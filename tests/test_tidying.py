"""The one layout: how texts look then; that no value and no comment is lost, that twice is once, and that what is strange is left alone."""

import random
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from jovial_scaffold.core.templates.sections import SECTIONS
from jovial_scaffold.core.text.differences import differences
from jovial_scaffold.core.text.formats import read_source
from jovial_scaffold.core.text.laid_lines import Strange
from jovial_scaffold.core.text.source import Source
from jovial_scaffold.core.text.tidying import tidied
from tests.fuzz.yaml import made_up, spoilt, texts
from tests.support import load_cases
from tests.test_scripts import KEYS, value, written


def source_of(text: str, name: str = "x.yaml") -> Source:
    source, _ = read_source(text.encode(), name)
    assert source is not None
    return source


@pytest.mark.parametrize("case", load_cases("tidying.yaml"))
def test_a_text_is_laid_out(case: dict[str, Any]) -> None:
    name, order = case.get("file", "x.yaml"), SECTIONS if case.get("order") else ()
    assert tidied(source_of(case["text"], name), order) == case["gives"]
    assert tidied(source_of(case["gives"], name), order) == case["gives"]


def keeps(text: str, name: str, order: tuple[str, ...] = ()) -> str:
    """Lay a text out, and see that it says the same, and is laid out then."""
    source = source_of(text, name)
    made = tidied(source, order)
    again = source_of(made, name)
    assert not again.problems and again.value == source.value, (text, made)
    assert made.count("#") == text.count("#"), (text, made)
    assert tidied(again, order) == made, (text, made)
    return made


@settings(max_examples=1_000, deadline=None)
@given(st.integers(min_value=0, max_value=10**9))
def test_every_value_and_comment_stays(seed: int) -> None:
    chance = random.Random(seed)
    held = {key: value(chance) for key in chance.sample(KEYS, chance.randint(1, 5))}
    name, text = written(chance, held)
    keeps(text, name, chance.choice(((), ("true", "no", "line", "tags"))))


@settings(max_examples=1_500, deadline=None)
@given(st.integers(min_value=0, max_value=10**9), st.booleans())
def test_any_text_is_laid_out_or_left_alone(seed: int, made: bool) -> None:
    text = (made_up if made else spoilt)(random.Random(seed))
    source = source_of(text)
    try:
        tidied(source)
    except Strange:
        return
    keeps(text, "x.yaml")


@pytest.mark.parametrize("number", range(len(texts())))
def test_the_texts_of_the_package_can_be_laid_out(number: int) -> None:
    source = source_of(texts()[number])
    if not source.problems:
        keeps(source.text, "x.yaml")


@settings(max_examples=500, deadline=None)
@given(st.lists(st.sampled_from("abcd ")), st.lists(st.sampled_from("abcd ")), st.booleans())
def test_differences_lead_from_one_text_to_the_other(old: list[str], new: list[str], long: bool) -> None:
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("jovial_scaffold.core.text.differences._EXACT", 0 if long else 10**6)
        found: list[str] = []
        last = 0
        for first, end, start, stop in differences(old, new):
            found += old[last:first] + new[start:stop]
            last = end
        assert found + old[last:] == new
