"""Every kind of mistake in every place that takes an expression."""

from itertools import product
from pathlib import Path
from typing import Any

import pytest
import yaml

from jovial_scaffold.core.folders import MemoryFolder
from jovial_scaffold.core.project import Project
from jovial_scaffold.reports.words import said

_CASES = yaml.safe_load((Path(__file__).parent / "cases" / "positions.yaml").read_text(encoding="utf-8"))
_PROJECT = """project: p
template: t.yaml
catalogs: [fulmar]
environments:
  north: {parameters: [p.yaml], labels: {tier: high}}
  south: {parameters: [p.yaml], labels: {tier: low}}
"""
_VALUES = "world: outer\ncoast: abc\nposts: [{code: kk, rank: a}]\nchief: {code: kk, rank: a}\ncount: 1\n"


def _indented(text: str, by: str) -> str:
    return text.replace("\n", f"\n{by}")


def files_of(place: dict[str, Any], expression: str) -> dict[str, str]:
    """A project with an expression in a place."""
    template = str(_CASES["head"])
    for section in ("outputs", "resources"):
        template = template.replace(f"@{section}", _indented(place.get(section, ""), "  "))
    for section in ("let", "everywhere", "functions", "documents", "must"):
        template += f"{section}:\n  {_indented(place[section], '  ')}\n" if section in place else ""
    template = template.replace("types:\n", f"  {_indented(place.get('parameters', ''), '  ')}\ntypes:\n", 1)
    others = {name: text for name, text in place.items() if "." in name}
    return {name: text.replace("@", expression) for name, text in {"t.yaml": template, **others}.items()}


@pytest.mark.parametrize(("mistake", "place"), list(product(_CASES["mistakes"], _CASES["places"])))
def test_it_is_found_once_at_its_line(mistake: str, place: str) -> None:
    kind, where = _CASES["mistakes"][mistake], _CASES["places"][place]
    files = files_of(where, kind["is"])
    found = Project(MemoryFolder({name: text.encode() for name, text in {"jovial.yaml": _PROJECT, **files}.items()})).check(
        template_only=True
    )
    expected = where.get("but", {}).get(mistake, kind["gives"])
    assert [each.id for each in found.findings] == expected, [(each.span, said(each.message)) for each in found.findings]
    name = where.get("in", "t.yaml")
    lines = [number for number, line in enumerate(files[name].splitlines(), 1) if kind["is"] in line]
    assert all(each.span is not None and each.span.file == name and each.span.line in lines for each in found.findings)


@pytest.mark.parametrize("place", _CASES["places"])
def test_an_environment_adds_nothing_to_it(place: str) -> None:
    where = _CASES["places"][place]
    for mistake, kind in _CASES["mistakes"].items():
        if (place, mistake) == ("what a loop goes over", "a value that no item has"):
            continue  # it gives an empty text there, which is no key
        files = {"jovial.yaml": _PROJECT, "p.yaml": _VALUES, **files_of(where, kind["is"])}
        found = Project(MemoryFolder({name: text.encode() for name, text in files.items()})).check()
        assert [each.id for each in found.findings] == where.get("but", {}).get(mistake, kind["gives"]), mistake


_RULES = _CASES["rules"]


@pytest.mark.parametrize(("mistake", "place"), list(product(_RULES["mistakes"], _RULES["places"])))
def test_it_is_found_once_at_its_line_in_a_rule(mistake: str, place: str) -> None:
    kind, where = _RULES["mistakes"][mistake], _RULES["places"][place]
    text = str(_RULES["head"]).replace("@let", _indented(where.get("let", "more: 1"), "  "))
    text = text.replace("@rule", _indented(where["rule"], "    ")).replace("@", kind["is"])
    pool = "pool (fulmar.machine_group): {name: pool, image: i, size: s, copies: 1}"
    files = {"jovial.yaml": f"{_PROJECT}rulesets: [r.yaml]\n", **files_of({"resources": pool}, ""), "r.yaml": text}
    found = Project(MemoryFolder({name: content.encode() for name, content in files.items()})).check(template_only=True)
    assert [each.id for each in found.findings] == kind["gives"], [(each.span, said(each.message)) for each in found.findings]
    (span,) = [each.span for each in found.findings]
    assert span is not None and span.file == "r.yaml" and kind["is"] in text.splitlines()[span.line - 1]
