"""Echoes: rows that only repeat a parameter in a text, and how they are folded."""

import json
import re
from pathlib import Path
from typing import Any

import pytest

from jovial_scaffold.core.changes.echoes import Echoes
from jovial_scaffold.core.changes.matrix import Comparison, Row, compare
from jovial_scaffold.core.project import Project
from jovial_scaffold.reports.echoing import folded
from jovial_scaffold.reports.machine import compare_document, json_text
from jovial_scaffold.reports.matrix import matrix_text
from jovial_scaffold.reports.matrix_report import matrix_report
from jovial_scaffold.reports.terminal import Style
from tests.support import in_memory, load_cases, valid_json

_HEAD = """template: A line
parameters:
  setting: {type: string, description: Which world this is}
  owner: {type: string, description: Who answers for it}
  copies: {type: integer, description: Machines}
  range: {type: string, format: cidr, description: All addresses}
  place: {type: object, properties: {zone: {type: string}}, required: [zone], description: Where it stands}
let:
  prefix: alp-${setting}
  sizes: {dusk: xs, dawn: l}
  tier: "${setting == 'dusk' ? 'low' : 'high'}"
functions:
  named: {takes: {what: {type: string}, world: {type: string}}, gives: {type: string}, is: "'alp-' + world + '-' + what"}
  chosen: {takes: {what: {type: string}, world: {type: string}}, gives: {type: string}, is: "world == 'dusk' ? what : world"}
resources:
  net (fulmar.network): {name: net, range: 10.0.0.0/16}
"""
_VALUES = {
    "dusk": {"setting": "dusk", "owner": "ada", "copies": 1, "range": "10.1.0.0/16", "place": {"zone": "low"}},
    "dawn": {"setting": "dawn", "owner": "eve-2", "copies": 2, "range": "10.2.0.0/16", "place": {"zone": "high"}},
}


def compared(resources: str, values: dict[str, dict[str, Any]] = _VALUES, template: str = _HEAD) -> Comparison:
    """Two environments of a template with such resources."""
    environments = {name: {"parameters": [f"{name}.json"]} for name in values}
    project = {"project": "p", "template": "t.yaml", "catalogs": ["fulmar"], "environments": environments}
    files = {f"{name}.json": json.dumps(each) for name, each in values.items()}
    return in_memory({"jovial.yaml": json.dumps(project), "t.yaml": template + resources, **files}).compare(echoes=True)


def row_of(comparison: Comparison, address: str, property: str) -> Row:
    """One of its rows."""
    return next(row for row in comparison.rows if row.address == address and row.pointer == (property,))


@pytest.mark.parametrize("case", load_cases("echoes.yaml"))
def test_what_is_an_echo(case: dict[str, str]) -> None:
    comparison = compared(f"  pool (fulmar.queue): {{name: {json.dumps(case['text'])}}}\noutputs: {{told: {json.dumps(case['text'])}}}\n")
    assert row_of(comparison, "pool", "name").echo == case.get("echo", "")
    assert next(row for row in comparison.rows if row.kind == "output").echo == case.get("echo", "")


def test_numbers_switches_and_what_is_only_in_some_columns_are_none() -> None:
    comparison = compared(
        "  pool (fulmar.machine_group): {name: pool, image: base, size: s, copies: '${copies}', subnets: [a]}\n"
        "  late (fulmar.queue): {name: '${setting}', failed_to: \"${?setting == 'dawn' ? optional.of(owner) : optional.none()}\"}\n"
    )
    assert row_of(comparison, "pool", "copies").echo == ""
    assert row_of(comparison, "late", "failed_to").echo == ""
    assert row_of(comparison, "late", "name").echo == "‹setting›"


def test_behind_a_condition_that_hangs_on_the_same() -> None:
    comparison = compared("  late (fulmar.queue): {$when: setting != 'noon', name: 'alp-${setting}'}\n")
    assert row_of(comparison, "late", "name").echo == "alp-‹setting›"


