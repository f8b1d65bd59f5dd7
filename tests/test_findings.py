"""Mini projects: every planted mistake is found at its exact place, and nothing else is said."""

from typing import Any

import pytest
import yaml

from jovial_scaffold import Project
from jovial_scaffold.core.changes.driving import names_of
from jovial_scaffold.core.expressions.marked import to_json
from jovial_scaffold.core.findings import Finding, Span, merged
from jovial_scaffold.core.project_file import ProjectError
from jovial_scaffold.core.project_inputs import Overrides
from jovial_scaffold.core.text.source import pointer_text
from jovial_scaffold.core.words import say
from jovial_scaffold.reports.words import said
from tests.support import Write, in_memory, load_cases

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
    assert case.get("says", "") in " ".join(f"{said(each.message)} {said(each.hint)}" for each in found)
    if "related" in case:
        assert [[each.span.file, each.span.line, each.span.column] for f in found for each in f.related if each.span] == case["related"]
    assert all((f.span and said(f.message).endswith((".", "?", "!", "…"))) or f.id in ("must-failed", "rule-failed") for f in found)
    assert found == mini_project(write, case).check().findings


def test_one_mistake_in_several_environments_and_items_is_one_finding() -> None:
    span = Span("a", 1, 1, 1, 2)
    parts = [
        Finding("x", "error", say("value {}", n), span, address=f"a/{n}", environments=(e,), group="g")
        for n in (2, 1)
        for e in ("live", "sandbox")
    ]
    joined = merged(parts, ["sandbox", "live"])
    assert len(joined) == 1
    assert joined[0].environments == ("sandbox", "live") and joined[0].address == "a/1" and joined[0].places == ("a/1", "a/2")
    assert joined[0].also_at == (("live", ("a/1", "a/2")), ("sandbox", ("a/1", "a/2")))
    alone = merged(parts[:2], ["sandbox", "live"])  # one address, in both
    assert alone[0].also_at == () and alone[0].environments == ("sandbox", "live")
    mixed = merged([*parts[:1], parts[3]], ["sandbox", "live"])
    assert mixed[0].also_at == (("live", ("a/2",)), ("sandbox", ("a/1",))) and mixed[0].address == "a/1"
    assert merged(reversed(parts), ["sandbox", "live"]) == joined


def test_a_finding_names_the_line_that_brought_the_value_in(write: Write) -> None:
    case = {
        "template": """parameters:
  scale: {type: object, description: d}
let: {chosen: "${scale}"}
resources:
  pool (fulmar.machine_group): {name: pool, image: x, size: s, copies: "${chosen.copies}"}
""",
        "sandbox": "scale:\n  copies: three\n",
        "live": "scale: {copies: 3}",
    }
    (finding,) = mini_project(write, case).check().findings
    assert finding.id == "property-type" and finding.where == "pool:copies" and finding.environments == ("sandbox",)
    assert finding.span is not None and (finding.span.file, finding.span.line, finding.span.column) == ("sandbox.yaml", 2, 11)
    assert [(r.span.file, r.span.line, r.span.column) for r in finding.related] == [("line.yaml", 5, 75)]
    assert said(finding.message) == '`copies` takes an integer, and this gives the text "three".'


@pytest.mark.parametrize("case", load_cases("project.yaml"))
def test_project_file(write: Write, case: dict[str, Any]) -> None:
    template = "resources: {net (fulmar.network): {name: net, range: 10.0.0.0/8}}\n"
    project = Project.load(write({"jovial.yaml": case["file"], "line.yaml": template, "values.txt": "a"}))
    found = [f for f in project.check().findings if f.span and f.span.file == "jovial.yaml"]
    assert sorted([f.id, f.level, f.span.line, f.span.column] for f in found if f.span) == sorted(case["findings"]), found


@pytest.mark.parametrize("case", load_cases("rules.yaml"))
def test_rules(write: Write, case: dict[str, Any]) -> None:
    files = {
        "jovial.yaml": "project: trial\ntemplate: line.yaml\ncatalogs: [fulmar]\nrulesets: [rules.yaml]\n"
        "environments: {sandbox: {parameters: [], labels: {tier: low}}}\n",
        "line.yaml": "parameters: {copies: {type: integer, default: 3, description: d}}\n"
        "resources:\n  net (fulmar.network): {name: net-a, range: 10.0.0.0/8}\n"
        '  pool (fulmar.machine_group): {name: pool-a, image: i, size: s, copies: "${copies}"}\noutputs: {size: "${pool.copies}"}\n',
        "rules.yaml": yaml.safe_dump({"ruleset": "R", "let": case.get("let", {}), "rules": {"r": case["rule"]}}),
    }
    found = Project.load(write(files)).check().findings
    assert sorted([f.id, f.level, f.address] for f in found) == sorted(said[:3] for said in case["said"]), found
    for identity, _, address, part in case["said"]:
        assert any(part in f"{said(f.message)} {said(f.hint)}" for f in found if f.id == identity and f.address == address), found


