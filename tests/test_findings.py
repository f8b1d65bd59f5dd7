"""Mini projects: every planted mistake is found at its exact place, and nothing else is said."""

from typing import Any

import pytest

from jovial_scaffold import Project
from jovial_scaffold.core.findings import Finding, Span, merged
from jovial_scaffold.core.project import Overrides
from tests.support import Write, load_cases

PROJECT = """project: trial
template: line.yaml
catalogs: [fulmar]
environments:
  sandbox: {parameters: [sandbox.yaml]}
  live: {parameters: [live.yaml]}
"""


def mini_project(write: Write, case: dict[str, Any]) -> Project:
    files = {
        "jovial.yaml": PROJECT,
        "line.yaml": case["template"],
        "sandbox.yaml": case.get("sandbox", ""),
        "live.yaml": case.get("live", ""),
    }
    if "rules" in case:
        files |= {"rules.yaml": case["rules"], "jovial.yaml": f"{PROJECT}rulesets: [rules.yaml]\n"}
    return Project.load(write(files), Overrides({"HOME": "/somewhere"}))


@pytest.mark.parametrize("case", load_cases("findings.yaml"))
def test_findings(write: Write, case: dict[str, Any]) -> None:
    found = mini_project(write, case).check().findings
    assert sorted([f.id, f.span.file, f.span.line, f.span.column] for f in found if f.span) == sorted(case["findings"]), found
    assert all((f.span and f.message.endswith((".", "?", "!", "…"))) or f.id in ("must-failed", "rule-failed") for f in found)
    assert found == mini_project(write, case).check().findings


def test_one_mistake_in_several_environments_and_items_is_one_finding() -> None:
    span = Span("a", 1, 1, 1, 2)
    parts = [
        Finding("x", "error", f"value {n}", span, address=f"a/{n}", environments=(e,), group="g")
        for n in (2, 1)
        for e in ("live", "sandbox")
    ]
    joined = merged(parts, ["sandbox", "live"])
    assert len(joined) == 1
    assert joined[0].environments == ("sandbox", "live") and joined[0].address == "a/1" and joined[0].elsewhere == ("a/2",)
    assert merged(reversed(parts), ["sandbox", "live"]) == joined


def test_a_finding_names_the_line_that_brought_the_value_in(write: Write) -> None:
    case = {
        "template": """parameters:
  scale: {type: object, description: d}
let: {chosen: "${scale}"}
resources:
  pool (fulmar.machine_pool): {name: pool, image: x, size: s, copies: "${chosen.copies}"}
""",
        "sandbox": "scale:\n  copies: three\n",
        "live": "scale: {copies: 3}",
    }
    (finding,) = mini_project(write, case).check().findings
    assert finding.id == "property-type" and finding.where == "pool:copies" and finding.environments == ("sandbox",)
    assert [(r.span.file, r.span.line, r.span.column) for r in finding.related] == [("sandbox.yaml", 2, 11)]
    assert finding.message == '`copies` takes an integer, and this gives the text "three".'
