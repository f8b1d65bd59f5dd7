"""Documents filled in: what stands where a placeholder was, in every notation."""

from typing import Any

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from jovial_scaffold.core.expressions.errors import SyntaxProblem
from jovial_scaffold.core.expressions.placeholders import Programs
from jovial_scaffold.core.rendering.filling import NamedValues, fill
from jovial_scaffold.core.templates.documents import Brackets, document_content
from jovial_scaffold.core.templates.notations import notation_of, placed
from jovial_scaffold.core.text.files import whole_text
from jovial_scaffold.core.text.formats import format_of
from jovial_scaffold.core.text.yaml_reader import read_yaml
from tests.support import load_cases

DOCUMENT_VALUES = {
    "n": 3,
    "on": True,
    "line": "alp",
    "evil": "a\nb: c # d",
    "quote": 'it\'s "it"',
    "flow": "a, b: c}",
    "tags": {"a": "b"},
    "two": "p\nq",
    "space": "  ",
    "control": "\x07\x85",
}


@pytest.mark.parametrize("case", load_cases("documents.yaml"))
def test_documents(case: dict[str, Any]) -> None:
    source = whole_text(case["text"], case["file"])
    try:
        parts = placed(document_content(source.text, Programs(), Brackets(*case.get("marks", ()))), notation_of(case["file"]))
    except SyntaxProblem as problem:
        assert problem.id == case["wrong"]
        return
    filled, findings = fill(source, parts, NamedValues(DOCUMENT_VALUES), case["file"])
    assert [each.id for each in findings] == ([case["wrong"]] if "wrong" in case else [])
    if "wrong" not in case:
        assert filled.masked == case["gives"]
        form = format_of(case["file"])
        assert form is None or form.read(filled.masked) == (case["reads"], [])


#: places of a placeholder, what stands before and after it, and how the text ends
PLACES = [
    ("v: @", "", "", ""),
    ("v: x@y", "x", "y", ""),
    ("v: '@'", "", "", ""),
    ("v: 'x@y'", "x", "y", ""),
    ('v: "@"', "", "", ""),
    ('v: "x@"', "x", "", ""),
    ("v: |\n  @", "", "", "\n"),
    ("v: |-\n  x@y", "x", "y", ""),
    ("v: >\n  x@", "x", "", "\n"),
    ("v: >-\n  @", "", "", ""),
]


@given(st.text(min_size=1), st.sampled_from(PLACES))
@example(" \n# x", PLACES[6])
def test_text_in_a_document_stays_one_text(given_text: str, place: tuple[str, str, str, str]) -> None:
    written, before, after, end = place
    text = f"a: 1\n{written.replace('@', '${name}')}\nb: 2\n"
    parts = placed(document_content(text, Programs()), "YAML")
    filled, findings = fill(whole_text(text, "a.yaml"), parts, NamedValues({"name": given_text}), "a.yaml")
    assert not findings
    assert read_yaml(filled.masked) == ({"a": 1, "v": f"{before}{given_text}{after}{end}", "b": 2}, []), filled.masked
