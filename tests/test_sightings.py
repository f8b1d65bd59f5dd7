"""What is wrong with what is written out: said once, with every environment in which it is there, however the check is shared out."""

from typing import Any

import hypothesis.strategies as st
import pytest
from hypothesis import given, settings

from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.sightings import with_environments
from jovial_scaffold.core.text.outline import Outline
from jovial_scaffold.core.text.yaml_reader import read_yaml
from jovial_scaffold.core.words import say
from tests.fuzz.yaml import compare_places
from tests.support import in_memory

_PROJECT = """project: line
template: line.yaml
catalogs: [fulmar]
environments:
  sandbox: {parameters: [sandbox.yaml]}
  live: {parameters: [live.yaml]}
"""
_TEMPLATE = """template: A line
parameters:
  setting: {enum: [sandbox, live], description: Which world this is}
resources:
  gate (fulmar.queue): {name: gate, nonsense: 1}
  bell (fulmar.queue):
    $when: setting == 'live'
    name: bell
    encrypted: maybe
  yard (./inner.yaml): {}
"""
_INNER = """template: Inside
resources:
  bell (fulmar.queue): {name: inside, nonsense: 1}
"""
_FILES = {
    "jovial.yaml": _PROJECT,
    "line.yaml": _TEMPLATE,
    "inner.yaml": _INNER,
    "sandbox.yaml": "setting: sandbox\n",
    "live.yaml": "setting: live\n",
}


def _said(findings: Any) -> set[tuple[str, str, tuple[str, ...]]]:
    return {(each.id, each.where, each.environments) for each in findings if each.level == "error"}


_ALL = {
    ("property-unknown", "gate:nonsense", ("sandbox", "live")),
    ("property-type", "bell:encrypted", ("live",)),
    ("property-unknown", "bell:nonsense", ("sandbox", "live")),
}


@pytest.mark.parametrize("waivers", ["", "waivers: waivers.yaml\n"])
def test_every_environment_that_has_it_is_named(waivers: str) -> None:
    project = in_memory(
        {**_FILES, "jovial.yaml": _PROJECT + waivers, "waivers.yaml": "[{finding: property-value, because: Of other things}]\n"}
    )
    assert _said(project.check().findings) == _ALL
    assert _said(project.check().findings) == _ALL


def test_environments_say_what_is_wrong_with_them_after_a_check() -> None:
    project = in_memory(_FILES)
    project.check()
    assert {each.id for each in project.render("live").findings} == {"property-unknown", "property-type"}
    assert {each.id for each in project.render("sandbox").findings} == {"property-unknown"}
    assert _said(project.check(environments_only=True).findings) >= _ALL - {("property-unknown", "bell:nonsense", ("sandbox", "live"))}


def test_what_nobody_said_is_asked_for() -> None:
    said = Finding("property-unknown", "error", say("No."), address="gate", pointer="nonsense")
    found, unsaid = with_environments(
        [said],
        [("a", [("gate", "nonsense", "property-unknown")] * 2), ("b", [("gate", "other", "property-unknown")]), ("c", [])],
    )
    assert [each.environments for each in found] == [("a",)]
    assert unsaid == {"b"}


_LINES = (
    "name: gate-@",
    "size: @",
    "tags: {a: @, b: '@'}",
    "step@: x",
    "more: {k@: @}",
    "list:\n      - @\n      - {name: a@, size: @}",
    "told: |\n      @ times\n      and @",
    "far: |@\n         in",
    'said: "@ of @"  # a remark of @',
)


@settings(max_examples=150)
@given(
    st.lists(st.sampled_from(_LINES), min_size=1, max_size=4, unique=True),
    st.lists(st.lists(st.sampled_from(("0", "1", "2", "10", "007", "12345")), min_size=12, max_size=12), min_size=2, max_size=6),
)
def test_entries_that_differ_in_digits_have_the_places_of_the_whole(lines: list[str], numbers: list[list[str]]) -> None:
    text = "resources:\n"
    for index, row in enumerate(numbers):
        digits = iter(row)
        body = "".join(f"    {line}\n" for line in lines)
        text += f"  r{index} (fulmar.queue):\n" + "".join(next(digits) if sign == "@" else sign for sign in body)
    outline = Outline()
    value, problems = read_yaml(text, outline)
    if not problems:
        compare_places(text, value, outline)


