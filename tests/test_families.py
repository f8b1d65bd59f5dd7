"""Many resources that differ in constants only: one that is wrong is found among them, and what is right is found so at once."""

import re
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jovial_scaffold.core.expressions.types import STRING, Type
from jovial_scaffold.core.folders import MemoryFolder
from jovial_scaffold.core.project import Project
from jovial_scaffold.core.schemas.letters import form_of
from jovial_scaffold.core.schemas.validation import Validator
from jovial_scaffold.core.templates import members
from jovial_scaffold.core.templates.checking import _TypeCheck
from jovial_scaffold.core.templates.fitting import Fitting, PropertyPlace
from jovial_scaffold.core.templates.knowledge import Knowledge
from tests.support import check_templates, load_cases

_MANY = 12


def project(case: dict[str, Any], wrong: Any = None) -> Project:
    """A project of many resources of one shape; in the last but one, `#` stands for what is wrong."""
    lines = ["parameters:"]
    lines += [
        "  world: {enum: [sandbox, live], description: x}",
        "  line: {type: string, minLength: 2, maxLength: 9, description: x}",
        "  copies: {type: integer, minimum: 1, maximum: 40, description: x}",
        "  night: {type: boolean, description: x}",
        'let: {prefix: "${line}-${world}", gates: [1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12]}',
        "resources:",
    ]
    for number in range(_MANY):
        lines.append(f"  hub{number} (fulmar.network): {{name: hub, range: 10.0.0.0/16}}")
        own = case["own"].format(number) if wrong is None or number != _MANY - 2 else wrong
        lines += [f"  made{number} ({case['type']}):", *(f"    {line.replace('#', str(own))}" for line in case["properties"].splitlines())]
    files = {
        "jovial.yaml": "project: p\ntemplate: t.yaml\ncatalogs: [fulmar]\nenvironments: {live: {}}\n",
        "t.yaml": "\n".join(lines) + "\n",
    }
    return Project(MemoryFolder({name: text.encode() for name, text in files.items()}))


@pytest.mark.parametrize("case", load_cases("families.yaml"))
def test_one_of_many(case: dict[str, Any]) -> None:
    right = project(case)
    assert [each for each in right.check(template_only=True).findings if each.id not in ("parameter-unused", "value-unused")] == []
    check = _TypeCheck(Knowledge({}).of(right.template))
    check.run()
    resources = right.template.resources
    assert check.families.quiet(resources["made3"]) >= set(case.get("proved", ())) and not check.families.quiet(resources["hub1"]) - {
        "range",
        "name",
    }
    for wrong, id in case["wrong"].items():
        found = project(case, wrong).check(template_only=True).findings
        told = [(each.id, each.span.line) for each in found if each.span is not None and not each.id.endswith("-unused")]
        lines = right.template.origin.source.text.splitlines()
        first = lines.index(f"  made{_MANY - 2} ({case['type']}):") + 1
        assert [each for each, _ in told] == [id] and first < told[0][1] <= first + case["properties"].count("\n") + 1, (wrong, told)


@pytest.mark.parametrize("wrong", ["1", "1.0"])
def test_equal_values_of_other_types_are_told_apart(wrong: str) -> None:
    case = next(param.values[0] for param in load_cases("families.yaml") if "other types" in str(param.values[0]["name"]))  # type: ignore[call-overload,index]
    found = check_templates(project(case, wrong).templates)  # type: ignore[arg-type]  # alone: no rendering says it, too
    assert [(each.id, each.address) for each in found] == [("property-type", f"made{_MANY - 2}")]


def test_few_are_looked_at_one_by_one() -> None:
    case = load_cases("families.yaml")[0].values[0]
    found = project(case)  # type: ignore[arg-type]
    check = _TypeCheck(Knowledge({}).of(found.template))
    before, members.LEAST = members.LEAST, _MANY + 1
    try:
        check.run()
        assert check.families.quiet(found.template.resources["made3"]) == frozenset()
    finally:
        members.LEAST = before


PATTERNS = ("^[a-z][a-z0-9-]*$", "^[ab]+$", "^[ab]*$", "^[a-z][b]+$", "^a|b$", "^[^a]*$", r"^[\w]*$", "^[a-c", "^[a][b][c]*$")


@given(st.sampled_from(PATTERNS), st.text("abz09-A\n", max_size=5))
def test_the_form_of_a_pattern_says_what_it_says(pattern: str, text: str) -> None:
    form = form_of(pattern)
    if form is not None:
        matches = (
            len(text) >= form.least and form.others.fullmatch(text[1:]) is not None and (not text or form.first.match(text) is not None)
        )
        assert matches is (re.fullmatch(pattern.replace("$", r"\Z"), text) is not None)


PART = st.one_of(
    st.text("ab9-", max_size=3),
    st.lists(st.one_of(st.text("ab9-", max_size=2), st.integers(-3, 12), st.booleans()), min_size=1, max_size=3),
)


@given(st.lists(PART, min_size=1, max_size=4), st.sampled_from(PATTERNS), st.integers(0, 3), st.integers(3, 12))
def test_a_text_that_is_said_to_fit_fits(parts: list[Any], pattern: str, shortest: int, longest: int) -> None:
    schema = {"type": "string", "minLength": shortest, "maxLength": longest}
    if form_of(pattern) is not None:
        schema["pattern"] = pattern
    place = PropertyPlace({"properties": {"name": schema}}, "t", ("name",))
    known = [each if isinstance(each, str) else Type(STRING.kinds, tuple(each)) for each in parts]
    if Fitting().takes_joined(known, place):
        texts = [""]
        for each in parts:
            options = (
                [each] if isinstance(each, str) else [str(option).lower() if isinstance(option, bool) else str(option) for option in each]
            )
            texts = [text + option for text in texts for option in options]
        assert all(Validator(schema).violations(text) == [] for text in texts)
