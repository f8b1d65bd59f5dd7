"""Sums over all resources: those that a walk through schema and values side by side gives."""

import json
from collections import Counter
from collections.abc import Iterator
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as some

from jovial_scaffold.core.changes.totals import totals
from tests.support import in_memory

Schema = dict[str, Any]
_KEYS = ("a", "b", "c-1")


@some.composite
def _schemas(draw: some.DrawFn, depth: int = 0) -> Schema:
    kind = draw(some.sampled_from(("number", "number", "text", "map", "list", "others", "patterns")[: 3 if depth > 2 else 7]))
    if kind == "number":
        return draw(
            some.fixed_dictionaries({"type": some.just("integer")}, optional={"adds": some.booleans(), "default": some.integers(0, 9)})
        )
    if kind == "text":
        return draw(some.fixed_dictionaries({"type": some.just("string")}, optional={"default": some.sampled_from(("x", "7"))}))
    inside = _schemas(depth + 1)
    if kind == "list":
        return {"type": "array", "items": draw(inside)}
    if kind == "others":
        return {"type": "object", "additionalProperties": draw(inside)}
    if kind == "patterns":
        return {"type": "object", "patternProperties": {"^[ab]$": draw(inside)}, "additionalProperties": {"type": "integer", "adds": True}}
    properties = draw(some.dictionaries(some.sampled_from(_KEYS), inside, max_size=3))
    return {"type": "object", "properties": properties, **draw(some.sampled_from(({}, {"default": {}})))}


def _below(schema: Schema, key: str) -> Schema:
    patterns = schema.get("patternProperties", {})
    found: Schema = schema.get("properties", {}).get(key) or (
        patterns["^[ab]$"] if patterns and key in "ab" else schema.get("additionalProperties", {})
    )
    return found


@some.composite
def _values(draw: some.DrawFn, schema: Schema) -> Any:
    if schema["type"] == "integer":
        return draw(some.integers(0, 99))
    if schema["type"] == "string":
        return draw(some.sampled_from(("", "12", "x")))
    if schema["type"] == "array":
        return draw(some.lists(_values(schema["items"]), max_size=3))
    keys = list(schema["properties"]) if "properties" in schema else list(_KEYS)
    return {key: draw(_values(_below(schema, key))) for key in keys if draw(some.booleans())}


def _sums(schema: Schema, value: Any, path: str) -> Iterator[tuple[str, int]]:
    """What adds up in a value, with what stands there by default."""
    if schema["type"] == "integer" and schema.get("adds"):
        yield path, value
    elif schema["type"] == "array":
        for item in value:
            yield from _sums(schema["items"], item, f"{path}/*")
    elif schema["type"] == "object":
        missing = {name: each["default"] for name, each in schema.get("properties", {}).items() if "default" in each and name not in value}
        for key, item in {**value, **missing}.items():
            yield from _sums(_below(schema, key), item, f"{path}/{key}" if path else key)


@given(some.data())
@settings(max_examples=150)
def test_sums_are_those_of_a_walk_through_everything(data: some.DataObject) -> None:
    properties = data.draw(some.dictionaries(some.sampled_from(("p", "q", "r")), _schemas(), min_size=1, max_size=3))
    schema = {"$id": "yard.thing.v1", "description": "A thing", "type": "object", "properties": properties}
    held = data.draw(some.lists(_values(schema), min_size=1, max_size=4))
    resources = {f"r{number} (yard.thing)": each for number, each in enumerate(held)}
    project = in_memory(
        {
            "jovial.yaml": "project: p\ntemplate: t.yaml\ncatalogs: [catalog/]\nenvironments: {one: {}, other: {}}\n",
            "catalog/thing.json": json.dumps(schema),
            "t.yaml": json.dumps({"resources": resources}),
        }
    )
    assert [each.message for each in project.check().findings if each.level == "error"] == []
    expected = Counter[str]({"": len(held)})
    for each in held:
        for path, number in _sums(schema, each, ""):
            expected[path] += number
            expected.setdefault(path, 0)
    found = {each.property: each.values for each in totals(project.compare())}
    assert found == {path: {"one": number, "other": number} for path, number in expected.items()}
