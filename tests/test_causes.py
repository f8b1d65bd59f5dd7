"""One wrong value is one finding at the line that a person would mend, however many resources it reaches."""

from typing import Any

import pytest

from tests.support import in_memory, load_cases

HEAD = """parameters:
  line: {type: string, description: Short name of the line}
  setting: {enum: [sandbox, live], description: Which}
  stations: {type: array, items: {type: object, additionalProperties: {type: string}}, description: Where}
  hours: {type: integer, description: How long}
  plan: {type: object, description: All of it}
let:
  all: ${plan}
  prefix: ${line}-x
  both: ${line}-${setting}
  owner: {name: "${line}"}
  sizes: {sandbox: small, live: large}
resources:
"""
FILES = {
    "jovial.yaml": "project: p\ntemplate: t.yaml\ncatalogs: [fulmar]\nenvironments: {sandbox: {parameters: [sandbox.yaml]}, live: {parameters: [live.yaml]}}",
    "sandbox.yaml": "line: alp\nsetting: sandbox\nstations: [{code: kes, name: kes-one}]\nhours: 4\nplan: {line: alp, deep: {line: alp}}\n",
    "live.yaml": "line: Alp\nsetting: live\nstations: [{code: kes, name: Kes}, {code: olt, name: olt-one}]\nhours: 99999\nplan: {line: Alp, deep: {line: Bri}}\n",
}


@pytest.mark.parametrize("case", load_cases("causes.yaml"))
def test_findings_stand_at_their_cause(case: dict[str, Any]) -> None:
    template = HEAD.replace("resources:\n", "") + "resources:\n" + "".join(f"  {line}\n" for line in case["resources"].splitlines())
    files = {**FILES, "t.yaml": template}
    found = []
    for finding in in_memory(files).check().findings:
        if finding.level == "error" and finding.span is not None:
            place = f"{finding.span.file}:{finding.span.line}:{finding.span.column}"
            found.append(f"{place} {finding.id} {1 + len(finding.elsewhere)}")
    assert found == case["findings"]
