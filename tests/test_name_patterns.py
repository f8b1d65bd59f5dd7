"""What a schema says of names by patterns (`patternProperties`): secrets, effects, aspects, keys of lists and conversions follow it."""

import json
from typing import Any

import jsonschema_rs
import pytest
from hypothesis import given
from hypothesis import strategies as some

from jovial_scaffold.core.changes.aspects import aspect_of
from jovial_scaffold.core.changes.changing import change_effect, possible_effect
from jovial_scaffold.core.expressions.values import Secret
from jovial_scaffold.core.parameters.typing import as_declared
from jovial_scaffold.core.schemas.navigation import subschema
from jovial_scaffold.core.schemas.shapes import secret_pointers, shape_of
from jovial_scaffold.reports.board_rows import board_rows
from jovial_scaffold.reports.machine import compare_document, json_text
from tests.support import in_memory

_NAMES = ("a", "ab", "b", "abc", "x")
_PATTERNS = ("^a", "b$", "c", "^x$", "(")  # the last is none: it matches everything
_PARTS = some.fixed_dictionaries(
    {}, optional={"type": some.sampled_from(("integer", "string")), "writeOnly": some.booleans(), "minimum": some.just(3)}
)
_SCHEMAS = some.fixed_dictionaries(
    {"type": some.just("object")},
    optional={
        "properties": some.dictionaries(some.sampled_from(_NAMES), _PARTS, max_size=3),
        "patternProperties": some.dictionaries(some.sampled_from(_PATTERNS[:-1]), _PARTS, max_size=3),
        "additionalProperties": _PARTS,
    },
)


@given(_SCHEMAS, some.sampled_from(_NAMES), some.sampled_from((1, 5, "text")))
def test_the_parts_that_speak_of_a_name_are_those_that_judge_it(schema: dict[str, Any], name: str, value: Any) -> None:
    """As another implementation of the standard has it."""
    parts = subschema(schema, (name,))
    assert jsonschema_rs.is_valid(schema, {name: value}) == all(jsonschema_rs.is_valid(part, value) for part in parts)


@given(_SCHEMAS, some.sampled_from(_NAMES))
def test_what_any_of_them_calls_secret_is(schema: dict[str, Any], name: str) -> None:
    is_secret = any(part.get("writeOnly") for part in subschema(schema, (name,)))
    assert list(secret_pointers(shape_of(schema), {name: "text"})) == ([(name,)] if is_secret else [])


@given(some.dictionaries(some.sampled_from(_NAMES), some.sampled_from((1, 2.0, 3.5)), max_size=4), _SCHEMAS)
def test_numbers_are_converted_by_what_is_said_of_each_name(value: dict[str, Any], schema: dict[str, Any]) -> None:
    def alone(name: str, item: Any) -> Any:
        return as_declared({name: item}, schema)[name]

    converted = as_declared(value, schema)
    assert json.dumps(converted) == json.dumps({name: alone(name, item) for name, item in value.items()}), "whatever stands beside it"


def test_a_pattern_that_is_none_hides_everything() -> None:
    assert list(secret_pointers(shape_of({"patternProperties": {"(": {"writeOnly": True}}}), {"a": 1})) == [("a",)]


_BOX = {
    "$id": "yard.box.v1",
    "description": "A box",
    "type": "object",
    "properties": {"name": {"type": "string"}, "token": {"type": "string"}},
    "patternProperties": {
        "^slot-": {"type": "integer", "changeEffect": "rebuild", "aspect": "capacity", "adds": True},
        "^tok": {"writeOnly": True},
        "^key": {"type": "string"},
        "-s$": {"writeOnly": True},
        "^rows": {"type": "array", "listKey": "id", "items": {"type": "object"}},
    },
    "additionalProperties": {"type": "integer", "changeEffect": "restart", "aspect": "cost"},
}
_FILES = {
    "jovial.yaml": "project: p\ntemplate: t.yaml\ncatalogs: [catalog/]\nenvironments: {live: {parameters: [live.yaml]}, test: {parameters: [test.yaml]}}\n",
    "catalog/box.json": json.dumps(_BOX),
    "live.yaml": "n: 1\nw: edelweiss-one\n",
    "test.yaml": "n: 2\nw: edelweiss-two\n",
    "t.yaml": "parameters: {n: {type: integer, description: n}, w: {type: string, description: w}}\nresources:\n  box (yard.box):\n"
    '    name: box\n    slot-1: ${n}\n    other: ${n}\n    token: ${w}\n    key-s: ${w + "x"}\n    rows: [{id: a, n: "${n}"}, {id: b, n: 1}]\n',
}


@pytest.mark.parametrize(
    ("name", "effect", "aspect"), [("slot-1", "rebuild", "capacity"), ("other", "restart", "cost"), ("rows", "in_place", "other")]
)
def test_effects_and_aspects(name: str, effect: str, aspect: str) -> None:
    kind = in_memory(_FILES).render("live").resources["box"].type
    assert change_effect(kind, (name,), 1, 2, None) == effect == possible_effect(kind, (name,))
    assert aspect_of(kind, (name,)) == aspect


def test_nothing_secret_is_shown_and_items_have_their_keys() -> None:
    project = in_memory(_FILES)
    assert [each.message for each in project.check().findings if each.level == "error"] == []
    comparison = project.compare()
    assert {row.pointer for row in comparison.rows} == {("key-s",), ("token",), ("other",), ("slot-1",), ("rows", "a", "n")}
    assert {row.pointer for row in comparison.rows if isinstance(row.values["live"], Secret)} == {("key-s",), ("token",)}
    told = [json_text(compare_document(comparison)), json_text(board_rows(project.views(("live", "test"))).data)]
    assert not [text for text in told if "edelweiss" in text]
    doubled = {**_FILES, "t.yaml": _FILES["t.yaml"].replace("{id: b, n: 1}", "{id: a, n: 1}")}
    assert "list-key-clash" in {each.id for each in in_memory(doubled).check().findings}
