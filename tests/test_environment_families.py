"""Families of environments (`jovial compare --families`): which belong together, against how the environments were made."""

import json
import re
from itertools import combinations

from hypothesis import given, settings
from hypothesis import strategies as st

from jovial_scaffold.core.changes.families import families
from jovial_scaffold.core.changes.matrix import compare
from jovial_scaffold.core.project import Project
from jovial_scaffold.reports.families import families_text
from jovial_scaffold.reports.terminal import Style
from tests.support import Write, in_memory, jovial, valid_json

_SIZES = ("xs", "s", "m", "l", "xl")


def made(kinds: list[int], odd: dict[int, int]) -> Project:
    """A project with an environment for each of some kinds; some have one property of their own."""
    hours = ", ".join(f"h{number}: {{type: integer, description: d}}" for number in range(8))
    queues = "".join(f'  q{number} (fulmar.queue): {{name: "q{number}-${{label}}", wait_hours: "${{h{number}}}"}}\n' for number in range(8))
    names = [f"e{number:02}" for number in range(len(kinds))]
    project = {
        "project": "p",
        "template": "t.yaml",
        "catalogs": ["fulmar"],
        "environments": {name: {"parameters": [f"{name}.json"]} for name in names},
    }
    files = {
        "jovial.yaml": json.dumps(project),
        "t.yaml": f"parameters: {{label: {{type: string, description: d}}, {hours}}}\nresources:\n{queues}",
    }
    for number, (name, kind) in enumerate(zip(names, kinds, strict=True)):
        values = {f"h{each}": 1 + kind * 8 + each for each in range(8)} | ({"h0": 200 + number} if number in odd else {})
        files[f"{name}.json"] = json.dumps({"label": name, **values})
    return in_memory(files)


@settings(max_examples=25, deadline=None)
@given(st.lists(st.integers(0, 3), min_size=2, max_size=9), st.data())
def test_environments_that_were_made_alike_are_a_family(kinds: list[int], data: st.DataObject) -> None:
    odd = {number: 1 for number in range(len(kinds)) if data.draw(st.integers(0, 4)) == 0}
    project = made(kinds, odd)
    comparison = compare(project.views(project.environments), echoes=True)
    found = families(comparison)
    held = [sorted(int(name[1:]) for name in each.environments) for each in found.families]
    assert sorted(number for group in held for number in group) == list(range(len(kinds))), "each is in one"
    assert [len(each) for each in held] == sorted(map(len, held), reverse=True)
    for group in held:
        assert len({kinds[number] for number in group}) == 1 or len(set(kinds)) == 1 or not odd, (
            "kinds differ in eight rows, odd ones in one"
        )
    if len(set(kinds)) > 1:
        assert {frozenset(group) for group in held} == {frozenset(n for n, each in enumerate(kinds) if each == kind) for kind in set(kinds)}
    for each, group in zip(found.families, held, strict=True):
        differing = {row.address for row in each.rows}
        assert differing == ({"q0"} if not found.own and len(group) > 1 and any(number in odd for number in group) else set())
    for (one, other), rows in found.apart.items():
        least = {f"q{number}" for number in range(1, 8)} if len(set(kinds)) > 1 else {"q0"}
        assert {row.address for row in rows} >= least, (held[one], held[other])
    assert set(found.apart) == set(combinations(range(len(held)), 2))


def test_as_users_ask_for_it(write: Write) -> None:
    assert made([0], {}).environments == ("e00",)
    folder = write(
        {
            "jovial.yaml": "project: p\ntemplate: t.yaml\ncatalogs: [fulmar]\nenvironments: {a: {parameters: [v.yaml]}, b: {parameters: [v.yaml]}, c: {parameters: [l.yaml]}}\n",
            "t.yaml": 'parameters: {n: {type: integer, description: d}}\nresources: {q (fulmar.queue): {name: "q-${context.environment}", wait_hours: "${n}"}}\n',
            "v.yaml": "n: 2\n",
            "l.yaml": "n: 9\n",
        }
    )
    text = jovial("compare", "--families", cwd=folder).stdout
    assert "3 environments in 2 families" in text and "1   a and b\n    are alike" in text and "driven by n (1)" in text
    document = valid_json("compare", jovial("compare", "--families", "--format", "json", cwd=folder).stdout)
    assert [each["environments"] for each in document["families"]] == [["a", "b"], ["c"]]
    assert document["apart"] == [{"families": [0, 1], "differing": ["q:wait_hours"]}]
    same = jovial("compare", "a", "b", "--families", cwd=folder).stdout
    assert "2 environments in 1 family" in same and "are alike" in same


