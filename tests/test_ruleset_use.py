"""Rulesets as projects use them: values for what they take, levels, and rulesets that include others."""

from typing import Any

import pytest

from jovial_scaffold.core.text.written_values import yaml_flow
from jovial_scaffold.reports.words import said
from tests.support import in_memory, load_cases

FILES = {
    "line.yaml": "resources:\n  gates (fulmar.machine_group): {name: gates, image: gate-7, size: s, copies: 4}\n",
    "house.yaml": """ruleset: House
takes:
  largest: {type: integer, minimum: 1, description: How many gates}
  strict: {type: boolean, default: false}
let: {most: "${largest}"}
rules:
  few_gates: {because: The station is small., applies: [fulmar.machine_group], require: self.copies <= most, tags: [size]}
  never: {because: We are strict., applies: [fulmar.machine_group], where: strict, require: self.copies > largest}
""",
}


@pytest.mark.parametrize("case", load_cases("ruleset_use.yaml"))
def test_rulesets_as_a_project_uses_them(case: dict[str, Any]) -> None:
    environments = "{sandbox: {}, live: {}}"
    entry = f"project: p\ntemplate: line.yaml\ncatalogs: [fulmar]\nrulesets: {yaml_flow(case['rulesets'])}\nenvironments: {environments}\n"
    found = in_memory({**FILES, **case.get("files", {}), "jovial.yaml": entry}).check().findings
    failed = [each for each in found if each.id == "rule-failed"]
    told = [f"{each.rule.partition('/')[2]} {each.level} {' '.join(sorted(each.environments))}" for each in failed]
    others = [each for each in found if each not in failed and each.id != "rule-idle"]
    if "found" in case:
        assert sorted(told) == sorted(case["found"]) and others == []
    for text in case.get("said", ()):
        assert any(text in said(each.message) for each in others), [said(each.message) for each in others]
    assert len(others) == len(case.get("said", ())), [said(each.message) for each in others]
    assert all(each.span is not None for each in others)