@pytest.mark.parametrize(
    ("loop", "echo"),
    [
        ("$per: {row: rows}, $key: row.k", "x1-‹setting›"),
        ("$per: {row: rows}, $key: row.k, $when: setting != 'noon'", "x1-‹setting›"),
        ('$per: {row: "[rows[0], rows[1]].filter(r, r.k != setting)"}, $key: row.k', "x1-‹setting›"),
        ("$per: {row: \"setting == 'dusk' ? rows : others\"}, $key: row.k", ""),
        ("$per: {row: rows}, $key: \"setting == 'dusk' ? row.k : row.j\"", ""),
    ],
)
def test_items_of_which_the_same_parameter_decides(loop: str, echo: str) -> None:
    rows = "let:\n  rows: [{k: one, j: two, v: x1}, {k: two, j: one, v: x2}]\n  others: [{k: one, v: y1}, {k: two, v: y2}]\n"
    template = _HEAD.replace("let:\n", rows)
    in_list = 'disks: [{$per: {row: "setting == \'dusk\' ? rows : others"}, name: "${row.k}", kind: "${row.v}-${setting}"}]'
    text = f'  late (fulmar.queue): {{{loop}, name: "${{row.v}}-${{setting}}"}}\n  pool (fulmar.machine_group): {{name: pool, {in_list}}}\n'
    comparison = compared(text, template=template)
    assert row_of(comparison, "late/one", "name").echo == echo
    assert [row.echo for row in comparison.rows if row.pointer[:1] == ("disks",)] == ["", ""]


def test_secrets_are_none_and_show_nothing() -> None:
    values = {name: {**each, "word": f"much-too-secret-{name}"} for name, each in _VALUES.items()}
    resources = (
        "  safe (fulmar.machine_group):\n"
        "    {name: 'a-${setting}', image: base, size: s, copies: 1, operator_password: '${setting}-${word}', settings: {WORD: '${word}'}}\n"
    )
    head = _HEAD.replace("let:", "  word: {type: string, writeOnly: true, description: For the desk}\nlet:")
    environments = {name: {"parameters": [f"{name}.json"]} for name in values}
    project = {"project": "p", "template": "t.yaml", "catalogs": ["fulmar"], "environments": environments}
    files = {f"{name}.json": json.dumps(each) for name, each in values.items()}
    comparison = in_memory({"jovial.yaml": json.dumps(project), "t.yaml": head + resources, **files}).compare(echoes=True)
    assert {row.pointer[0]: row.echo for row in comparison.rows if row.echo} == {"name": "a-‹setting›"}
    assert "much-too" not in repr([row.echo for row in comparison.rows]) + matrix_text(comparison, Style(False, 100), False)


_LOOP = """  belt (fulmar.queue):
    $per: {letter: "['a', 'b', 'c', 'd']"}
    name: ${setting}-belt-${letter}
    tags: {owner: "${owner}", setting: "${setting}"}
    wait_hours: "${copies * 24}"
  one (fulmar.subnet): {name: "${setting}-one", network: "${net.id}", range: "${carve(range, 24, 1)}", zone: low}
  two (fulmar.subnet): {name: "${setting}-two", network: "${net.id}", range: "${carve(range, 24, 2)}", zone: low}
"""


def test_they_are_folded_by_what_they_have_in_common_and_counted() -> None:
    comparison = compared(_LOOP)
    folds = folded(comparison.rows)
    assert [(len(each.rows), each.label, each.pattern) for each in folds] == [
        (6, "name", "‹setting›-…"),
        (4, "tags/owner", "‹owner›"),
        (4, "tags/setting", "‹setting›"),
        (2, "range", "‹carve(range, 24, …)›"),
    ]
    assert sum(len(each.rows) for each in folds) == sum(bool(row.echo) for row in comparison.rows)
    text = matrix_text(comparison, Style(False, 100), False)
    assert re.search(r"^belt/a, b, c, d +wait_hours ", text, re.MULTILINE) and "(2 by echoes only)" in text
    assert "Echoes (16 rows, --echoes shows them): 6 name ‹setting›-…" in text and "4 tags/owner ‹owner›" in text
    unfolded = matrix_text(comparison, Style(False, 100), False, echoes=True)
    assert "Echoes" not in unfolded and len(unfolded.splitlines()) > len(text.splitlines())
    assert all(name in unfolded for name in ("dusk-belt-d", "10.2.2.0/24"))


def test_texts_that_speak_of_other_resources_are_folded_too() -> None:
    comparison = compared(
        """  net_of (fulmar.network):
    $per: {letter: "['a', 'b', 'c']"}
    name: net-${letter}
    range: 10.3.0.0/16
  belt (fulmar.queue):
    $per: {letter: "['a', 'b', 'c']"}
    name: "${setting}-belt"
    tags: {owner: "${letter} at ${net_of[letter].id} for\\n${setting}", setting: "${slug(net_of[letter].id + setting, 20)}"}
"""
    )
    assert [(len(each.rows), each.label, each.pattern) for each in folded(comparison.rows)] == [
        (3, "name", "‹setting›-belt"),
        (3, "tags/owner", "… at ‹net_of/…:id› for\n‹setting›"),
        (3, "tags/setting", "‹slug(net_of/….id + setting, 20)›"),
    ]


