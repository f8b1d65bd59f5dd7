"""What is found before any environment by rendering with made-up values, and those values themselves."""

import json
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jovial_scaffold.core.folders import MemoryFolder
from jovial_scaffold.core.project import Project
from jovial_scaffold.core.schemas.sampling import sampled
from jovial_scaffold.core.schemas.validation import Validator
from jovial_scaffold.core.text.unknown import UNKNOWN
from tests.support import load_cases
from tests.test_static import JSON_SCHEMAS

_HEAD = """types: {code: {type: string, pattern: "^[a-z]{3}$"}}
parameters:
  world: {enum: [sandbox, live], description: x}
  line: {type: string, description: x}
  seats: {type: integer, description: x}
  free: {type: array, items: {type: string}, description: x}
  stops:
    description: x
    type: array
    minItems: 1
    items: {type: object, required: [code, height], properties: {code: {$ref: "#/types/code"}, height: {type: integer, minimum: 1, maximum: 3}}}
let: {named: "${line}-x", table: {a: x, b: y}}
functions: {same: {takes: {word: {type: string}}, is: word}}
"""


def project(case: dict[str, Any]) -> Project:
    """The project of a case; its environments have labels."""
    sections = [f"{name}:\n{_indented(case[name])}" for name in ("resources", "lookups", "must") if name in case]
    files = {
        "jovial.yaml": "project: p\ntemplate: t.yaml\ncatalogs: [fulmar]\nlookups: {images: i.json}\nenvironments: {sandbox: {}, live: {}}\n",
        "t.yaml": _HEAD.replace("let:", f"  {case.get('parameters', '')}\nlet:", 1) + "\n".join(sections) + "\n",
        "i.json": json.dumps([{"use": "gate", "image": "gate-2"}, {"use": "desk", "image": "desk-1"}]),
    }
    if "module" in case:
        files["m.yaml"] = case["module"]
    return Project(MemoryFolder({name: text.encode() for name, text in files.items()}))


def _indented(text: str) -> str:
    return "\n".join(f"  {line}" for line in text.splitlines())


@pytest.mark.parametrize("case", load_cases("sampled.yaml"))
def test_before_any_environment(case: dict[str, Any]) -> None:
    findings = project(case).check(template_only=True).findings
    assert [each.id for each in findings if each.level == "error"] == case.get("told", []), findings
    assert all(not each.environments and each.span is not None for each in findings)


def test_the_same_is_said_once_where_an_environment_shows_it() -> None:
    made = project({"resources": "q (fulmar.queue): {$per: {x: '[1, 1]'}, name: 'abc'}"})
    found = [[each for each in made.check(template_only=early).findings if each.id == "key-clash"] for early in (True, False)]
    assert [len(each) for each in found] == [1, 1] and found[0][0].span == found[1][0].span


@given(JSON_SCHEMAS, st.integers(0, 1_000))
def test_a_value_that_is_made_up_is_accepted(schema: Any, number: int) -> None:
    value = sampled(schema, number)
    assert value is UNKNOWN or Validator(schema).violations(value) == []


@pytest.mark.parametrize(
    ("schema", "several"),
    [
        ({"type": "string", "pattern": "^[a-z]{3}$"}, True),
        ({"type": "string", "format": "cidr"}, True),
        ({"type": "string", "minLength": 12, "writeOnly": True}, True),
        ({"type": "array", "items": {"type": "integer"}, "minItems": 2, "uniqueItems": True}, True),
        ({"type": "object", "additionalProperties": {"type": "string"}}, True),
        ({"type": "object", "required": ["a"], "properties": {"a": {"type": "boolean"}, "b": {"enum": [1, 2]}}}, True),
        ({"type": "integer", "minimum": 7, "maximum": 7}, False),
        ({"type": "number", "exclusiveMinimum": 0}, True),
    ],
)
def test_most_values_are_found_easily(schema: Any, several: bool) -> None:
    found = [sampled(schema, number) for number in range(40)]
    assert not any(each is UNKNOWN for each in found) and (len({json.dumps(each) for each in found}) > 1) is several


def test_what_accepts_nothing_and_what_holds_itself_have_no_value() -> None:
    assert sampled({"type": "string", "pattern": "^zzz-[0-9]{9}$"}, 3) is UNKNOWN
    assert sampled({"type": "integer", "minimum": 3, "maximum": 1}, 3) is UNKNOWN
    deep: dict[str, Any] = {
        "$ref": "#/types/t",
        "types": {"t": {"type": "object", "required": ["t"], "properties": {"t": {"$ref": "#/types/t"}}}},
    }
    assert sampled(deep, 3) is UNKNOWN


@pytest.mark.parametrize("read", ["code", "'x' + code", "q.url"])
def test_where_a_document_goes_is_known_before_any_environment(read: str) -> None:
    files = {
        "jovial.yaml": "project: p\ntemplate: t.yaml\ncatalogs: [fulmar]\nenvironments: {live: {}}\n",
        "t.yaml": f"""parameters: {{code: {{type: string, minLength: 4, writeOnly: true, description: c}}}}
resources: {{q (fulmar.queue): {{name: queue, tags: {{a: "${{code}}"}}}}}}
documents: {{d: {{from: d.txt, to: "${{{read}}}.txt"}}}}
""",
        "d.txt": "x\n",
    }
    findings = Project(MemoryFolder({name: text.encode() for name, text in files.items()})).check(template_only=True).findings
    assert [each.id for each in findings] == ["path-invalid"], findings
