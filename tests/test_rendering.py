"""Mini templates and what they render; schemas and what they say; rules and comparisons on what was rendered."""

import operator
from collections.abc import Callable
from typing import Any

import pytest
import yaml
from hypothesis import given
from hypothesis import strategies as st

from jovial_scaffold import Project
from jovial_scaffold.core.changes.matrix import same
from jovial_scaffold.core.expressions.errors import EvaluationError
from jovial_scaffold.core.expressions.evaluation import evaluate
from jovial_scaffold.core.expressions.functions import FUNCTIONS
from jovial_scaffold.core.expressions.marked import to_json
from jovial_scaffold.core.expressions.parser import parse
from jovial_scaffold.core.expressions.pending import Pending
from jovial_scaffold.core.expressions.residuals import binary
from jovial_scaffold.core.expressions.values import Secret
from jovial_scaffold.core.parameters.typing import as_declared, from_text
from jovial_scaffold.core.schemas.navigation import subschema
from jovial_scaffold.core.schemas.shapes import annotated, filled, shape_of
from jovial_scaffold.core.schemas.validation import SchemaError, Validator
from jovial_scaffold.core.text.source import pointer_text
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.reports.rendering import cell, line_texts
from jovial_scaffold.reports.terminal import Style, cells, cut, cut_apart, cut_within, wrapped
from jovial_scaffold.reports.words import said, text_of, visible
from tests.support import Write, in_memory, load_cases

PROJECT = """project: trial
template: line.yaml
catalogs: [fulmar]
environments: {sandbox: {parameters: [values.yaml], labels: {tier: low}}}
"""


@pytest.mark.parametrize("case", load_cases("rendering.yaml"))
def test_rendering(write: Write, case: dict[str, Any]) -> None:
    files = {"jovial.yaml": PROJECT, "line.yaml": case["template"], "values.yaml": yaml.safe_dump(case.get("with", {}))}
    rendering = Project.load(write(files)).render("sandbox")
    assert [finding for finding in rendering.findings if finding.level == "error"] == []
    assert {address: to_json(resource.properties) for address, resource in rendering.resources.items()} == case["gives"]


@pytest.mark.parametrize("case", load_cases("schemas.yaml"))
def test_schema(case: dict[str, Any]) -> None:
    found = Validator(case["schema"]).violations(case["value"])
    assert [(v.id, pointer_text(v.pointer)) for v in found] == [(identity, pointer) for identity, pointer, _ in case["said"]]
    for violation, (_, _, part) in zip(found, case["said"], strict=True):
        assert part in f"{said(violation.message)} {said(violation.hint)}" and "{name}" in violation.message.template


@pytest.mark.parametrize(
    ("schema", "part"),
    [
        ({"type": "strin"}, "not a type of JSON Schema"),
        ({"minimum": "x"}, "`minimum`"),
        ({"$ref": "file:///etc/passwd"}, "reference"),
        ({"pattern": "(?=a)"}, "pattern"),
    ],
)
def test_schemas_that_are_none(schema: Any, part: str) -> None:
    with pytest.raises(SchemaError) as raised:
        Validator(schema)
    assert part in said(raised.value.message)


@pytest.mark.parametrize(
    ("value", "pointers"),
    [
        ({"a": Pending(["x:id"]), "b": 1}, []),
        ({"a": Pending(["x:id"]), "b": "x"}, [("b",)]),
        ({"a": UNKNOWN, "b": 1}, []),
        ({"a": Secret("long-enough"), "b": 1}, []),
        ({"a": Secret("x"), "b": 1}, [("a",)]),
        ({"b": 1}, [("a",)]),
        ({"a": "abc", "b": 1, "c": [Pending(["x:id"]), 1]}, []),
    ],
)
def test_marks_are_judged_as_far_as_possible(value: Any, pointers: list[Any]) -> None:
    schema = {
        "properties": {
            "a": {"type": "string", "minLength": 3},
            "b": {"type": "integer"},
            "c": {"uniqueItems": True, "contains": {"const": 5}},
        },
        "required": ["a"],
    }
    found = Validator(schema).violations(value)
    assert [violation.pointer for violation in found] == pointers
    assert all(
        ("long-enough" not in said(violation.message) and '"x"' not in said(violation.message)) or violation.pointer == ("b",)
        for violation in found
    )


