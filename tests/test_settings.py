"""Values that are set from outside, whole parameters and parts of them."""

import copy
from collections.abc import Iterator
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jovial_scaffold.core.folders import MemoryFolder
from jovial_scaffold.core.parameters.layers import Layer, merged_values, part_layer
from jovial_scaffold.core.project import Project
from jovial_scaffold.core.project_inputs import Overrides
from jovial_scaffold.core.text.source import Pointer
from jovial_scaffold.reports.words import said
from tests.support import load_cases

FILES = {
    "jovial.yaml": "project: p\ntemplate: t.yaml\nenvironments: {a: {parameters: [common.yaml, a.json]}}\n",
    "t.yaml": """parameters:
  word: {type: string, description: w}
  count: {type: integer, description: c}
  share: {type: number, description: s}
  chief: {type: object, properties: {name: {type: string}, shift: {type: string}, deep: {type: object, additionalProperties: {type: integer}}}, additionalProperties: false, description: h}
  posts: {type: array, items: {type: object, properties: {code: {type: string}, rank: {type: integer}}}, description: p}
  tags: {type: object, additionalProperties: {type: string}, description: t}
outputs: {o: "${as_json([word, count, share, chief, posts, tags])}"}
""",
    "common.yaml": "word: x\ncount: 1\nshare: 0.5\nchief: {name: al, shift: day}\nposts: [{code: aa, rank: 1}, {code: bb}]\ntags: {c: d}\n",
    "a.json": '{"chief": {"name": "bo", "deep": {"n": 1}}}',
}

_VALUES = st.recursive(
    st.integers(0, 9), lambda below: st.lists(below, min_size=1, max_size=3) | st.dictionaries(st.sampled_from("ab/"), below, min_size=1)
)


def _leaves(value: Any, pointer: Pointer = ()) -> Iterator[Pointer]:
    entries = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else None
    if entries is None:
        yield pointer
    else:
        for step, part in entries:
            yield from _leaves(part, (*pointer, step))


@given(st.dictionaries(st.sampled_from("ab/"), _VALUES, min_size=1), st.data())
def test_a_part_that_is_set_is_the_only_one_that_changes(value: dict[str, Any], data: st.DataObject) -> None:
    pointer = data.draw(st.sampled_from(sorted(_leaves(value), key=repr)))
    below = [Layer("file", {"x": value})]
    layer = part_layer("--with", "x", tuple(map(str, pointer)), "77", {"type": "object"}, below)
    assert layer is not None
    wanted: Any = copy.deepcopy(value)
    at = wanted
    for step in pointer[:-1]:
        at = at[step]
    at[pointer[-1]] = "77"  # nothing says what it is, so that it is a text
    assert merged_values([*below, layer]) == {"x": wanted}


@pytest.mark.parametrize("case", load_cases("settings.yaml"))
def test_what_is_set(case: dict[str, Any]) -> None:
    folder = MemoryFolder({name: text.encode() for name, text in FILES.items()})
    name, _, text = case["set"].partition("=")
    before = Project(folder).views(["a"])[0].parameters.values
    view = "a?" + case["set"].replace("%", "%25").replace("&", "%26")
    for project, asked in ((Project(folder), view), (Project(folder, overrides=Overrides({}, values=((name, text),))), "a")):
        (rendering,) = project.views([asked])
        errors = [said(each.message) for each in rendering.findings if each.level == "error"]
        if "says" in case:
            assert len(errors) == 1 and errors[0].startswith(case["says"]), errors
        else:
            assert not errors and rendering.parameters.values == {**before, **case["gives"]}
            assert all(type(value) is type(rendering.parameters.values[key]) for key, value in case["gives"].items())
