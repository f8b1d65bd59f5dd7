"""A catalog that is wrong blames itself: one finding, at its line, and none about resources."""

from typing import Any

import pytest

from tests.support import in_memory, load_cases

FILES = {
    "jovial.yaml": "project: p\ntemplate: t.yaml\ncatalogs: [cat/]\nenvironments: {live: {parameters: []}}\n",
    "cat/catalog.yaml": "name: yard\ndescription: d\ndefaults: {thing: 1}\n",
    "cat/thing.yaml": """$id: yard.thing.v1
title: Thing
description: A thing.
type: object
properties:
  name: {type: string, description: n, minLength: 2}
  size: {enum: [s, m], default: s, description: s}
  copies: {type: integer, minimum: 1, maximum: 9, default: 1, description: c}
  disks: {type: array, listKey: key, description: d, items: {type: object, properties: {key: {type: string, description: k}, gb: {type: integer, description: g}}, additionalProperties: false}}
  net: {type: string, refersTo: ["thing:id"], description: r}
  id: {type: string, readOnly: true, description: i}
required: [name]
additionalProperties: false
identity: [name]
""",
    "t.yaml": "resources:\n  a (yard.thing): {name: aa, disks: [{key: x, gb: 1}, {key: y, gb: 2}]}\n  b (yard.thing): {name: bb, copies: 5, size: m}\n",
    "cat/stand.yaml": """$id: yard.stand.v1
description: What a thing stands on.
type: object
properties: {thing: {type: string, refersTo: ["thing:id"], description: t}}
""",
}


def found(files: dict[str, str]) -> list[str]:
    findings = in_memory(files).check().findings
    return [f"{each.id} {each.span.file}:{each.span.line}:{each.span.column}" for each in findings if each.span is not None]


def test_the_catalog_is_fine() -> None:
    assert found(FILES) == []


@pytest.mark.parametrize("case", load_cases("catalog_mistakes.yaml"))
def test_a_catalog_blames_itself(case: dict[str, Any]) -> None:
    file = case.get("file", "cat/thing.yaml")
    assert case["old"] in FILES[file]
    identity, place = case["finding"].split()
    files = {**FILES, file: FILES[file].replace(case["old"], case["new"], 1) + case.get("more", "")}
    assert found(files) == [f"{identity} {file}:{place}"]
    project = in_memory(files)
    assert project.render("live").findings == list(project.check().findings) == list(project.check().findings)