SCHEMA = {
    "properties": {
        "size": {"default": "s"},
        "id": {"readOnly": True},
        "password": {"writeOnly": True},
        "disks": {"items": {"properties": {"kind": {"default": "slow"}, "key": {"writeOnly": True}}}},
        "old": {"deprecated": True},
        "labels": {"additionalProperties": {"properties": {"on": {"default": True}}}},
    }
}


def test_defaults_are_filled_in_at_every_depth() -> None:
    shape = shape_of(SCHEMA)
    value = {"disks": [{}, {"kind": "fast"}], "labels": {"a": {}}}
    expected = {"size": "s", "id": Pending(["m:id"]), "disks": [{"kind": "slow"}, {"kind": "fast"}], "labels": {"a": {"on": True}}}
    assert same(filled(shape, value, "m"), expected)
    assert value == {"disks": [{}, {"kind": "fast"}], "labels": {"a": {}}}


def test_annotations_mark_secrets_and_note_the_rest() -> None:
    notes: list[Any] = []
    marked = annotated(shape_of(SCHEMA), {"id": 1, "password": "x", "disks": [{"key": "y"}], "old": 1}, (), notes)
    assert same(marked, {"id": 1, "password": Secret("x"), "disks": [{"key": Secret("y")}], "old": 1})
    assert sorted(notes) == [("deprecated", ("old",)), ("read-only", ("id",))]


def test_a_schema_that_refers_to_itself_ends() -> None:
    schema = {"$ref": "#/$defs/node", "$defs": {"node": {"properties": {"next": {"$ref": "#/$defs/node"}, "x": {"default": 1}}}}}
    assert filled(shape_of(schema), {"next": {"next": {}}}, "a") == {"x": 1, "next": {"x": 1, "next": {"x": 1}}}
    assert subschema(schema, ("next", "next", "x"))[0] == {"default": 1}


@pytest.mark.parametrize(
    ("text", "schema", "value"),
    [
        ("3", {"type": "integer"}, 3),
        ("3", {"type": "number"}, 3),
        ("3", {"type": "string"}, "3"),
        ("3", {}, "3"),
        ("true", {"type": "boolean"}, True),
        ("yes", {"type": "boolean"}, "yes"),
        ("null", {"type": ["integer", "null"]}, None),
        ("[1, 2]", {"type": "array"}, [1, 2]),
        ('{"a": 1}', {"$ref": "#/types/t", "types": {"t": {"type": "object"}}}, {"a": 1}),
        ("[1", {"type": "array"}, "[1"),
        ("2", {"enum": [1, 2]}, 2),
        ("9223372036854775808", {"type": "integer"}, "9223372036854775808"),
    ],
)
def test_texts_are_read_by_the_declared_type(text: str, schema: dict[str, Any], value: Any) -> None:
    assert from_text(text, schema) == value and type(from_text(text, schema)) is type(value)


@given(
    st.recursive(
        st.integers(-9, 9) | st.floats(-9, 9) | st.booleans() | st.text("ab", max_size=2), lambda x: st.lists(x, max_size=3), max_leaves=5
    )
)
def test_reading_by_declaration_changes_forms_and_never_values(value: Any) -> None:
    for kind in ("integer", "number"):
        schema = {"$ref": "#/$defs/x", "$defs": {"x": {"type": [kind, "array"], "items": {"$ref": "#/$defs/x"}}}}
        assert as_declared(value, schema) == value


def test_values_in_a_cell() -> None:
    shown = [
        cell(value)
        for value in (
            "a",
            "",
            "12",
            "true",
            " a",
            1,
            2.5,
            True,
            None,
            [1, "b"],
            {"b": 1, "a": [2]},
            Secret("x"),
            binary("+", Pending(["b:id"]), Pending(["a:id"])),
        )
    ]
    assert shown == [
        "a",
        '""',
        '"12"',
        '"true"',
        '" a"',
        "1",
        "2.5",
        "true",
        "null",
        "[1, b]",
        "{a: [2], b: 1}",
        "‹secret›",
        "‹b.id + a.id›",
    ]


@given(st.text(max_size=30), st.integers(4, 20))
def test_cut_texts_fit(text: str, width: int) -> None:
    assert cells(cut(visible(text), width)) <= width and cells(cut_within(visible(text), width)) <= width


