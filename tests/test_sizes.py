"""How many items and entries there are, and what stands in them: said before any environment where it is sure, once, and the same with one."""

import json
from collections.abc import Iterator
from typing import Any

import pytest
import yaml

from jovial_scaffold.core.outcomes import CheckResult
from jovial_scaffold.core.project import Project
from tests.support import in_memory, load_cases

_SPEC = {
    "type": "object",
    "properties": {"size": {"enum": ["s", "m"]}, "n": {"type": "integer", "maximum": 5}},
    "required": ["size"],
    "additionalProperties": False,
}
CRANE = {
    "$id": "port.crane.v1",
    "description": "A crane",
    "type": "object",
    "properties": {
        "name": {"type": "string"},
        "hands": {"type": "array", "items": {"type": "string"}, "minItems": 2, "maxItems": 3, "uniqueItems": True},
        "tags": {"type": "object", "additionalProperties": {"type": "string"}, "maxProperties": 2},
        "spec": _SPEC,
        "specs": {"type": "array", "items": _SPEC},
    },
    "additionalProperties": False,
}
_TEXTS = {"type": "array", "items": {"type": "string"}}
_BOX = {"type": "object", "properties": {"size": {"enum": ["xl"]}}, "required": ["size"]}
PARAMETERS: dict[str, dict[str, Any]] = {
    "copies": {"type": "integer", "minimum": 1, "maximum": 9},
    "word": {"type": "string", "minLength": 3},
    "words": {**_TEXTS, "maxItems": 6},
    "many": {**_TEXTS, "minItems": 4},
    "none": _TEXTS,
    "numbers": {"type": "array", "items": {"type": "integer"}, "minItems": 1},
    "maybe": {"type": "object", "properties": {"x": {"type": "string"}}},
    "box": _BOX,
    "open_box": {"type": "object", "properties": {"size": {"enum": ["s", "xl"]}}, "required": ["size"]},
    "boxes": {"type": "array", "items": _BOX, "minItems": 1},
}
VALUES = {
    "copies": 3,
    "word": "abc",
    "words": ["a", "b"],
    "many": ["a", "b", "c", "d"],
    "none": [],
    "numbers": [1, 2],
    "maybe": {},
    "box": {"size": "xl"},
    "open_box": {"size": "s"},
    "boxes": [{"size": "xl"}, {"size": "xl"}],
}


def crane(put: dict[str, Any]) -> Project:
    """A project with one crane; values stand in one line each, so that findings have their whole texts as places."""
    described = {name: {**schema, "description": name} for name, schema in PARAMETERS.items()}
    head = yaml.safe_dump({"parameters": described, "let": {"four": ["${word}", "b", "c", "d"]}}, width=1000)
    lines = [f"    {name}: {json.dumps(value)}\n" for name, value in put.items()]
    text = f"{head}resources:\n  crane (port.crane):\n    name: c\n{''.join(lines)}"
    files = {
        "jovial.yaml": "project: port\ntemplate: t.yaml\ncatalogs: [catalog/]\nenvironments:\n  sandbox: {parameters: [sandbox.json]}\n",
        "t.yaml": text,
        "catalog/catalog.yaml": "name: port\ndescription: d\n",
        "catalog/crane.json": json.dumps(CRANE),
        "sandbox.json": json.dumps(VALUES),
    }
    return in_memory(files)


def told(project: Project, result: CheckResult) -> list[str]:
    """The errors, each with the text that it stands at."""
    found = []
    for finding in result.findings:
        if finding.level == "error":
            assert finding.span is not None
            source = project.source(finding.span.file)
            assert source is not None
            text = source.line(finding.span.line)[finding.span.column - 1 : finding.span.end_column - 1]
            found.append(f"{finding.id}: {text}")
    return sorted(found)


