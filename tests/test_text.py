"""Reading files: tables of texts with their values or problems, and that places lead back to what was written."""

import json
from typing import Any

import pytest
import yaml
from hypothesis import given
from hypothesis import strategies as st

from jovial_scaffold.core.text.alignment import source_offsets
from jovial_scaffold.core.text.formats import format_of, parsed
from jovial_scaffold.core.text.patterns import pattern
from jovial_scaffold.core.text.source import Pointer
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.words import nearest, say
from jovial_scaffold.machine.writing import write
from jovial_scaffold.reports.words import listed, said, shown
from tests.support import load_cases


@pytest.mark.parametrize("case", load_cases("reading.yaml"))
def test_reading(case: dict[str, Any]) -> None:
    form = format_of(f"x.{case['format']}")
    assert form is not None
    source, findings = parsed(case["text"], "x", form)
    if "gives" in case:
        assert findings == [] and source.value == case["gives"] and repr(source.value) == repr(case["gives"])
        return
    assert [[f.id, f.span.line, f.span.column] for f in findings if f.span] == case["problems"]
    assert case.get("hint", "") in said(findings[0].hint)
    if "keeps" in case:
        assert source.broken and _known(source.value) == case["keeps"]


def _known(value: Any) -> Any:
    """A value without what is unknown."""
    if isinstance(value, dict):
        return {key: _known(item) for key, item in value.items() if item is not UNKNOWN}
    return [_known(item) for item in value if item is not UNKNOWN] if isinstance(value, list) else value


scalars = (
    st.text(st.characters(codec="utf-8", exclude_categories=["Cs", "Cc", "Zl", "Zp"]), max_size=12)
    | st.integers(-(2**63), 2**63 - 1)
    | st.booleans()
    | st.none()
)
trees = st.recursive(
    scalars, lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text("abc -_#:", max_size=5), inner, max_size=3), max_leaves=12
)


def leaves(value: Any, pointer: Pointer = ()) -> list[tuple[Pointer, Any]]:
    if isinstance(value, dict):
        return [leaf for key, item in value.items() for leaf in leaves(item, (*pointer, key))]
    if isinstance(value, list):
        return [leaf for index, item in enumerate(value) for leaf in leaves(item, (*pointer, index))]
    return [(pointer, value)]


@given(trees)
def test_json_is_read_the_same_as_json_and_as_yaml(value: Any) -> None:
    text = json.dumps(value, ensure_ascii=False)
    for name in ("x.json", "x.yaml"):
        form = format_of(name)
        assert form is not None
        source, findings = parsed(text, name, form)
        assert findings == [] and source.value == value


@given(trees, st.sampled_from([None, "'", '"', "|", ">"]), st.sampled_from([20, 1000]))
def test_every_character_of_a_text_is_found_where_it_was_written(value: Any, style: str | None, width: int) -> None:
    text = yaml.dump(value, default_style=style, allow_unicode=True, width=width, sort_keys=False)
    form = format_of("x.yaml")
    assert form is not None
    source, _ = parsed(text, "x.yaml", form)
    for pointer, leaf in leaves(source.value):
        place = source.place(pointer)
        if isinstance(leaf, str) and place.style:
            raw = text[place.start : place.end]
            offsets = source_offsets(raw, place.style, source.parent_column(place))
            assert len(offsets) >= len(leaf) + 1
            for char, offset in zip(leaf, offsets, strict=False):
                assert raw[offset] == char or raw[offset] in "\\ \n" or char in " \n"


@pytest.mark.parametrize(
    ("text", "name", "pointer", "part", "written"),
    [
        ('a: "x\\ty ${b}"', "x.yaml", ("a",), "${b}", "${b}"),
        ("a: 'it''s ${b}'", "x.yaml", ("a",), "${b}", "${b}"),
        ("a: |\n    one\n    two ${b}\n", "x.yaml", ("a",), "${b}", "${b}"),
        ("a: >-\n  one\n  two ${b}\n\n  three ${c}\n", "x.yaml", ("a",), "${c}", "${c}"),
        ("a: one\n  two ${b}\n", "x.yaml", ("a",), "${b}", "${b}"),
        ('{"a": ["\\u00e9 ${b}"]}', "x.json", ("a", 0), "${b}", "${b}"),
        ("a = 'x ${b}'", "x.toml", ("a",), "${b}", "${b}"),
        ('[t]\na = """\nx ${b}"""', "x.toml", ("t", "a"), "${b}", "${b}"),
        ("A='x ${b}'", "x.env", ("A",), "${b}", "${b}"),
    ],
)
def test_a_part_of_a_text_is_placed(text: str, name: str, pointer: Pointer, part: str, written: str) -> None:
    form = format_of(name)
    assert form is not None
    source, findings = parsed(text, name, form)
    value = source.value
    for step in pointer:
        value = value[step]
    start = value.index(part)
    span = source.inner_span(pointer, start, start + len(part))
    assert findings == [] and span.line == span.end_line
    assert source.line(span.line)[span.column - 1 : span.end_column - 1] == written


def test_hidden_values_are_not_shown_in_lines() -> None:
    form = format_of("x.yaml")
    assert form is not None
    source, _ = parsed("a: 1\nb: {password: edelweiss, c: 2}\n", "x.yaml", form)
    source.hide(("b", "password"))
    assert source.line(2) == "b: {password: ‹secret›, c: 2}"


def test_a_failed_write_leaves_the_file_as_it_was(tmp_path: Any) -> None:
    target = tmp_path / "out.json"
    target.write_text("old")
    with pytest.raises(UnicodeEncodeError):
        write(target, "new \ud800")
    assert target.read_text() == "old" and [path.name for path in tmp_path.iterdir()] == ["out.json"]
    write(target, "new", private=True)
    assert target.read_text() == "new" and target.stat().st_mode & 0o777 == 0o600


def test_wording() -> None:
    assert listed(["a"]) == "a" and listed(["a", "b", "c"], "or") == "a, b or c"
    assert said(nearest("sise", ["size", "name"])) == "Did you mean `size`?"
    assert said(nearest("zzz", ["size"], say("None."))) == "None."
    assert shown("x" * 100).endswith("…") and len(shown("x" * 100)) == 60
    assert pattern("gates/*").match("gates/kes") and not pattern("gates/?").match("gates/kes") and not pattern("a.b").match("axb")