_LONG_TEXTS = st.lists(st.sampled_from(["a", "b", "é", "漢", "‹x›", "…", " ", "longer words ", "0" * 9]), max_size=30).map("".join)


@given(
    st.lists(_LONG_TEXTS, min_size=1, max_size=6), st.lists(st.integers(9, 40), min_size=6, max_size=6), st.sampled_from([cut, cut_within])
)
def test_different_texts_never_read_the_same(texts: list[str], widths: list[int], cutting: Callable[[str, int], str]) -> None:
    shown = cut_apart(texts, widths[: len(texts)], cutting)
    assert all(map(operator.le, map(cells, shown), widths))
    assert len(set(zip(texts, shown, strict=True))) == len(set(shown))


@pytest.mark.parametrize(
    ("lines", "told"),
    [
        (["  a: 1", "  a: 2"], ["a: 1", "a: 2"]),
        (["  a: ‹secret›"], ["a: ‹secret›"]),
        (["  a", "    a"], ['"  a"', '"    a"']),
        (["a", "a"], ["a", "a"]),
    ],
)
def test_lines_of_documents_read_differently_where_they_are_different(lines: list[str], told: list[str]) -> None:
    assert line_texts(lines) == told


@given(st.text(max_size=60))
def test_visible_text_holds_nothing_that_steers_a_terminal(text: str) -> None:
    assert all(ord(char) >= 32 and not 0x7F <= ord(char) < 0xA0 and char not in "\u2028\u2029\u202a\u202e\u2066" for char in visible(text))


def test_lines_are_wrapped_around_what_belongs_together() -> None:
    assert wrapped("a bb `c d e f` g", 8, "  ") == ["  a bb", "  `c d e f`", "  g"]
    assert (
        Style(colours=True, width=80).paint("error", "x") == "\x1b[1;31mx\x1b[0m"
        and Style(colours=False, width=80).paint("error", "x") == "x"
    )


def test_resources_are_called_by_their_names_whatever_is_done_with_them() -> None:
    files = {
        "jovial.yaml": "project: p\ntemplate: t.yaml\ncatalogs: [fulmar]\nmodules: {pair: pair.yaml}\nenvironments: {live: {parameters: []}}\n",
        "pair.yaml": "resources: {one (fulmar.queue): {name: one}}\noutputs: {name: {value: '${one.name}'}}\n",
        "t.yaml": (
            "resources:\n  net (fulmar.queue): {name: n}\n  gone (fulmar.queue): {$when: 1 > 2, name: g}\n  twin (pair): {}\n"
            "  many (fulmar.queue): {$per: {n: lists.range(2)}, name: 'l-${n}'}\n"
        ),
    }
    scope, told = in_memory(files).scope("live"), {}
    operators = ("+", "-", "*", "/", "%", "<", "==", "&&", "||", "in")
    for name in ("net", "gone", "twin", "many", "[net]", "{'a': many}"):
        forms = [
            f"{name}[1]",
            f"{name}[true]",
            f"{name}.x",
            f"{{{name}: 1}}",
            f"-{name}",
            f"!{name}",
            f"{name} ? 1 : 2",
            f"{name}.all(a, a)",
        ]
        forms += [form for each in operators for form in (f"1 {each} {name}", f"{name} {each} 'x'")]
        for function, is_method in FUNCTIONS:
            for count in range(4):
                given = ", ".join([name, "1", "'a'", "2"][:count])
                forms += [f"{name}.{function}({given})", f"'a'.{function}({given})"] if is_method else [f"{function}({given})"]
        for form in forms:
            try:
                evaluate(parse(form), scope)
            except EvaluationError as error:
                told[form] = f"{text_of(error.message)} {text_of(error.hint)}"
    assert len(told) > 1_000 and not {form: text for form, text in told.items() if "object at" in text or "jovial_scaffold" in text}
    assert told["many[1]"] == 'What the loop `many` has is named by texts, and this is an int: 1. Write ["1"].'
    assert told["net[true]"] == "What the resource `net` has is named by texts, and this is a bool: true. "
    assert told["{twin: 1}"] == "A map cannot be a key of a map: the use `twin`. "
