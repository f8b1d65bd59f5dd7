"""Rules before any environment: what can fit nothing is an error at its place, and such a rule is not judged."""

from typing import Any

import pytest
import yaml

from jovial_scaffold.core.project import Project
from tests.support import in_memory, load_cases

FILES = {
    "jovial.yaml": """project: ferry
template: t.yaml
catalogs: [fulmar]
rulesets: [rules.yaml]
environments:
  sandbox: {parameters: [p.yaml], labels: {tier: low}}
  live: {parameters: [p.yaml], labels: {tier: high}}
""",
    "p.yaml": "world: live\ncopies: 2\n",
    "t.yaml": """parameters:
  world: {enum: [sandbox, live], description: Which}
  copies: {type: integer, minimum: 1, maximum: 9, description: How many}
resources:
  dock (fulmar.network): {name: dock-net, range: 10.0.0.0/16}
  pier (fulmar.subnet): {name: dock-pier, network: "${dock.id}", range: 10.0.1.0/24, zone: valley}
  queue (fulmar.queue): {name: "queue-${world}", encrypted: true}
  gate (fulmar.machine): {name: gate-one, image: base, size: s, zone: valley, subnet: "${pier.id}"}
  old (fulmar.machine_group.v1): {name: old-pool, image: base, size: s, copies: 1}
  new (fulmar.machine_group.v2): {name: new-pool, image: base, size: s, copies: "${copies}", subnets: ["${pier.id}"]}
outputs: {url: "${queue.url}"}
""",
}


def project(rules: dict[str, Any]) -> Project:
    files = {**FILES, "rules.yaml": yaml.safe_dump({"ruleset": "House", "rules": rules})}
    return in_memory(files)


@pytest.mark.parametrize("case", load_cases("rules_static.yaml"))
def test_each_rule_is_a_typed_program(case: dict[str, Any]) -> None:
    checked = project({"one": {"because": "It must.", **case["rule"]}})
    found = []
    for finding in checked.check().findings:
        if finding.span is not None and finding.span.file == "rules.yaml" and finding.level == "error":
            source = checked.source("rules.yaml")
            assert source is not None and finding.span.line == finding.span.end_line
            found.append(f"{finding.id}: {source.line(finding.span.line)[finding.span.column - 1 : finding.span.end_column - 1]}")
    assert found == case["findings"]


def test_a_rule_that_is_wrong_is_not_judged() -> None:
    wrong, right = {"because": "a", "require": "self.nothing == 1"}, {"because": "b", "require": "self.name.startsWith('x')"}
    found = project({"wrong": wrong, "right": right}).check()
    assert {each.id for each in found.findings if each.level == "error"} == {"rule-invalid", "rule-failed"}
    assert all("right" in str(each.message.operands[0]) for each in found.findings if each.id == "rule-failed")