@pytest.mark.parametrize("case", load_cases("comparing.yaml"))
def test_comparing(write: Write, case: dict[str, Any]) -> None:
    files = {
        "jovial.yaml": "project: trial\ntemplate: line.yaml\ncatalogs: [fulmar]\nenvironments:\n"
        "  a: {parameters: [a.yaml], labels: {tier: low}}\n  b: {parameters: [b.yaml], labels: {tier: high}}\n",
        "line.yaml": case["template"],
        "a.yaml": yaml.safe_dump(case.get("a", {})),
        "b.yaml": yaml.safe_dump(case.get("b", {})),
        **case.get("files", {}),
    }
    project = Project.load(write(files))
    assert [f for f in project.check().findings if f.level == "error"] == []
    rows = []
    for row in project.compare().rows:
        values = [to_json(row.values.get(name, "absent")) for name in ("a", "b")]
        rows.append([row.address, pointer_text(row.pointer), *values, list(names_of(row.drivers))])
    assert rows == case["rows"]


_KINDS_OF_PATHS = {
    "template: nowhere": "file-missing",
    "template: rules/": "file-role",
    "template: empty/": "file-missing",
    "template: rules/none.txt": "file-missing",
    "rulesets: [empty/]": "file-missing",
    "rulesets: [gone/]": "file-missing",
    "rulesets: [line.yaml]": "file-role",
    "catalogs: [fulmar, line.yaml]": "catalog-schema",
    "environments: {live: {parameters: [empty/]}}": "file-unreadable",
    "environments: {live: {parameters: [rules/house.yaml]}}": "file-role",
    "environments: {live: line.yaml}": "project-shape",
    "waivers: rules/house.yaml": "waiver-shape",
}


@pytest.mark.parametrize("line", _KINDS_OF_PATHS)
def test_what_is_missing_empty_or_of_another_kind_says_so(line: str, write: Write) -> None:
    plain = {
        "template": "template: line.yaml",
        "catalogs": "catalogs: [fulmar]",
        "rulesets": "rulesets: [rules/]",
        "environments": "environments: {live: {}}",
    }
    plain[line.partition(":")[0]] = line
    files = {
        "jovial.yaml": "project: trial\n" + "\n".join(plain.values()) + "\n",
        "line.yaml": "resources: {net (fulmar.network): {name: net-a, range: 10.0.0.0/8}}\n",
        "rules/house.yaml": "ruleset: House\nrules: {}\n",
        "empty/readme.txt": "nothing",
    }
    folder = write(files)
    try:
        found = list(Project.load(folder).check().findings)
    except ProjectError as error:
        found = error.findings
    place = files["jovial.yaml"].splitlines().index(line) + 1
    assert [each.id for each in found if each.id not in ("parameter-file-unused", "rule-idle")] == [_KINDS_OF_PATHS[line]], found
    span = found[0].span
    assert span is not None and (span.file != "jovial.yaml" or span.line == place)


def test_names_that_differ_in_capitals_are_one_in_a_file_of_texts() -> None:
    files = {
        "jovial.yaml": "project: trial\ntemplate: line.yaml\nenvironments: {live: {parameters: [live.env]}}\n",
        "line.yaml": "parameters: {copies: {type: integer, description: d}}\noutputs: {o: '${copies}'}\n",
        "live.env": "COPIES=1\ncopies=2\n",
    }
    (found,) = in_memory(files).check().findings
    assert found.id == "duplicate-key" and found.span is not None and found.span.line == 2
    assert said(found.message) == "`COPIES` and `copies` are one name: capitals mean nothing here."


def test_a_parameter_file_that_no_environment_takes() -> None:
    files = {
        "jovial.yaml": "project: p\ntemplate: t.yaml\ncatalogs: [fulmar]\nenvironments: {live: {parameters: [live.yaml]}}\n",
        "t.yaml": "parameters: {line: {type: string, description: l}}\nresources: {q (fulmar.queue): {name: '${line}'}}\n",
        "live.yaml": "line: alp\n",
        "old.yaml": "line: brig\n",
        "old.env": "LINE=brig\n",
        "other.yaml": "line: brig\nwidth: 3\n",
        "notes.json": "[1]",
        "broken.yaml": "line: 'x\n",
    }
    found = in_memory(files).check().findings
    assert [(each.id, str(each.message.operands[0])) for each in found] == [
        ("parameter-file-unused", "old.env"),
        ("parameter-file-unused", "old.yaml"),
    ]


def test_a_mistake_in_a_loop_is_counted_by_what_is_rendered() -> None:
    files = {
        "jovial.yaml": "project: p\ntemplate: t.yaml\ncatalogs: [fulmar]\nenvironments: {a: {parameters: []}, b: {parameters: []}}\n",
        "t.yaml": "resources:\n  belt (fulmar.queue): {$per: {c: \"['x', 'y', 'z']\"}, name: 'belt-${c}', colour: red}\n  use (./m.yaml): {}\n",
        "m.yaml": "resources: {one (fulmar.queue): {name: one, colour: red}}\n",
    }
    loop, single = sorted(in_memory(files).check().findings, key=lambda each: each.span is not None and each.span.file, reverse=True)
    assert loop.places == ("belt/x:colour", "belt/y:colour", "belt/z:colour") and single.places == ("use/one:colour",)
