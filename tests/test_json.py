"""JSON is written by a fast writer where that gives what the careful way gives, byte for byte but for how numbers with fractions are spelt."""

import json
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from jovial_scaffold.core.expressions.marked import json_lines, to_json
from jovial_scaffold.core.expressions.pending import Pending
from jovial_scaffold.core.expressions.values import Secret
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.reports.machine import json_text

_KEYS = st.sampled_from(("a", "b c", "$", "$secret", "$$x", "z\n", "é", '"$q"')) | st.text(max_size=4)
_PENDING = st.sampled_from((Pending(["a:id"]), Pending(["b:url", "a:id"], template='${a.id}/"${b.url}'), Pending(["$x:id"])))
_SCALARS = (
    st.none()
    | st.booleans()
    | st.integers(-(2**70), 2**70)
    | st.text(max_size=6)
    | st.sampled_from(("$x", '"$"', "\ud800", "\\", "\u2028"))
)
_MARKS = _PENDING | st.builds(Secret, st.text(max_size=3)) | st.just(UNKNOWN)
_VALUES = st.recursive(
    _SCALARS | _MARKS, lambda inner: st.lists(inner, max_size=3) | st.dictionaries(_KEYS, inner, max_size=3), max_leaves=12
)


@settings(max_examples=400, deadline=None)
@given(st.dictionaries(_KEYS, _VALUES, max_size=4), st.integers(0, 3))
def test_lines_are_what_the_careful_way_writes(value: dict[str, Any], depth: int) -> None:
    careful = json.dumps(to_json(value), ensure_ascii=False, indent=2).replace("\n", "\n" + "  " * depth)
    try:
        (text,) = json_lines([value], depth)
    except TypeError:
        needs_care = any(sign in careful for sign in ('"$', "\ud800")) or any(len(word) > 18 for word in careful.split())
        assert needs_care, careful
    else:
        assert text.decode() == careful


@settings(max_examples=200, deadline=None)
@given(st.recursive(_SCALARS, lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=4), inner, max_size=3)))
def test_documents_are_read_as_what_was_written(document: Any) -> None:
    text = json_text(document)
    assert json.loads(text) == document and not set(text) & {"\ud800", "\u2028", "\x7f", "\x9b"}


@pytest.mark.parametrize("number", [0.1, 1.0, 1e16, 1e-7, 123456789.125, -0.0, 1.7976931348623157e308])
def test_numbers_with_fractions_stay_what_they_are(number: float) -> None:
    (text,) = json_lines([{"n": number}], 0)
    assert json.loads(text)["n"] == number == json.loads(json_text(number))
