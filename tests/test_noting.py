"""The names that a value was computed from: what stands behind a condition that does not hold is none of them, in the board either."""

import json
from typing import Any

import pytest

from jovial_scaffold.core.expressions.parser import parse
from jovial_scaffold.core.expressions.scopes import MapScope
from jovial_scaffold.core.folders import MemoryFolder
from jovial_scaffold.core.project import Project
from jovial_scaffold.core.rendering.noting import names_looked_up
from jovial_scaffold.reports.board_rows import board_rows

NAMES = {"flag": True, "other": False, "line": "alp", "zone": "kes", "copies": 3, "stations": [{"code": "kes"}]}
TEMPLATE = """parameters:
  flag: {type: boolean, description: a}
  line: {type: string, description: b}
  zone: {type: string, description: c}
  night: {type: boolean, description: d}
let: {label: "${flag ? line : zone}"}
resources:
  one (fulmar.queue): {name: "${label}", tags: {zone: "${flag ? 'none' : zone}"}}
  two (fulmar.queue): {$when: night, name: "${line}-${zone}"}
  all (fulmar.queue): {$per: {s: "[line, line + 'x']"}, name: "${s}-${flag ? 'a' : zone}"}
"""


@pytest.mark.parametrize(
    ("text", "asked"),
    [
        ("flag ? line : zone", {"flag", "line"}),
        ("other ? line : zone", {"other", "zone"}),
        ("other && copies > 1", {"other"}),
        ("flag || copies > 1", {"flag"}),
        ("stations.map(s, s.code + line)", {"stations", "line"}),
        ("stations.filter(s, other).map(s, zone)", {"stations", "other"}),
        ("[line, zone][0]", {"line", "zone"}),
        ("1 / 0", None),
    ],
)
def test_names_are_noted(text: str, asked: set[str] | None) -> None:
    assert names_looked_up(parse(text), MapScope(NAMES), {}) == asked


def _reads(values: dict[str, dict[str, Any]]) -> dict[str, list[str]]:
    """What the board says that each named value and property reads, the names behind it included."""
    entries = ", ".join(f"{name}: {{parameters: [{name}.json]}}" for name in values)
    files = {"jovial.yaml": f"project: p\ntemplate: t.yaml\ncatalogs: [fulmar]\nenvironments: {{{entries}}}", "t.yaml": TEMPLATE}
    files |= {f"{name}.json": json.dumps(each) for name, each in values.items()}
    project = Project(MemoryFolder({name: text.encode() for name, text in files.items()}))
    views = project.views(project.environments)
    data = board_rows(views).data
    found = {f"{each['address']}:{row[0]}": row[6] for each in data["resources"] for row in each["rows"]}
    return {**found, **{key: node["reads"] for key, node in data["nodes"].items()}}


def test_the_board_leaves_out_what_is_never_reached() -> None:
    day = {"flag": True, "line": "alp", "zone": "kes", "night": True}
    one = _reads({"live": day, "rehearsal": {**day, "line": "brig", "night": False}})
    assert one["label"] == ["flag", "line"] and one["one:tags/zone"] == ["flag"] and one["two:name"] == ["line", "zone"]
    assert set(one["all/alp:name"]) == {"all ⟳ s", "flag"}
    both = _reads({"live": day, "rehearsal": {**day, "flag": False}})
    assert set(both["label"]) == {"flag", "line", "zone"} and set(both["one:tags/zone"]) == {"flag", "zone"}
