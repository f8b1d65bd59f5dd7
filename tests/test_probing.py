"""Expressions of which there are very many: tried by generated code, they are said what each of them is said by itself."""

import json
from collections.abc import Iterable
from typing import Any

import pytest

from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.folders import MemoryFolder
from jovial_scaffold.core.project import Project
from tests.support import load_cases

PARAMETERS = {
    "copies": {"type": "integer", "minimum": 1, "maximum": 9, "description": "d"},
    "hours": {"type": "integer", "minimum": 1, "maximum": 48, "description": "d"},
    "any": {"type": "integer", "description": "d"},
    "world": {"enum": ["sandbox", "rehearsal", "live"], "description": "d"},
    "night": {"type": "boolean", "description": "d"},
}
VALUES = {"copies": 3, "hours": 6, "any": 1, "world": "live", "night": True}
PROJECT = {"project": "p", "template": "t.json", "catalogs": ["fulmar"], "environments": {"live": {"parameters": ["live.json"]}}}
NUMBERS = range(1, 9)


def project(resources: dict[str, Any], rules: str = "", must: Iterable[str] = ()) -> Project:
    template = {
        "parameters": PARAMETERS,
        "let": {"scale": {"sandbox": 1, "rehearsal": 2, "live": 5}},
        "must": [{"require": each, "message": "m"} for each in must],
        "resources": resources,
    }
    files = {"jovial.yaml": PROJECT, "t.json": template, "live.json": VALUES}
    return Project(MemoryFolder({name: json.dumps(content).encode() for name, content in files.items()}))


def static(resources: dict[str, Any]) -> list[Finding]:
    found = project(resources).check(template_only=True).findings
    return [each for each in found if not each.id.endswith("-unused")]


def queues(condition: str, numbers: Iterable[int]) -> dict[str, Any]:
    return {f"q{n} (fulmar.queue)": {"$when": condition.replace("#", str(n)), "name": f"queue-{n}"} for n in numbers}


def told(found: Iterable[Finding]) -> list[str]:
    return sorted(f"{each.address.removeprefix('q')}: {each.id}" for each in found)


@pytest.mark.parametrize("case", load_cases("probing.yaml"), ids=lambda case: str(case["condition"]))
def test_conditions_with_numbers_of_their_own(case: dict[str, Any]) -> None:
    assert told(static(queues(case["condition"], NUMBERS))) == sorted(case["told"])
    assert sorted(line for n in NUMBERS for line in told(static(queues(case["condition"], [n])))) == sorted(case["told"])


def test_what_is_wrong_behind_conditions_of_their_own_is_an_error_wherever_they_may_hold() -> None:
    wrong = {name: {**written, "wait_hours": "${'a' + world}"} for name, written in queues("hours * # > 90", NUMBERS).items()}
    found = static(wrong)
    assert [each.id for each in found if each.id == "condition-never"] == ["condition-never"]  # of the first
    assert [(each.address, each.level) for each in found if each.id == "property-type"] == [(f"q{n}", "error") for n in NUMBERS if n > 1]
    assert not any("depends" in str(each.hint.template) for each in found)


def test_musts_say_which_values_are_tried() -> None:
    found = project(queues("copies > #", NUMBERS), must=["copies < 4"]).check(template_only=True).findings
    never = sorted(each.address for each in found if each.id == "condition-never")
    assert never == [f"q{n}" for n in NUMBERS if n > 2]


@pytest.mark.parametrize("guard", ["copies > 4", "night", "hours * 3 > 40"])
def test_what_reads_a_resource_behind_the_same_condition(guard: str) -> None:
    hubs = {f"hub{n} (fulmar.network)": {"$when": guard, "name": f"net-{n}", "range": "10.0.0.0/16"} for n in NUMBERS}
    subnets = {
        f"sub{n} (fulmar.subnet)": {
            "$when": guard,
            "name": f"subnet-{n}",
            "network": f"${{hub{n}.id}}",
            "range": f"10.0.{n}.0/24",
            "zone": "valley",
        }
        for n in NUMBERS
    }
    assert static({**hubs, **subnets}) == []
    subnets["sub3 (fulmar.subnet)"]["$when"] = "copies > 2"
    found = static({**hubs, **subnets})
    assert [(each.id, each.address) for each in found] == [("resource-absent", "sub3")]


def test_one_wrong_value_in_very_many_resources() -> None:
    wrong: dict[str, Any] = {f"q{n} (fulmar.queue)": {"name": f"queue-{n}", "wait_hours": "${world}"} for n in range(40)}
    wrong["q20 (fulmar.queue)"]["name"] = "Not A Name"
    wrong["q21 (fulmar.queue)"]["wait_hours"] = "${string(copies)}"
    found = project(wrong).render("live").findings
    lines = [(each.id, each.address, each.pointer) for each in found]
    other, shared = sorted([each for each in found if each.id == "property-type"], key=lambda each: len(each.also_at))
    assert other.address == "q21" and not other.also_at  # each is one value of one parameter
    assert {address for _, addresses in shared.also_at for address in addresses} == {f"q{n}:wait_hours" for n in range(40) if n != 21}
    assert [each for each in lines if each[0] == "property-pattern"] == [("property-pattern", "q20", "name")]
