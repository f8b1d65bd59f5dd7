"""Reading what may be absent: the static check says so exactly where some environment would show it, and nowhere else."""

import itertools
import json
import random

import pytest

from jovial_scaffold.core.folders import MemoryFolder
from jovial_scaffold.core.project import Project
from jovial_scaffold.reports.rendering import cell
from tests.support import in_memory

SETTINGS, NIGHTS = ("sandbox", "rehearsal", "live"), (False, True)
CASES = 60
_TEMPLATE = """parameters:
  setting: {enum: [sandbox, rehearsal, live], description: Which}
  night: {type: boolean, description: Whether it is night}
let:
  dark: "${CONDITION}"
resources:
  one (fulmar.queue): {$when: "WHEN_ONE", name: one-queue}
  two (fulmar.queue): {$when: "WHEN_TWO", name: two-queue}
  reader (fulmar.queue): {$when: "WHEN_READER", name: reader, tags: {read: "${READ}"}}
outputs:
  told: "${TOLD}"
"""


def condition(chance: random.Random, depth: int = 2) -> str:
    form = chance.random()
    if depth and form < 0.4:
        return f"({condition(chance, depth - 1)} {chance.choice(('&&', '||'))} {condition(chance, depth - 1)})"
    if depth and form < 0.5:
        return f"!({condition(chance, depth - 1)})"
    return chance.choice(("night", "dark", *(f"setting {sign} '{each}'" for sign in ("==", "!=") for each in SETTINGS)))


def read(chance: random.Random, depth: int = 2) -> str:
    """A text that reads one of the two, guarded or not."""
    form = chance.random()
    if depth and form < 0.5:
        return f"({condition(chance)} ? {read(chance, depth - 1)} : {read(chance, depth - 1)})"
    if depth and form < 0.6:
        return f"({read(chance, depth - 1)} + {read(chance, depth - 1)})"
    name = chance.choice(("one", "two"))
    return chance.choice(("'none'", f"{name}.name", f"{name}.name", f"{name}.?name.orValue('')", f"(present({name}) ? {name}.name : '')"))


def files_of(chance: random.Random) -> dict[str, str]:
    filled = _TEMPLATE
    for gap in ("WHEN_ONE", "WHEN_TWO", "WHEN_READER"):
        filled = filled.replace(gap, condition(chance))
    while "dark" in (plain := condition(chance)):
        continue  # what reads itself has no value
    filled = filled.replace("CONDITION", plain).replace("READ", read(chance)).replace("TOLD", read(chance))
    worlds = [f"world{number}" for number in range(len(SETTINGS) * len(NIGHTS))]
    entries = "".join(f"  {name}: {{parameters: [{name}.json]}}\n" for name in worlds)
    files = {"t.yaml": filled, "jovial.yaml": f"project: p\ntemplate: t.yaml\ncatalogs: [fulmar]\nenvironments:\n{entries}"}
    for name, (setting, night) in zip(worlds, itertools.product(SETTINGS, NIGHTS), strict=True):
        files[f"{name}.json"] = json.dumps({"setting": setting, "night": night})
    return files


@pytest.mark.parametrize("case", range(CASES))
def test_static_and_every_environment_agree(case: int) -> None:
    files = files_of(random.Random(case))
    project = Project(MemoryFolder({name: text.encode() for name, text in files.items()}))
    static = [each for each in project.check(template_only=True).findings if each.id == "resource-absent"]
    shown = {
        (each.id, each.span.line)
        for name in project.environments
        for each in project.render(name).findings
        if each.id == "resource-absent" and each.span
    }
    assert {(each.id, each.span.line) for each in static if each.span} == shown, files["t.yaml"]
    assert all(each.level == "error" for each in static), files["t.yaml"]


_UNTOLD = """parameters: {copies: {type: integer, description: d}, on: {type: boolean, description: d}}
resources:
  box (fulmar.bucket): {name: box-one}
  waiting (fulmar.topic): {$when: "copies < 3 || box.url == 'x'", name: waiting-topic}
  failing (fulmar.topic): {$per: {n: "['a', 'b']"}, $when: "1 / (copies - 4) == -1 && on", name: "failing-${n}"}
  looped (fulmar.topic): {$per: {n: "copies < 3 ? ['a'] : [box.url]"}, name: "looped-${n}"}
"""


@pytest.mark.parametrize(
    ("address", "condition"), [("waiting", '‹box.url == "x"›'), ("failing/a", "‹unknown›"), ("looped/a", "[‹box:url›]")]
)
def test_where_a_condition_cannot_be_told_the_question_why_is_answered(address: str, condition: str) -> None:
    environments = {name: {"parameters": [f"{name}.json"]} for name in ("few", "many")}
    files = {"jovial.yaml": json.dumps({"project": "p", "template": "t.yaml", "catalogs": ["fulmar"], "environments": environments})}
    files |= {f"{name}.json": json.dumps({"copies": copies, "on": True}) for name, copies in (("few", 2), ("many", 4))}
    project = in_memory({**files, "t.yaml": _UNTOLD})
    assert project.render("many").findings and address not in project.render("many").resources
    reason = project.why(address, "many")
    assert reason.value is False and "copies" in repr(reason) and cell(reason.reasons[-1].value) == condition
