"""Conditions of `must` that contradict each other: found by the first that nothing meets any more, with those that it needs for it."""

from itertools import product

from hypothesis import given
from hypothesis import strategies as st

from jovial_scaffold.core.folders import MemoryFolder
from jovial_scaffold.core.project import Project

PROJECT = "project: p\ntemplate: t.yaml\nenvironments: {live: {}}\n"
OPTIONS = {"a": "xyz", "b": "xy", "c": "xyz"}
_SIDES = [(name, same, letter) for name, letters in OPTIONS.items() for same in (True, False) for letter in letters]
Condition = list[tuple[str, bool, str]]
conditions = st.lists(st.lists(st.sampled_from(_SIDES), min_size=1, max_size=3), min_size=2, max_size=12)


def _is_met(condition: Condition, values: dict[str, str]) -> bool:
    return any((values[name] == letter) is same for name, same, letter in condition)


def _can_be_met(together: list[Condition]) -> bool:
    every = (dict(zip(OPTIONS, values, strict=True)) for values in product(*OPTIONS.values()))
    return any(all(_is_met(each, values) for each in together) for values in every)


def _text(condition: Condition) -> str:
    return " || ".join(f"{name} {'==' if same else '!='} '{letter}'" for name, same, letter in condition)


@given(conditions)
def test_the_first_that_nothing_meets_and_what_it_needs_for_it(given: list[Condition]) -> None:
    parameters = "".join(f"  {name}: {{enum: [{', '.join(letters)}], description: d}}\n" for name, letters in OPTIONS.items())
    must = "".join(f'  - {{require: "{_text(each)}", message: m}}\n' for each in given)
    template = f"parameters:\n{parameters}must:\n{must}resources: {{}}\n"
    project = Project(MemoryFolder({"jovial.yaml": PROJECT.encode(), "t.yaml": template.encode()}))
    found = [each for each in project.check(template_only=True).findings if each.id == "must-never"]
    first = next((number for number in range(len(given)) if not _can_be_met(given[: number + 1])), None)
    if first is None:
        assert not found
        return
    (finding,) = found
    assert finding.span is not None and finding.span.line == 6 + first
    needed = [given[each.span.line - 6] for each in finding.related]
    assert not _can_be_met([*needed, given[first]])
    assert all(_can_be_met([*needed[:at], *needed[at + 1 :], given[first]]) for at in range(len(needed))) or len(needed) == 1