def test_values_that_each_has_of_its_own_tell_none_apart() -> None:
    kinds = [0, 0, 0, 0, 1, 1, 1, 1]
    for odd, own in ((range(5), ()), (range(8), ("q0",))):
        comparison = made(kinds, dict.fromkeys(odd, 1)).compare(echoes=True)
        found = families(comparison)
        assert [len(each.environments) for each in found.families] == [4, 4]
        assert tuple(row.address for row in found.own) == own
        assert [{row.address for row in each.rows} for each in found.families] == [set() if own else {"q0"}] * 2
        text = families_text(found, comparison, Style(False, 200))
        assert ("are alike but for values of their own" in text) == ("Many have values that no other has" in text) == bool(own)
    each = made([0] * 7, dict.fromkeys(range(7), 1)).compare(echoes=True)
    assert len(families(each).families) == 1 and len(families(each).own) == 1


def test_of_many_families_each_stands_beside_its_nearest() -> None:
    comparison = made([0, 0, 1, 1, 2, 2, 3, 3, 4, 4], {}).compare(echoes=True)
    found = families(comparison)
    text = families_text(found, comparison, Style(False, 200))
    pairs = [(int(one) - 1, int(other) - 1) for one, other in re.findall(r"^(\d+) and (\d+)$", text, re.M)]
    assert len(found.families) == 5 and [other for _, other in pairs] == [1, 2, 3, 4] and "--format json has all pairs" in text
    for one, other in pairs:
        assert all(len(found.apart[one, other]) <= len(found.apart[each, other]) for each in range(other))
    few = made([0, 0, 1, 1, 2, 2], {}).compare(echoes=True)
    assert len(re.findall(r"^\d+ and \d+$", families_text(families(few), few, Style(False, 200)), re.M)) == 3


@given(st.lists(st.integers(1, 12), min_size=1, max_size=5))
def test_what_stands_in_many_items_is_named_once_and_counted(sizes: list[int]) -> None:
    loops = "".join(
        f"  q{number} (fulmar.queue): {{$per: {{i: {list(range(size))}}}, $key: string(i), name: 'q-{number}-${{i}}', wait_hours: '${{hours}}'}}\n"
        for number, size in enumerate(sizes)
    )
    environments = "{one: {parameters: [one.yaml]}, two: {parameters: [two.yaml]}}"
    project = in_memory(
        {
            "jovial.yaml": f"project: p\ntemplate: t.yaml\ncatalogs: [fulmar]\nenvironments: {environments}\n",
            "t.yaml": f"parameters: {{hours: {{type: integer, description: d}}}}\nresources:\n{loops}",
            "one.yaml": "hours: 2\n",
            "two.yaml": "hours: 3\n",
        }
    )
    comparison = project.compare(echoes=True)
    told = " ".join(families_text(families(comparison), comparison, Style(False, 200)).partition("always differ")[2].split())
    count, named = re.match(r"in ([0-9,]+) rows? \(.*?\): (.*) driven by", told).groups()  # type: ignore[union-attr]
    others = re.search(r"([0-9]+) more", named)
    places = re.sub(r" and ([0-9]+ more)?", ", ", named).replace(f"{others[0]}" if others else "\0", "").split(", ")
    shown = [re.search(r"×([0-9]+)", each) for each in places if each]
    assert sum(int(each[1]) if each else 1 for each in shown) + int(others[1] if others else 0) == int(count) == sum(sizes)
    assert len(shown) <= 4