@pytest.mark.parametrize("case", load_cases("sizes.yaml"), ids=lambda case: str(case["put"]))
def test_sizes_are_told_once(case: dict[str, Any]) -> None:
    project = crane(case["put"])
    before = told(project, project.check(template_only=True))
    seen = told(project, project.check())
    expected = [
        sorted(yaml.safe_load(text) if text.endswith("'") and ": '" in text else text for text in case[key]) for key in ("before", "with")
    ]
    assert [before, seen] == expected


NARROW: dict[str, tuple[dict[str, Any], Any]] = {
    "n59": ({"type": "integer", "minimum": 5, "maximum": 9}, 7),
    "odd": ({"enum": [1, 3, 5]}, 3),
    "w": ({"type": "string", "minLength": 3, "maxLength": 6}, "abcd"),
    "up": ({"type": "string", "pattern": "^[A-Z]+$", "minLength": 2}, "ABC"),
    "e": ({"enum": ["alpha", "beta"]}, "beta"),
    "b": ({"type": "boolean"}, True),
    "range": ({"type": "string", "format": "cidr"}, "10.0.0.0/16"),
    "addr": ({"type": "string", "format": "address"}, "10.0.0.1"),
    "d": ({"type": "number", "minimum": 0.5, "maximum": 0.9}, 0.7),
    "lst": ({"type": "array", "items": {"type": "string"}, "minItems": 1, "maxItems": 2}, ["q"]),
    "obj": ({"type": "object", "properties": {"k": {"type": "string"}}, "required": ["k"], "additionalProperties": False}, {"k": "v"}),
    "day": ({"type": "string", "format": "date"}, "2026-01-01"),
    "cst": ({"const": "fixed"}, "fixed"),
}
"""Parameters, as they are declared, and with a value."""


def judged_twice(template: dict[str, Any], box: dict[str, Any]) -> Iterator[list[str]]:
    """The errors of a template over the narrow parameters, before any environment and with one."""
    described = {name: {**schema, "description": name} for name, (schema, _) in NARROW.items()}
    project = in_memory(
        {
            "jovial.yaml": "project: port\ntemplate: t.json\ncatalogs: [catalog/]\nenvironments:\n  sandbox: {parameters: [sandbox.json]}\n",
            "t.json": json.dumps({**template, "parameters": {**described, **template.get("parameters", {})}}),
            "catalog/catalog.yaml": "name: port\ndescription: d\n",
            "catalog/box.json": json.dumps(
                {"$id": "port.box.v1", "description": "A box", "type": "object", "additionalProperties": False, **box}
            ),
            "sandbox.json": json.dumps({name: value for name, (_, value) in NARROW.items()}),
        }
    )
    for result in (project.check(template_only=True), project.check()):
        yield [finding.id for finding in result.findings if finding.level == "error"]


@pytest.mark.parametrize("case", load_cases("keywords.yaml"), ids=lambda case: str(case["put"]))
def test_what_a_property_takes_is_judged_before_any_environment_as_with_one(case: dict[str, Any]) -> None:
    template = {"resources": {"box (port.box)": {"v": case["put"]}}}
    assert [*judged_twice(template, {"properties": {"v": case["schema"]}})] == [case["errors"]] * 2


@pytest.mark.parametrize("case", load_cases("defaults.yaml"), ids=lambda case: str(case["put"]))
def test_defaults_are_judged_before_any_environment_as_with_one(case: dict[str, Any]) -> None:
    declared = {**case["schema"], "description": "v", "default": case["put"]}
    template = {"parameters": {"v": declared}, "resources": {"box (port.box)": {"v": "${v}"}}}
    assert [*judged_twice(template, {"properties": {"v": {}}})] == [case["errors"]] * 2


def test_items_that_cannot_be_read_are_not_taken_for_repeated() -> None:
    project = crane({"specs": [{"size": "${1 +", "n": 1}, "${box}"], "hands": ["${1 +", "${1 +", "${word}"]})
    assert {finding.id for finding in project.check().findings if finding.level == "error"} >= {"expression-syntax"}