@pytest.mark.parametrize(
    "form", ["  - {{name: gate-{0}, port: {0}}}\n", "  - name: gate-{0}\n    port: {0}\n", "  k{0}: [{0}, gate-{0}]\n"]
)
def test_an_entry_that_is_long_has_the_places_of_the_whole(form: str) -> None:
    for count in (3, 400):
        text = "".join(f"key{index}: {index}\n" for index in range(3))
        text += f"{''.join(f'many{index}:{chr(10)}' + ''.join(form.format(item + index) for item in range(count)) for index in range(2))}last: 1\n"
        outline = Outline()
        value, problems = read_yaml(text, outline)
        assert not problems
        compare_places(text, value, outline)


_ITEMS = (
    *("- a@", "- {b: @, c: x}", "- name: x@\n  port: @", "- name:\n    - @\n    - {a: 1}", "- [@, b]", '- "@ of # it"', "- '@ ''of'' it'"),
    *(
        "- {a: 'x, @', b: \"y: @\"}",
        "- - @\n  - b",
        "- a: {b: 1,\n    c: @}",
        "- one\n  more @",
        "- |\n  - @\n  - b",
        "- 'a\n  - @'",
        "- # a remark",
    ),
    *(
        "- a  # a remark",
        "- a: b # @",
        "- ~",
        "-",
        "- @\n\n",
        "- a: >-\n    told\n    @",
        "- a-b: x:y",
        "- -@",
        "- 1.5",
        "- {a: @}\n  # - no item",
        "- a:\n  b: @",
    ),
)


@settings(max_examples=300)
@given(
    st.lists(st.sampled_from(_ITEMS), min_size=1, max_size=3),
    st.sampled_from((0, 2, 4)),
    st.sampled_from(("last: 1\n", "", "# the end\n", "\n")),
    st.sampled_from(("", " # a list")),
)
def test_items_of_a_long_list_have_the_places_of_the_whole(items: list[str], indent: int, behind: str, remark: str) -> None:
    lines = [each.replace("@", str(number * 7)) for number in range(1 + 4_200 // sum(map(len, items))) for each in items]
    text = f"first: 1\nmany:{remark}\n" + "".join(
        f"{' ' * indent}{line}\n" if line else "\n" for each in lines for line in each.split("\n")
    )
    text += behind
    outline = Outline()
    value, problems = read_yaml(text if behind else text.rstrip("\n"), outline)
    if not problems:
        compare_places(text if behind else text.rstrip("\n"), value, outline)


_BELOW = (
    "- a",
    "- {b: 1}",
    "- c: 2\n    d: 3",
    "e: 4",
    "f: [5,\n    6]",
    "g:\n    - 7",
    "h: |\n    told\n    - twice",
    "# a remark",
    "",
    "i:",
    "- |\n    - x\n    - y",
)
_BEHIND = ("", " # a remark", " |", " >-", " 1", " [1, 2]", " {a: 1,\n  b: 2}", " 'a", " ~")


@settings(max_examples=400)
@given(
    st.lists(
        st.tuples(st.sampled_from(_BEHIND), st.lists(st.sampled_from(_BELOW), max_size=4), st.sampled_from((0, 2))), min_size=1, max_size=5
    )
)
def test_entries_are_shown_where_they_stand_in_the_whole(entries: list[tuple[str, list[str], int]]) -> None:
    """Without reading them again, where their first lines say that."""
    text = ""
    for index, (behind, below, column) in enumerate(entries):
        told = "\n".join(below).replace("\n", "\n" + " " * column)
        text += f"key{index}:{behind}\n" + (" " * column + told + "\n" if below else "")
    outline = Outline()
    value, problems = read_yaml(text, outline)
    if not problems:
        compare_places(text, value, outline)
