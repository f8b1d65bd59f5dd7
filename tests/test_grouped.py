"""Comparisons of more columns than fit beside each other."""

import json
import re

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jovial_scaffold.reports.grouped import by_value, values_text
from jovial_scaffold.reports.matrix import matrix_text
from jovial_scaffold.reports.matrix_report import matrix_report
from jovial_scaffold.reports.tables import comma_separated, markdown, page
from jovial_scaffold.reports.terminal import Style
from tests.support import in_memory

_TEMPLATE = """template: Many
parameters:
  world: {type: string, description: Which}
  copies: {type: integer, description: How many}
  size: {type: string, description: How large}
  kinds: {type: integer, description: How many queues}
resources:
  pool (fulmar.machine_group): {name: "${world}-pool", image: base-2026-10, size: "${size}", copies: "${copies}", subnets: [a]}
  belt (fulmar.queue):
    $per: {n: "lists.range(kinds).map(x, string(x))"}
    name: ${world}-belt-${n}
    wait_hours: ${copies * 24}
"""
_WORLDS = [f"dusk-{number:02}" for number in range(25)]


def _text(width: int) -> str:
    project = {
        "project": "p",
        "template": "t.yaml",
        "catalogs": ["fulmar"],
        "environments": {name: {"parameters": [f"{name}.json"]} for name in _WORLDS},
    }
    values = {
        name: {"world": name, "copies": 1 if number < 18 else 3, "size": "xl" if number == 5 else "s", "kinds": 20 if number % 2 else 12}
        for number, name in enumerate(_WORLDS)
    }
    files = {f"{name}.json": json.dumps(each) for name, each in values.items()}
    comparison = in_memory({"jovial.yaml": json.dumps(project), "t.yaml": _TEMPLATE, **files}).compare(echoes=True)
    return matrix_text(comparison, Style(False, width), False)


@pytest.mark.parametrize("width", [60, 80, 120])
def test_twenty_five_environments_fit(width: int) -> None:
    text = _text(width)
    assert all(len(line) <= width for line in text.splitlines()), text
    assert len(text.splitlines()) < 40
    told = re.sub(r"\s+", " ", text)
    assert "pool copies 1 in 18 · 3 in dusk-18, dusk-19, dusk-20 and 4 others (copies)" in told
    assert "present no in 13 · yes in dusk-01, dusk-03, dusk-05 and 9 others (kinds) belt/1… (×8)" in told
    assert "s in 24 · xl in dusk-05 alone" in told


@given(st.dictionaries(st.text("abc", min_size=1, max_size=4), st.sampled_from("xyz"), min_size=1, max_size=30))
def test_every_value_is_told_and_no_column_is_lost(texts: dict[str, str]) -> None:
    groups = by_value(texts)
    assert sorted(name for _, names in groups for name in names) == sorted(texts)
    assert [text for text, _ in groups] == list(dict.fromkeys(text for text, _ in groups))
    assert all(f"{text} in " in values_text(texts) for text, _ in groups)


def test_very_many_values_are_counted() -> None:
    assert values_text({str(number): f"v{number}" for number in range(9)}) == "9 different values"


@pytest.mark.parametrize("width", [30, 60, 200])
def test_what_a_document_does_not_say_is_marked_once_in_every_form(width: int) -> None:
    worlds = ("dry", "wet", "flood")
    files = {
        "jovial.yaml": "project: p\ntemplate: t.yaml\ncatalogs: [fulmar]\nenvironments:\n"
        + "".join(f"  {each}: {{parameters: [{each}.yaml]}}\n" for each in worlds),
        "t.yaml": "parameters: {pass: {type: string, writeOnly: true, description: d}, depth: {type: integer, description: d}}\n"
        "resources: {net (fulmar.network): {name: net, range: 10.0.0.0/16}}\ndocuments: {plan: {from: plan.txt}}\n",
        "plan.txt": "  at ${net.id} with ${pass}, ${depth} deep in all of the basins of the upper canal and those of the lower one\n",
        **{f"{each}.yaml": f"pass: barge-on-the-canal\ndepth: {number}\n" for number, each in enumerate(worlds)},
    }
    comparison = in_memory(files).compare()
    report = matrix_report(comparison)
    for text in (matrix_text(comparison, Style(False, width), False), markdown(report), comma_separated(report), page(report)):
        assert "‹‹" not in text and "barge" not in text
    assert "at ‹net:id› with ‹secret›, 2 deep in all" in comma_separated(report)