def test_few_are_not_folded() -> None:
    comparison = compared('  one (fulmar.queue): {name: "${setting}-one", tags: {owner: "${owner}"}}\n')
    text = matrix_text(comparison, Style(False, 100), False)
    assert folded(comparison.rows) == [] and "dusk-one" in text and "by echoes only" not in text


def test_reports_fold_them_too_and_json_says_what_they_repeat() -> None:
    comparison = compared(_LOOP)
    titles = [table.title for table in matrix_report(comparison).tables]
    assert titles == ["Differences", "Echoes", "What drives the differences"]
    assert [table.title for table in matrix_report(comparison, echoes=True).tables] == ["Differences", "What drives the differences"]
    rows = valid_json("compare", json_text(compare_document(comparison)))["rows"]
    assert {row.get("echo") for row in rows if row["label"] == "tags/owner"} == {"‹owner›"}
    assert all("echo" not in row for row in rows if row["label"] == "wait_hours")


def test_lines_of_documents(tmp_path: Path) -> None:
    environments = {name: {"parameters": [f"{name}.json"]} for name in _VALUES}
    project = {"project": "p", "template": "t.yaml", "catalogs": ["fulmar"], "environments": environments}
    files = {f"{name}.json": json.dumps(each) for name, each in _VALUES.items()}
    document = "documents:\n  start: {from: start.sh, to: '${setting}/start.sh'}\n"
    text = "export RANGE=${range}\nexport COPIES=${copies}\nexport TIER=${tier}\necho ${unset:-none} ${owner}\n"
    text += "at ${net.id} for ${setting}\nin ${net.id}-${owner} ${digest(setting, 4)}\n"
    loaded = in_memory({"jovial.yaml": json.dumps(project), "t.yaml": _HEAD + document, "start.sh": text, **files})
    renderings = loaded.views(loaded.environments)
    findings = [[*each.findings] for each in renderings]
    comparison = compare(renderings, echoes=True)
    assert [[*each.findings] for each in renderings] == findings  # looking at what is there says nothing anew
    found = {row.pointer[0]: row.echo for row in comparison.rows if row.kind == "document"}
    assert found == {
        "to": "‹setting›/start.sh",
        1: "export RANGE=‹range›",
        2: "",
        3: "",
        4: "echo none ‹owner›",
        5: "at ‹net:id› for ‹setting›",
        6: "in ‹net:id›-‹owner› ‹digest(setting, 4)›",
    }


@pytest.mark.parametrize(
    "text",
    [
        "line + '-x#'",
        "'X#-' + line",
        "slug('R#-' + line, 30)",
        "slug('R #', 20) + '-' + line",
        "slug(line, 1#)",
        "'Ab#'.lowerAscii() + line",
        "'Ab#'.upperAscii() + line",
        "(line + 'Ab#').lowerAscii()",
        "' x# '.trim() + line",
        "line.replace('a', 'x#')",
        "'a-b'.replace('-', 'x#') + line",
        "'a-b'.replace('q', 'x#') + line",
        "[line, 'x#'].join('-')",
        "['x', 'x#'].join(line)",
        "[line, line, 'a'].join('x#')",
        "string(#) + line",
        "digest('x#', 8) + line",
        "digest(line + 'x#', 8)",
        "as_json([line, 'x#'])",
        "as_json('x#') + line",
        "line + (# > 2 ? 'few' : 'many')",
        "line + ['a', 'b', 'c', 'd', 'e', 'f', 'g', 'h'][#]",
        "line + string(# + 1)",
        "carve(range, 24, #) + line",
        "carve(range, 24, #)",
        "carve('10.#.0.0/16', 24, 1) + line",
    ],
)
def test_echoes_of_expressions_that_differ_in_constants(monkeypatch: pytest.MonkeyPatch, text: str) -> None:
    """What is told of all of a shape at once is what each would be told of by itself."""
    resources = "".join(
        f"  q{number} (fulmar.queue): {{name: queue-{number}, tags: {{t: {json.dumps('${' + text.replace('#', str(number)) + '}')}}}}}\n"
        for number in range(7)
    )
    files = {
        "jovial.yaml": "project: p\ntemplate: t.yaml\ncatalogs: [fulmar]\nenvironments: {a: {parameters: [a.yaml]}, b: {parameters: [b.yaml]}}\n",
        "t.yaml": "parameters: {line: {type: string, description: x}, range: {type: string, description: x}}\nresources:\n" + resources,
        "a.yaml": "line: alp\nrange: 10.1.0.0/16\n",
        "b.yaml": "line: bri\nrange: 10.2.0.0/16\n",
    }

    def told() -> list[tuple[str, str]]:
        return [(row.address, row.echo) for row in in_memory(files).compare(echoes=True).rows]

    at_once = told()
    assert len(at_once) == 7
    monkeypatch.setattr(Echoes, "_by_shape", lambda *_: "")
    assert at_once == told()


