"""What a template gets wrong before any environment: environments, labels, joined texts, optional values, and safe reading of what is nowhere."""

from typing import Any

import pytest
import yaml

from jovial_scaffold.reports.words import said
from tests.fuzz.code import NEVER, code_from
from tests.support import check_templates, in_memory, load_cases

PROJECT = """project: ferry
template: t.json
catalogs: [fulmar]
environments:
  sandbox: {labels: {tier: low, place: valley}}
  live: {labels: {tier: high}}
"""


def template(put: dict[str, Any]) -> dict[str, Any]:
    return {
        "parameters": {
            "world": {"enum": ["sandbox", "live"], "description": "Which"},
            "copies": {"type": "integer", "minimum": 1, "maximum": 5, "description": "How many"},
            "owner": {
                "type": "object",
                "properties": {"name": {"type": "string"}},
                "additionalProperties": False,
                "description": "Who",
            },
            "line": {"type": "string", "description": "Short name"},
        },
        "let": {
            "here": "${context.environment}",
            "deeper": {"at": "${here}"},
            "tier": "${context.labels.tier}",
            "table": {"sandbox": "a", "live": "b"},
            "partly": {"sandbox": "a", "rehearsal": "b"},
            "by_tier": {"low": "a", "hihg": "b"},
        },
        "resources": {
            "dock (fulmar.network)": {"name": "dock-net", "range": "10.0.0.0/16"},
            "other (fulmar.queue)": {"name": "queue-b", "failed_to": "queue-c"},
            "queue (fulmar.queue)": {"name": "queue-a", **put},
        },
    }


@pytest.mark.parametrize("case", load_cases("before_environments.yaml"))
def test_it_is_said_at_its_place(case: dict[str, Any]) -> None:
    text = yaml.safe_dump(template(case["put"]), width=1000)
    files = {"jovial.yaml": PROJECT.replace("t.json", "t.yaml"), "t.yaml": text}
    project = in_memory(files)
    with code_from(NEVER):
        found = check_templates(project.templates, {"sandbox": {"tier": "low", "place": "valley"}, "live": {"tier": "high"}})
    told = []
    for finding in found:
        span, source = finding.span, project.source("t.yaml")
        assert span is not None and source is not None and span.line == span.end_line
        told.append(f"{finding.level} {finding.id}: {source.line(span.line)[span.column - 1 : span.end_column - 1]}".replace("''", "'"))
    assert told == case["findings"]
    assert case.get("says", "") in "".join(said(each.hint) for each in found)
