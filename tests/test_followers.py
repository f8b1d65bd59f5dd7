"""One mistake is one finding: nothing is said that only follows from it."""

from typing import Any

import pytest

from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.project_file import ProjectError
from tests.support import in_memory, load_cases

FILES = {
    "jovial.yaml": """project: p
template: t.yaml
catalogs: [fulmar]
rulesets: [r.yaml]
environments: {live: {parameters: [p.yaml]}}
""",
    "p.yaml": "line: alp\nstations: [{code: kes}]\n",
    "r.yaml": """ruleset: R
rules:
  one:
    because: b
    applies: [fulmar.queue]
    require: self.name != 'zzz'
""",
    "t.yaml": """types:
  station: {type: object, properties: {code: {type: string}}, required: [code], additionalProperties: false}
parameters:
  line: {type: string, description: L}
  stations: {type: array, items: {$ref: "#/types/station"}, description: S}
let:
  prefix: ${line}-x
functions:
  shout: {takes: {word: {type: string}}, gives: {type: string}, is: word + '!'}
resources:
  q (fulmar.queue):
    name: ${prefix}-q
    tags: {a: "${shout(line)}"}
  each (fulmar.queue):
    $per: {s: stations}
    $key: s.code
    name: ${line}-${s.code}
""",
}


def findings(files: dict[str, str]) -> list[Finding]:
    try:
        return list(in_memory(files).check().findings)
    except ProjectError as error:
        return error.findings


def test_the_project_is_fine() -> None:
    assert findings(FILES) == []


@pytest.mark.parametrize("case", load_cases("followers.yaml"))
def test_one_mistake_is_one_finding(case: dict[str, Any]) -> None:
    assert case["old"] in FILES[case["file"]]
    found = findings({**FILES, case["file"]: FILES[case["file"]].replace(case["old"], case["new"], 1)})
    places = [f"{each.id} {each.span.file}:{each.span.line}:{each.span.column}" for each in found if each.span is not None]
    assert places == case["findings"]


def test_a_type_that_is_wrong_is_wrong_once_whatever_refers_to_it() -> None:
    files = {
        "jovial.yaml": "project: p\ntemplate: t.yaml\nenvironments: {live: {parameters: [p.yaml]}}\n",
        "t.yaml": """types:
  base: {type: string, pattern: "("}
  part: {type: object, properties: {x: {$ref: "#/types/base"}, y: {$ref: "#/types/%6fther"}}}
  other: {type: integer}
parameters:
  p: {$ref: "#/types/base", description: d}
  q: {$ref: "#/types/part", description: d}
outputs: {o: "${p}", r: "${q}"}
""",
        "p.yaml": "p: a\nq: {x: a, y: 3}\n",
    }
    found = in_memory(files).check().findings
    assert [(each.id, each.span and each.span.line) for each in found] == [("schema-invalid", 2)]