def test_what_is_set_in_one_column_and_follows_in_another_is_no_echo() -> None:
    files = {
        "jovial.yaml": "project: p\ntemplate: t.yaml\ncatalogs: [fulmar]\nenvironments: {a: {parameters: [a.yaml]}, b: {parameters: [b.yaml]}}\n",
        "t.yaml": "parameters:\n  line: {type: string, description: d}\n  zone: {type: string, default: '${line}', description: d}\n"
        "resources: {q (fulmar.queue): {name: '${zone}-${line}'}, r (fulmar.queue): {name: 'r-${line}'}}\n",
        "a.yaml": "line: valley\n",
        "b.yaml": "line: summit\nzone: valley\n",
    }
    rows = {row.address: row for row in in_memory(files).compare(echoes=True).rows}
    assert rows["q"].values == {"a": "valley-valley", "b": "valley-summit"} and rows["q"].echo == ""
    assert rows["r"].echo == "r-‹line›"


def test_an_entry_that_one_column_has_from_elsewhere_repeats_nothing() -> None:
    head = _HEAD.replace(
        "let:", "  extra: {type: object, additionalProperties: {type: string}, description: Tags of its own}\nlet:"
    ).replace("resources:", "everywhere:\n  fulmar.queue: {tags: {team: '${owner}', of: '${owner}'}}\nresources:")
    values = {"dusk": {**_VALUES["dusk"], "extra": {}}, "dawn": {**_VALUES["dawn"], "extra": {"team": "blue"}}}
    files = {f"{name}.json": json.dumps(each) for name, each in values.items()}
    project = {
        "project": "p",
        "template": "t.yaml",
        "catalogs": ["fulmar"],
        "environments": {name: {"parameters": [f"{name}.json"]} for name in values},
    }
    files |= {"jovial.yaml": json.dumps(project), "t.yaml": head + "  belt (fulmar.queue): {name: belt, tags: '${extra}'}\n"}
    rows = {row.pointer: row for row in in_memory(files).compare(echoes=True).rows if row.address == "belt"}
    assert rows["tags", "team"].values == {"dusk": "ada", "dawn": "blue"} and rows["tags", "team"].echo == ""
    assert rows["tags", "of"].echo == "‹owner›"


@pytest.mark.parametrize(
    ("text", "echo"), [("alp-${setting}", "alp-‹setting›"), ("${[setting, 'x']}", "[‹setting›, x]"), ("${sizes[setting]}", "")]
)
def test_between_two_templates(text: str, echo: str) -> None:
    resources = f"  pool (fulmar.queue): {{name: {json.dumps(text)}}}\n"
    one, other = (
        _project_of(name, _HEAD.replace("A line", title) + resources) for name, title in (("dusk", "A line"), ("dawn", "Another line"))
    )
    rows = {row.pointer: row for row in compare([*one.views(["dusk"]), *other.views(["dawn"])], echoes=True).rows if row.address == "pool"}
    assert rows["name",].echo == echo
    without = _project_of("dawn", re.sub(r"\$\{(\[?)setting", r"${\1'dawn'", _HEAD + resources))
    rows = {
        row.pointer: row for row in compare([*one.views(["dusk"]), *without.views(["dawn"])], echoes=True).rows if row.address == "pool"
    }
    assert all(row.echo == "" for row in rows.values())


def _project_of(name: str, template: str) -> Project:
    project = {"project": "p", "template": "t.yaml", "catalogs": ["fulmar"], "environments": {name: {"parameters": [f"{name}.json"]}}}
    return in_memory({"jovial.yaml": json.dumps(project), "t.yaml": template, f"{name}.json": json.dumps(_VALUES[name])})
