"""Whole small projects in every feature of the template language: what they render, and every finding with its place."""

from typing import Any

import pytest
import yaml

from jovial_scaffold import Project
from jovial_scaffold.core.expressions.marked import to_json
from jovial_scaffold.reports.words import said
from tests.support import Write, load_cases


def project_files(case: dict[str, Any]) -> dict[str, str]:
    """The files of a case, with a project file and one parameter file."""
    lines = ["project: trial", f"template: {case.get('template', 'line.yaml')}", "catalogs: [fulmar]", case.get("project", "")]
    lines.append(f"environments: {{trial: {{parameters: [{case.get('parameters', 'values.yaml')}]}}}}")
    return {"jovial.yaml": "\n".join(filter(None, lines)) + "\n", "values.yaml": yaml.safe_dump(case.get("with", {})), **case["files"]}


@pytest.mark.parametrize("case", load_cases("features.yaml"))
def test_feature(write: Write, case: dict[str, Any]) -> None:
    project = Project.load(write(project_files(case)))
    found = [
        [f.id, f.span.file, f.span.line, f.span.column, *(related.span.file for related in f.related)] if f.span else [f.id]
        for f in project.check().findings
    ]
    assert found == case.get("findings", []), [said(f.message) for f in project.check().findings]
    rendering = project.render("trial")
    if "gives" in case:
        assert {address: to_json(resource.properties) for address, resource in rendering.resources.items()} == case["gives"]
    for address, after in case.get("after", {}).items():
        assert list(rendering.resources[address].after) == after
    if "outputs" in case:
        assert to_json(rendering.outputs) == case["outputs"]
    if "documents" in case:
        assert {name: [each.to, each.text] for name, each in rendering.documents.items()} == case["documents"]
    if "keep" in case:
        assert sorted(address for address, each in rendering.resources.items() if each.keep) == case["keep"]
    if "formerly" in case:
        assert {address: each.formerly for address, each in rendering.resources.items() if each.formerly} == case["formerly"]
