"""What is proposed where something is wrong: it is found by how the value is written, and said of every way to meet it."""

from typing import Any

import pytest
import yaml

from jovial_scaffold.core.findings import Finding
from jovial_scaffold.reports.words import said
from tests.support import in_memory, load_cases

PROJECT = "project: advice\ntemplate: t.yaml\ncatalogs: [fulmar]\nenvironments: {live: {parameters: [p.yaml]}}\n"
HEAD = """parameters:
  line: {type: string, description: Line}
  copies: {type: integer, description: How many}
resources:
"""


def hints(template: str, early: bool) -> list[str]:
    """The hints of errors, first of what stands first."""
    project = in_memory({"jovial.yaml": PROJECT, "t.yaml": HEAD + template, "p.yaml": "line: alp\ncopies: 3\n"})
    found: list[Finding] = [each for each in project.check(template_only=early).findings if each.level == "error"]
    return [said(each.hint) for each in found]


@pytest.mark.parametrize("early", [True, False])
@pytest.mark.parametrize("case", load_cases("advice.yaml"))
def test_what_to_write_instead(case: dict[str, Any], early: bool) -> None:
    resources = {"net (fulmar.network)": {"name": "net-a", "range": case.get("net", "10.0.0.0/8")}}
    if "put" in case:
        resources["queue (fulmar.queue)"] = {"name": "queue-a", **case["put"]}
    template = yaml.safe_dump(resources, width=1000)
    if "line" in case:
        template += f"queue (fulmar.queue):\n  {case['line']}\n" + ("" if "name:" in case["line"] else "  name: queue-a\n")
    told = hints("".join(f"  {line}\n" for line in template.splitlines()), early)
    assert told and (case["says"] in told[0] if case["says"] else "placeholder" not in told[0] and "RE2 looks" not in told[0]), told
