"""Values inside of other people's files: what an envelope puts in, it takes out, and every value is where it stands."""

import json
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jovial_scaffold.core.parameters.envelopes import Envelope, read_envelope, unwrapped, wrapped_text
from jovial_scaffold.core.text.formats import read_source
from jovial_scaffold.core.text.source import Source
from jovial_scaffold.reports.words import said

names = st.text("abxy ~/", min_size=1, max_size=4)
steps = st.lists(st.sampled_from(("value", "a/b", "x~y", "is")), max_size=3).map(tuple)
scalars = st.one_of(st.integers(-9, 9), st.booleans(), st.text("ab#: ", max_size=5))
values = st.dictionaries(names, st.recursive(scalars, st.lists, max_leaves=4), max_size=4)


def source_of(text: str, name: str) -> Source:
    source, findings = read_source(text.encode(), name)
    assert source is not None and not findings
    return source


@given(values, steps, steps, st.booleans(), st.sampled_from(("yaml", "json", "toml")))
def test_what_is_put_in_comes_out(held: dict[str, Any], around: Any, inner: Any, is_list: bool, notation: str) -> None:
    value = inner or (("value",) if is_list else ())
    envelope = Envelope(around, value, ("name",) if is_list else None, (), {"edition": 2} if around else {})
    if (notation == "toml" and is_list and not around) or (notation != "json" and not held and not around):
        return  # TOML has no list at its root, and YAML says nothing of an empty map
    text = wrapped_text(held, envelope, notation)
    found, wrong = unwrapped(source_of(text, f"x.{notation}"), envelope)
    assert found is not None and not wrong, (text, wrong)
    assert found.value == held
    for name, value in held.items():
        place = found.place((name,))
        if notation == "json":
            assert json.loads(found.text[place.start : place.end]) == value
            assert json.loads(found.text[place.key_start : place.key_end]) == name


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("[]", "An envelope is a map with `envelope`"),
        ("values: /a", "An envelope is a map with `envelope`"),
        ("{envelope: x, valeus: /a}", "has no key `valeus`"),
        ("{envelope: x, values: a}", "is a JSON Pointer"),
        ("{envelope: x, skip: a}", "`skip` is a list of names"),
        ("{envelope: x, around: a}", "`around` is a map"),
        ("{envelope: x, name: /a}", "where the value stands"),
    ],
)
def test_what_is_wrong_with_an_envelope(text: str, says: str) -> None:
    envelope, findings = read_envelope(source_of(text, "e.yaml"))
    assert envelope is None
    assert says in said(findings[0].message)


@pytest.mark.parametrize(
    ("envelope", "text", "says"),
    [
        (Envelope(("a",), (), None, (), {}), '{"b": 1}', "a map of values stands at /a, and nothing is there"),
        (Envelope((), ("v",), ("n",), (), {}), '{"b": 1}', "a list of values stands at the root"),
        (Envelope((), ("v",), None, (), {}), '{"b": {"w": 1}}', "the value of `b` stands at /v, and there is none"),
        (Envelope((), ("v",), ("n",), (), {}), '[{"v": 1}]', "a name stands at /n, and there is none"),
    ],
)
def test_what_an_envelope_says_and_is_not_so(envelope: Envelope, text: str, says: str) -> None:
    _, findings = unwrapped(source_of(text, "x.json"), envelope)
    assert says in said(findings[0].message)
