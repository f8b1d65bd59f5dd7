"""What causes the effects of a deployment, and how what happens alike is told once."""

import json
import random
import re
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from jovial_scaffold.core.changes.aligning import same
from jovial_scaffold.core.changes.effect_records import MISSING, WRITTEN, CausePart, Effects
from jovial_scaffold.core.changes.parting import given_back, mixed, parts
from jovial_scaffold.core.changes.snapshots import snapshot_document
from jovial_scaffold.core.expressions.values import UNSEEN, Secret
from jovial_scaffold.core.findings import has_errors
from jovial_scaffold.core.rules.evaluation import CAUSE_KINDS
from jovial_scaffold.core.text.source import pointer_text, value_at
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.reports.effects import Shown, effects_text
from jovial_scaffold.reports.effects_document import effects_document
from jovial_scaffold.reports.folding import addresses_text, in_common
from jovial_scaffold.reports.machine import json_text
from jovial_scaffold.reports.terminal import Style
from tests.support import SCHEMAS, Write, edit, in_memory, jovial, valid_json
from tests.support_git import repository

_TEMPLATE = """template: A lagoon
parameters:
  range: {type: string, format: cidr, description: All addresses}
  slips: {type: integer, description: How many there are}
  size: {type: string, default: "${slips > 9 ? 'm' : 's'}", description: Of the machines}
  copies: {type: integer, default: 1, description: Of the pool}
  most: {type: integer, default: 4, description: Of the pool}
  word: {type: string, writeOnly: true, default: abcdefghijklmn, description: A secret}
resources:
  lagoon (fulmar.network): {name: lagoon, range: "${range}"}
  slip (fulmar.subnet):
    $per: {n: "lists.range(slips).map(x, string(x))"}
    name: slip-${n}
    network: ${lagoon.id}
    range: ${carve(range, 24, int(n))}
    zone: valley
  pool (fulmar.machine_group):
    {name: pool, image: base-2026-10, size: "${size}", copies: "${copies > 2 || most > 6 ? 9 : 1}", subnets: ["${slip['0'].id}"], operator_password: "${word}"}
  belt (fulmar.queue): {name: belt}
"""
_THEN = {"range": "10.20.0.0/16", "slips": 8, "size": "s", "copies": 1, "most": 4}


def result_of(now: dict[str, Any], template: str = _TEMPLATE, recorded: bool = True) -> Effects:
    """What deploying some values would do where those of then run."""
    environments = {"live": {"parameters": ["p.json"], "deployed": "now.json"}}
    project = {"project": "p", "template": "t.yaml", "catalogs": ["fulmar"], "environments": environments}
    files = {"jovial.yaml": json.dumps(project), "t.yaml": _TEMPLATE, "p.json": json.dumps(_THEN), "now.json": "{}"}
    runs = snapshot_document("p", in_memory(files).render("live"), {}, "")
    if not recorded:
        del runs["recorded"]["parameters"]
    return in_memory({**files, "t.yaml": template, "p.json": json.dumps({**_THEN, **now}), "now.json": json.dumps(runs)}).effects("live")


def told(result: Effects) -> dict[str, list[str]]:
    """The causes, each with what it leads to."""
    return {each.parameter: [f"{lead.effect} {', '.join(lead.addresses)}" for lead in each.leads_to] for each in result.causes or ()}


_SLIPS = [f"slip/{number}" for number in range(8)]


def test_a_cause_leads_to_all_that_is_dragged_along_and_roots_stand_first() -> None:
    result = result_of({"range": "10.50.0.0/16"})
    assert told(result) == {"range": ["rebuild lagoon", "in_place pool", f"rebuild {', '.join(_SLIPS)}"]}
    (cause,) = result.causes or ()
    assert (cause.parts, cause.place) == ((CausePart("range", "", "10.20.0.0/16", "10.50.0.0/16"),), "p.json:1")
    text = effects_text("p", result, Style(False, 100), Shown())
    assert "    rebuilds lagoon (range), slip/… (×8) (range, network); changes pool (subnets/0)\n" in text
    assert len(text.splitlines()) < 18
    text = effects_text("p", result, Style(False, 100), Shown(details=True))
    assert "rebuild   slip/… (×8)  fulmar.subnet.v1" in text
    assert "10.20.….0/24 becomes 10.50.….0/24" in text and "anew, since lagoon is rebuilt" in text
    assert len(text.splitlines()) < 32


def test_what_follows_by_default_is_caused_by_what_it_reads_unless_it_was_set() -> None:
    assert told(result_of({"slips": 10, "size": "m"})) == {
        "slips": ["add slip/8, slip/9"],
        "size": ["restart pool"],
    }


def test_several_that_do_it_only_together() -> None:
    assert told(result_of({"copies": 3, "most": 9})) == {"copies + most": ["in_place pool"]}


def test_what_no_parameter_causes_and_what_is_added_and_removed() -> None:
    result = result_of({"slips": 7}, _TEMPLATE.replace("name: belt", "name: sash"))
    assert told(result) == {"slips": ["remove slip/7"], "": ["rebuild belt"]}
    text = effects_text("p", result, Style(False, 100), Shown())
    assert "  no parameter (the template or a catalog, or somebody there)\n    rebuild  belt  fulmar.queue.v1\n" in text
    assert "name  belt becomes sash   rebuild" in text


def test_secrets_are_no_causes_and_without_recorded_values_there_is_none() -> None:
    assert told(result_of({"word": "nopqrstuvwxyz1"})) == {}
    without = result_of({"range": "10.50.0.0/16"}, recorded=False)
    assert without.causes is None and "Why is not known" in effects_text("p", without, Style(False, 100), Shown())


def test_what_was_recorded_and_cannot_be_given_back_is_no_cause() -> None:
    environments = {"live": {"parameters": ["p.json"], "deployed": "now.json"}}
    project = {"project": "p", "template": "t.yaml", "catalogs": ["fulmar"], "environments": environments}
    files = {"jovial.yaml": json.dumps(project), "t.yaml": _TEMPLATE, "p.json": json.dumps(_THEN), "now.json": "{}"}
    runs = snapshot_document("p", in_memory(files).render("live"), {}, "")
    runs["recorded"]["parameters"] |= {"slips": "many", "gone": [1], "copies": None}
    files |= {"p.json": json.dumps({**_THEN, "range": "10.50.0.0/16"}), "now.json": json.dumps(runs)}
    assert set(told(in_memory(files).effects("live"))) == {"range"}


def test_of_very_many_resources_of_a_type_it_is_told_how_many() -> None:
    many = "".join(f'  belt{number} (fulmar.queue): {{name: belt-{number}, wait_hours: "${{copies}}"}}\n' for number in range(40))
    now = _TEMPLATE + many
    project = {
        "project": "p",
        "template": "t.yaml",
        "catalogs": ["fulmar"],
        "environments": {"live": {"parameters": ["p.json"], "deployed": "now.json"}},
    }
    files = {"jovial.yaml": json.dumps(project), "t.yaml": now, "p.json": json.dumps(_THEN), "now.json": "{}"}
    runs = snapshot_document("p", in_memory(files).render("live"), {}, "")
    result = in_memory({**files, "p.json": json.dumps({**_THEN, "copies": 2}), "now.json": json.dumps(runs)}).effects("live")
    text = effects_text("p", result, Style(False, 100), Shown())
    assert "copies (p.json:1), 1 becomes 2: changes 40 fulmar.queue.v1 (wait_hours)" in text and len(text.splitlines()) < 12
    assert "28 others  fulmar.queue.v1" in effects_text("p", result, Style(False, 100), Shown("effect"))


def test_causes_as_json() -> None:
    document = valid_json("effects", json_text(effects_document("p", result_of({"slips": 7}))))
    assert [each["parameter"] for each in document["causes"]] == ["slips"]
    assert document["causes"][0]["leads_to"] == [
        {"effect": "remove", "type": "fulmar.subnet.v1", "addresses": ["slip/7"], "properties": []}
    ]


@pytest.mark.parametrize(
    ("texts", "expected"),
    [
        (["alp-one", "alp-two"], "alp-…"),
        (["a-1-z", "a-22-z"], "a-…-z"),
        (["same", "same"], "same"),
        (["x" * 40, "x" * 40], "x" * 24 + "…"),
        (["aa", "aaa"], "aa…"),
        (["", "b"], "…"),
    ],
)
def test_what_texts_have_in_common(texts: list[str], expected: str) -> None:
    assert in_common(texts) == expected


def test_many_items_of_a_loop_are_one_text() -> None:
    assert addresses_text([f"r{number}" for number in range(40)])[-2:] == ["r11", "28 others"]
    assert addresses_text(["net", "a/1", "a/2", *(f"b/{number}" for number in range(9))]) == ["net", "a/1", "a/2", "b/… (×9)"]


_PROJECT = {
    "jovial.yaml": "project: p\ntemplate: t.yaml\ncatalogs: [fulmar]\nenvironments: {live: {parameters: [p.json], deployed: now.json}}\n",
    "t.yaml": _TEMPLATE + '  hall (fulmar.bucket): {name: hall-of-it, versioned: true}\noutputs: {where: "${lagoon.id}/${size}"}\n',
    "p.json": json.dumps(_THEN),
}


def deployed(folder: Path) -> dict[str, Any]:
    """A project in a repository, recorded as it is there."""
    repository(folder)
    assert jovial("record", "live", cwd=folder).returncode == 0
    now: dict[str, Any] = json.loads((folder / "now.json").read_text())
    valid_json("snapshot", json.dumps(now))
    return now


def causes_in(folder: Path) -> list[tuple[str, str, str, list[str]]]:
    """What is said to cause what, as `effect addresses (properties)`."""
    document = valid_json("effects", jovial("effects", "live", "--format", "json", cwd=folder).stdout)
    return [
        (
            each["kind"],
            each["parameter"] or "",
            each["place"] or "",
            [f"{lead['effect']} {' '.join(lead['addresses'])} ({' '.join(lead['properties'])})" for lead in each["leads_to"]],
        )
        for each in document["causes"]
    ]


def test_what_somebody_changed_is_told_apart_from_what_the_template_did(write: Write) -> None:
    folder = write(_PROJECT)
    now = deployed(folder)
    assert re.fullmatch("[0-9a-f]{12}", now["recorded"]["revision"])
    assert "nothing to do" in jovial("effects", "live", cwd=folder).stdout
    del now["resources"]["hall"]  # somebody removed it, gave one of the subnets another zone, and made the pool larger
    now["resources"]["slip/3"]["properties"]["zone"] = "summit"
    now["resources"]["pool"]["properties"]["copies"] = 5
    (folder / "now.json").write_text(json.dumps(now))
    edit(folder / "t.yaml", "name: belt", "name: sash")
    edit(folder / "p.json", '"size": "s"', '"size": "l"')
    line = _PROJECT["t.yaml"].splitlines().index("  belt (fulmar.queue): {name: belt}") + 1
    assert sorted(causes_in(folder)) == [
        ("parameter", "size", "p.json:1", ["restart pool (size)"]),
        ("somebody", "", "", ["add hall ()", "in_place pool (copies)", "rebuild slip/3 (zone)"]),
        ("template", "", f"t.yaml:{line}", ["rebuild belt (name)"]),
    ]
    text = jovial("effects", "live", cwd=folder).stdout
    assert f"somebody there: it is not as it was deployed from {now['recorded']['revision'][:8]}" in text
    assert f"the template, t.yaml:{line}" in text and "output where" in text


def test_where_the_files_were_not_those_of_the_revision_nobody_is_blamed(write: Write) -> None:
    folder = write(_PROJECT)
    repository(folder)
    edit(folder / "t.yaml", "name: belt", "name: sash")
    assert jovial("record", "live", cwd=folder).returncode == 0
    assert "revision" not in json.loads((folder / "now.json").read_text())["recorded"]
    edit(folder / "t.yaml", "name: sash", "name: rope")
    assert causes_in(folder) == [("unknown", "", "", ["rebuild belt (name)"])]


_MILL = {
    "jovial.yaml": "project: mill\ntemplate: t.yaml\ncatalogs: [fulmar]\nmodules: {line: line.yaml}\n"
    "environments: {live: {parameters: [p.yaml], deployed: now.json}}\n",
    "t.yaml": """parameters: {sluices: {type: array, items: {type: string}, description: Names}}
resources:
  grind (line): {$per: {s: sluices}, code: "${s}"}
  grain (fulmar.queue): {name: grain}
""",
    "line.yaml": """parameters: {code: {type: string, description: Of the line}}
resources:
  wheel (fulmar.queue): {name: "wheel-${code}"}
""",
    "p.yaml": "sluices: [up, far]\n",
}


def test_of_what_was_renamed_the_entry_is_the_cause_and_of_an_item_with_another_key_the_parameter(write: Write) -> None:
    folder = write(_MILL)
    deployed(folder)
    edit(folder / "t.yaml", "  grind (", "  mills (")
    edit(folder / "t.yaml", "resources:", "renames:\n  grind: mills\nresources:")
    edit(folder / "line.yaml", "  wheel (", "  rotor (")
    edit(folder / "line.yaml", "resources:", "renames: {wheel: rotor}\nresources:")
    edit(folder / "p.yaml", "far", "far2")
    entry = ("template", "", "t.yaml:3", ["rename mills/up/rotor ()"])
    assert sorted(causes_in(folder)) == [
        ("parameter", "sluices", "p.yaml:1", ["remove grind/far/wheel ()", "add mills/far2/rotor ()"]),
        entry,
    ]
    edit(folder / "t.yaml", "  grind: mills\n", "  grind: mills\n  grind/far: mills/far2\n")
    assert sorted(causes_in(folder)) == [("parameter", "sluices", "p.yaml:1", ["rebuild mills/far2/rotor (name)"]), entry]


_SECRET = {
    **_PROJECT,
    "t.yaml": _TEMPLATE.replace(", default: abcdefghijklmn", ""),
    "p.json": json.dumps({**_THEN, "word": {"$secret": {"env": "POOL_WORD"}}}),
}


def effects_under(folder: Path, **env: str) -> Any:
    """What deploying the project does, with some variables set."""
    return valid_json("effects", jovial("effects", "live", "--format", "json", cwd=folder, env=env).stdout)


def test_of_a_secret_that_is_another_one_nobody_is_blamed_and_nothing_is_told(write: Write) -> None:
    folder = write(_SECRET)
    repository(folder)
    then, now = (
        {"JOVIAL_SNAPSHOT_KEY": "k" * 20, "POOL_WORD": "first-of-words"},
        {"JOVIAL_SNAPSHOT_KEY": "k" * 20, "POOL_WORD": "second-of-words"},
    )
    assert jovial("record", "live", cwd=folder, env=then).returncode == 0
    assert effects_under(folder, **then)["causes"] == []
    document = effects_under(folder, **now)
    assert [(each["kind"], each["leads_to"][0]["addresses"], each["leads_to"][0]["properties"]) for each in document["causes"]] == [
        ("secret", ["pool"], ["operator_password"])
    ]
    text = jovial("effects", "live", "--details", cwd=folder, env=now).stdout
    assert "a secret that is another one: where it comes from, or somebody there" in text and "somebody there: it is not" not in text
    assert "of-words" not in text + json.dumps(document) + (folder / "now.json").read_text()
    runs = json.loads((folder / "now.json").read_text())
    del runs["recorded"]["revision"]
    (folder / "now.json").write_text(json.dumps(runs))
    assert [each["kind"] for each in effects_under(folder, **now)["causes"]] == ["secret"]


def test_a_secret_whose_source_is_not_set_is_nothing_to_do(write: Write) -> None:
    folder = write(_SECRET)
    repository(folder)
    assert jovial("record", "live", cwd=folder).returncode == 0  # where it is not set either
    recorded = (folder / "now.json").read_text()
    assert json.loads(recorded)["resources"]["pool"]["properties"]["operator_password"] == {"$secret": True} and "$unknown" not in recorded
    assert "nothing to do" in jovial("effects", "live", cwd=folder).stdout
    key = {"JOVIAL_SNAPSHOT_KEY": "k" * 20}
    assert jovial("record", "live", cwd=folder, env={**key, "POOL_WORD": "first-of-words"}).returncode == 0
    assert {each["effect"] for each in effects_under(folder, **key)["effects"]} == {"unchanged"}


def test_a_cause_shows_only_what_it_changes_of_a_resource_that_another_changes_too(write: Write) -> None:
    folder = write(_PROJECT)
    deployed(folder)
    edit(folder / "t.yaml", "image: base-2026-10", "image: base-2026-11")
    edit(folder / "p.json", '"size": "s"', '"size": "l"')
    text = jovial("effects", "live", cwd=folder).stdout
    template = text[text.index("the template, t.yaml") :].partition("  size (p.json:1, not committed yet)")[0]
    assert "rebuild  pool" in template and "base-2026-1" in template and "size" not in template
    assert "size (p.json:1, not committed yet), s becomes l: restarts pool (size)" in text


def test_the_line_that_is_another_is_blamed_and_not_the_one_that_reads_it(write: Write) -> None:
    files = {
        "workspace.yaml": "workspace: docks\nprojects: [quay]\nlabels: {owner: sky}\nlookups: {lenses: shared/lenses.csv}\nmodules: {pair: shared/pair.yaml}\n",
        "shared/lenses.csv": "use,setting,size\nlog,live,7\nmirror,live,20\n",
        "shared/pair.yaml": 'parameters: {purpose: {type: string, description: What for}}\nlet: {long: 24}\nresources:\n  main (fulmar.queue): {name: "${purpose}", wait_hours: "${long}"}\n',
        "quay/jovial.yaml": "project: quay\ntemplate: line.yaml\ncatalogs: [fulmar]\nenvironments: {live: {parameters: [live.yaml], deployed: now.json}}\n",
        "quay/live.yaml": "setting: live\n",
        "quay/line.yaml": (
            "parameters: {setting: {type: string, description: Which}}\n"
            "let:\n  named: one\n  chosen: ${named}-${setting}\n  sizes:\n    live: s\n"
            "functions:\n  doubled: {takes: {n: {type: integer}}, gives: {type: integer}, is: n * 2}\n"
            "lookups:\n  lens: {in: lenses, where: \"row.use == 'mirror' && row.setting == setting\"}\n"
            "resources:\n"
            '  a (fulmar.queue): {name: "a-${chosen}", wait_hours: "${int(lens.size)}"}\n'
            '  b (fulmar.queue): {name: b-name, tags: {owner: "${context.labels.owner}"}}\n'
            "  c (fulmar.queue): {name: c-name, wait_hours: 5}\n"
            "  d (pair): {purpose: d-name}\n"
            "  e (fulmar.machine): {name: e-name, image: i, size: \"${sizes[setting]}\", zone: valley, subnet: x}\n"
            '  f (fulmar.queue): {name: f-name, wait_hours: "${doubled(4)}"}\n'
        ),
    }  # fmt: skip
    root = repository(write(files))
    quay = root / "quay"
    assert jovial("record", "live", cwd=quay).returncode == 0
    for file, old, new in (
        ("shared/lenses.csv", "mirror,live,20", "mirror,live,30"),
        ("workspace.yaml", "owner: sky", "owner: stars"),
        ("shared/pair.yaml", "long: 24", "long: 25"),
        ("quay/line.yaml", "named: one", "named: two"),
        ("quay/line.yaml", "live: s", "live: m"),
        ("quay/line.yaml", "c-name, wait_hours: 5", "c-name, wait_hours: 6"),
        ("quay/line.yaml", "n * 2", "n * 3"),
    ):
        edit(root / file, old, new)
    document = json.loads(jovial("effects", "live", "--format", "json", cwd=quay).stdout)
    found = {
        f"{address}:{pointer}": each["place"]
        for each in document["causes"]
        for lead in each["leads_to"]
        for address in lead["addresses"]
        for pointer in lead["properties"]
    }
    assert found == {
        "a:name": "line.yaml:3",
        "a:wait_hours": "../shared/lenses.csv:3, row 2 of lenses",
        "b:tags/owner": "../workspace.yaml:3, context.labels.owner",
        "c:wait_hours": "line.yaml:14",
        "d/main:wait_hours": "../shared/pair.yaml:2",
        "e:size": "line.yaml:6",
        "f:wait_hours": "line.yaml:8",
    }
    text = jovial("effects", "live", cwd=quay).stdout
    assert "  a table, ../shared/lenses.csv:3, row 2 of lenses, not committed yet" in text
    assert "  the project, ../workspace.yaml:3, context.labels.owner, not committed yet" in text


def _handed_on(chance: random.Random) -> list[str]:
    """A template in which values are handed on from line to line, in every form, to resources and to what says whether those are there; the
    constants are words that end with x."""
    lines, names = [], ["first"]
    for number in range(chance.randint(2, 8)):
        before, name = chance.choice(names), f"v{number}"
        forms = (
            f"  {name}: c{number}x",
            f"  {name}: ${{{before}}}",
            f"  {name}: j{number}x-${{{before}}}",
            f"  {name}: \"${{setting == 'live' ? {before} : 'n{number}x'}}\"",
            f"  {name}: ${{twice({before})}}",
            f"  {name}: \"${{['q{number}x', {before}][{chance.choice((0, 1))}]}}\"",
            f"  {name}: \"${{{{'a': {before}, 'b': 'k{number}x'}}.{chance.choice('ab')}}}\"",
        )
        lines.append(chance.choice(forms))
        names.append(name)
    resources = [
        f'  r{each} (fulmar.queue): {{name: queue-r{each}, tags: {{t: "z{each}x-${{{chance.choice(names)}}}"}}}}' for each in range(4)
    ]
    resources += [
        f"  g{each} (fulmar.queue): {{$when: \"{'!' * chance.randint(0, 1)}{chance.choice(names)}.contains('new')\", name: queue-g{each}}}"
        for each in range(2)
    ]
    resources += [
        f'  h{each} (fulmar.queue): {{$per: {{i: "[{chance.choice(names)}]"}}, name: "queue-h{each}-${{i}}"}}' for each in range(2)
    ]
    head = ["parameters: {setting: {type: string, default: live, description: Which}}", "let:", "  first: c99x"]
    functions = ["functions:", "  twice: {takes: {t: {type: string}}, gives: {type: string}, is: \"t + '-f99x'\"}"]
    return [*head, *lines, *functions, "resources:", *resources]


def test_whatever_line_is_edited_that_one_is_blamed() -> None:
    blamed = 0
    for seed in range(80):
        chance = random.Random(seed)
        before = _handed_on(chance)
        edited = chance.choice([number for number, line in enumerate(before) if re.search(r"\b[a-z]\d+x\b", line)])
        after = list(before)
        after[edited] = re.sub(r"\b[a-z]\d+x\b", "new", after[edited], count=1)
        live = {"parameters": [], "deployed": "now.json"}
        project = {"project": "p", "template": "t.yaml", "catalogs": ["fulmar"], "environments": {"live": live}}
        files = {"jovial.yaml": json.dumps(project), "t.yaml": "\n".join(before) + "\n", "now.json": "{}"}
        runs = snapshot_document("p", in_memory(files).render("live"), {}, "")
        now = in_memory({**files, "t.yaml": "\n".join(after) + "\n", "now.json": json.dumps(runs)})
        deployed = in_memory(files).views(["live"])[0]
        now._as_deployed = lambda *_, then=deployed: then  # type: ignore[misc]  # what a repository would give
        for cause in now.effects("live").causes or ():
            blamed += 1
            assert cause.place == f"t.yaml:{edited + 1}", (seed, after)
    assert blamed > 30


_INSIDE = "resources:\n  inner (fulmar.queue): {name: queue-inner}\n"


def _chosen_by_label(chance: random.Random) -> list[str]:
    """A template in which a label chooses: rows of a table, entries of maps, sides of conditions, directly or through a parameter's default, and what
    is there at all. A number is another parameter."""
    names = ["kind", "context.labels.kind"]
    lines = []
    for number in range(chance.randint(1, 6)):
        by, name = chance.choice(names[:2]), f"v{number}"
        forms = (
            f"  m{number}: {{a: x{number}, b: y{number}}}\n  {name}: ${{m{number}[{by}]}}",
            f"  {name}: \"${{{by} == 'a' ? 'x{number}' : 'y{number}'}}\"",
            f"  {name}: \"${{{{'a': 'x{number}', 'b': 'y{number}'}}[{by}]}}\"",
            f"  {name}: ${{twice({by})}}",
            f"  {name}: ${{{'by_kind' if by == 'kind' else 'by_label'}.note}}",
            f"  {name}: pre-${{{chance.choice(names)}}}",
        )
        lines.append(chance.choice(forms))
        names.append(name)
    read = [chance.choice(names[2:]) for _ in range(6)]
    tags = [
        f'  r{each} (fulmar.queue): {{name: queue-r{each}, tags: {{t: "z-${{{read[each]}}}"}}, wait_hours: "${{number}}"}}'
        for each in range(3)
    ]
    conditions = ("{} == 'a' && number > 0", "{} == 'b'", "number > 0 && {}.endsWith('b')", "!{}.startsWith('y') && {}.size() > 0")
    there = [
        f'  g0 (fulmar.queue): {{$when: "{chance.choice(conditions).replace("{}", chance.choice(names[:2]))}", name: queue-g0}}',
        f'  g1 (fulmar.queue): {{$when: "{chance.choice(conditions).replace("{}", read[3])}", name: queue-g1}}',
        f"  g2 (fulmar.queue): {{$per: {{i: \"{names[chance.randint(0, 1)]} == 'a' ? ['p', 'q'] : ['q', 's']\"}}, name: \"queue-g2-${{i}}\"}}",
        f'  g3 (fulmar.queue): {{$per: {{i: "[{read[4]}]"}}, name: "queue-g3-${{i}}"}}',
        f"  g4 (./m.yaml): {{$when: \"{names[chance.randint(0, 1)]} == 'b'\"}}",
    ]
    return [
        "parameters:",
        "  kind: {type: string, default: '${context.labels.kind}', description: Which}",
        "  number: {type: integer, description: Changes too}",
        "let:",
        *lines,
        "functions:",
        "  twice: {takes: {t: {type: string}}, gives: {type: string}, is: t + t}",
        "lookups:",
        "  by_kind: {in: notes, where: row.kind == kind}",
        "  by_label: {in: notes, where: row.kind == context.labels.kind}",
        "resources:",
        *tags,
        *there,
    ]


def test_where_a_label_chooses_the_label_is_blamed_and_not_what_it_chose() -> None:
    blamed = 0
    for seed in range(80):
        template = "\n".join(_chosen_by_label(random.Random(seed))) + "\n"

        def files(kind: str, runs: str, number: int, text: str = template) -> dict[str, str]:
            live = {"parameters": ["p.json"], "deployed": "now.json", "labels": {"kind": kind}}
            told = {
                "project": "p",
                "template": "t.yaml",
                "catalogs": ["fulmar"],
                "lookups": {"notes": "n.csv"},
                "environments": {"live": live},
            }
            written = {"t.yaml": text, "m.yaml": _INSIDE, "n.csv": "kind,note\na,first\nb,second\n", "p.json": f'{{"number": {number}}}'}
            return {"jovial.yaml": json.dumps(told), **written, "now.json": runs}

        then = in_memory(files("a", "{}", 1))
        runs = json.dumps(snapshot_document("p", then.render("live"), {}, "", revision="0123456789ab"))
        now = in_memory(files("b", runs, 1 + seed % 2))
        assert not has_errors(now.check().findings), template
        now.at = lambda _, project=then: project  # type: ignore[method-assign]  # what a repository would give
        result = now.effects("live")
        assert {"add", "remove"} <= {each.effect for each in result.effects}
        for cause in result.causes or ():
            blamed += len(cause.leads_to)
            if cause.kind == "parameter":
                assert cause.parameter == "number" and {name for lead in cause.leads_to for name in lead.properties} == {"wait_hours"}, (
                    cause
                )
            else:
                assert (cause.kind, cause.place) == ("project", "jovial.yaml:1, context.labels.kind"), (seed, cause, template)
    assert blamed > 160


_ITEMS = st.fixed_dictionaries(
    {"tag": st.sampled_from("abcd"), "depth": st.integers(1, 3)}, optional={"model": st.sampled_from(("x", "y"))}
)
_VALUES = st.recursive(
    st.one_of(
        st.integers(0, 2),
        st.sampled_from(("", "x")),
        st.lists(_ITEMS, max_size=4),
        st.lists(_ITEMS, max_size=4, unique_by=lambda each: each["tag"]),
    ),
    lambda inner: st.dictionaries(st.sampled_from("pqr"), inner, max_size=3),
    max_leaves=6,
)


@given(_VALUES, _VALUES, st.data())
@settings(max_examples=300, deadline=None)
def test_parts_put_back_are_what_was(then: Any, now: Any, data: st.DataObject) -> None:
    found = list(parts(then, now))
    assert bool(found) == (not same(then, now)) and len({each.label for each in found}) == len(found)
    assert same(mixed(then, now, ()), now)
    assert same(mixed(then, now, {each.label for each in found}), then)
    for each in found:  # a part stands where it says, and is not what it was
        assert each.becomes is MISSING or same(value_at(now, each.at), each.becomes)
        assert each.was is MISSING or each.becomes is MISSING or not same(each.was, each.becomes)
        assert not same(mixed(then, now, {each.label}), now)
    chosen = {each.label for each in found if data.draw(st.booleans())}
    rest = {each.label for each in found} - chosen
    if len(chosen) and len(rest):
        assert not same(mixed(then, now, chosen), now) and not same(mixed(then, now, chosen), then)


def test_parts_of_a_parameter_are_causes_of_their_own_at_their_own_lines() -> None:
    template = """parameters:
  stops: {type: array, items: {type: object}, description: d}
  tags: {type: object, additionalProperties: {type: string}, description: d}
resources:
  stop (fulmar.queue): {$per: {s: stops}, $key: s.code, name: "stop-${s.code}", wait_hours: "${s.hours}"}
  net (fulmar.network): {name: net, range: 10.0.0.0/16, tags: "${tags}"}
"""

    def effects_of(now: str, then: str) -> Effects:
        def files(values: str, runs: str) -> dict[str, str]:
            live = {"live": {"parameters": ["p.yaml"], "deployed": "now.json"}}
            project = {"project": "p", "template": "t.yaml", "catalogs": ["fulmar"], "environments": live}
            return {"jovial.yaml": json.dumps(project), "t.yaml": template, "p.yaml": values, "now.json": runs}

        runs = snapshot_document("p", in_memory(files(then, "{}")).render("live"), {}, "")
        return in_memory(files(now, json.dumps(runs))).effects("live")

    def text_of_causes(result: Effects) -> str:
        text = effects_text("p", result, Style(False, 100), Shown())
        return text[text.index("Because of\n") + len("Because of\n") :].partition("\nIn this order")[0]

    stops = [f"  - {{code: h{number}, hours: {number}}}\n" for number in range(1, 7)]
    then = f"stops:\n{''.join(stops)}tags:\n  a: x\n  b: x\n  c: x\n"
    changed = (
        then.replace("h2, hours: 2", "h2, hours: 9")
        .replace("  - {code: h3, hours: 3}\n", "")
        .replace("a: x", "a: y")
        .replace("b: x", "d: z")
    )
    assert text_of_causes(effects_of(changed, then)) == (
        "  stops:h3 (p.yaml:1), {code: h3, hours: 3} becomes ‹unset›: removes stop/h3\n"
        "  stops:h2/hours (p.yaml:3), 2 becomes 9: changes stop/h2 (wait_hours)\n"
        "  tags:{a, d, b} (p.yaml:7, 8, 9)\n"
        "    a x becomes y · d ‹unset› becomes z · b x becomes ‹unset›\n"
        "    changes net (tags/a, tags/d, tags/b)\n"
    )
    later = re.sub(r"hours: (\d)", r"hours: 1\1", then)
    assert text_of_causes(effects_of(later, then)) == (
        "  stops:{h1/hours, h2/hours, 4 more} (p.yaml:2 and 5 others)\n"
        "    changes stop/h1, stop/h2, stop/h3, stop/h4, stop/h5, stop/h6 (wait_hours)\n"
    )
    swapped = f"stops:\n{''.join(reversed(stops))}tags:\n  a: x\n  b: x\n  c: x\n".replace("hours: 6", "hours: 8")
    (cause,) = effects_of(swapped, then).causes or ()
    assert [part.name for part in cause.parts] == ["stops"], "the order is another, too"


_STOPS = """parameters:
  stops:
    type: array
    description: d
    items: {type: object, properties: {code: {type: string}, hours: {type: integer}, word: {type: string, writeOnly: true}}, required: [code, hours]}
resources:
  stop (fulmar.queue): {$per: {s: stops}, $key: s.code, name: "stop-${s.code}", wait_hours: "${s.hours}"}
  pool (fulmar.machine_group): {name: pool, image: base, size: s, copies: 1, operator_password: "${stops[0].word}", subnets: [a]}
"""
_SECRET_STOPS = "stops:\n  - {code: one, hours: 3, word: {$secret: {env: WORD}}}\n  - {code: two, hours: 4, word: {$secret: {env: WORD}}}\n"


_KEY = "0123456789abcdef0123456789abcdef"


@pytest.mark.parametrize(
    ("key", "word", "is_tracked"),
    [
        ("", "hush-hush-hush", False),
        ("", "hush-hush-hush", True),
        ("", None, True),
        (_KEY, "hush-hush-hush", True),
        (_KEY, "another-hush-hush", False),
        (_KEY, "another-hush-hush", True),
    ],
)
def test_a_parameter_with_a_secret_inside_is_a_cause_by_its_other_parts(write: Write, key: str, word: str | None, is_tracked: bool) -> None:
    folder = write({"jovial.yaml": _PROJECT["jovial.yaml"].replace("p.json", "p.yaml"), "t.yaml": _STOPS, "p.yaml": _SECRET_STOPS})
    keyed = {"JOVIAL_SNAPSHOT_KEY": key} if key else {}
    if is_tracked:
        repository(folder)
    assert jovial("record", "live", cwd=folder, env={"WORD": "hush-hush-hush", **keyed}).returncode == 0
    edit(folder / "p.yaml", "hours: 3", "hours: 9")
    edit(folder / "p.yaml", "code: two, hours: 4", "code: six, hours: 4")
    ran = jovial("effects", "live", "--format", "json", cwd=folder, env={**({"WORD": word} if word else {}), **keyed})
    causes = json.loads(ran.stdout)["causes"]
    told = {part["name"]: [lead["addresses"] for lead in each["leads_to"]] for each in causes for part in each.get("parts", ())}
    assert told == {"stops:one/hours": [["stop/one"]], "stops:two": [["stop/two"]], "stops:six": [["stop/six"]]}
    others = {each["kind"] for each in causes} - {"parameter"}
    assert others <= {"secret"} and ("secret" in others) == bool(key and word == "another-hush-hush"), causes
    assert "hush" not in ran.stdout + ran.stderr


@pytest.mark.parametrize(
    ("now", "told"),
    [
        ([{"title": "Nord", "tag": "n"}, {"title": "South", "tag": "s"}], {"n/title": ("North", "Nord")}),
        ([{"title": "North", "tag": "x"}, {"title": "South", "tag": "s"}], {"North/tag": ("n", "x")}),
        ([{"title": "North", "tag": "n"}], {"South": ({"title": "South", "tag": "s"}, MISSING)}),
        ([{"title": "South", "tag": "s"}, {"title": "North", "tag": "n"}], {"": (None, None)}),
        ([{"title": "North"}, {"title": "South", "tag": "s"}], {"North/tag": ("n", MISSING)}),
        ([{"tag": "n", "title": 1}, {"title": "South", "tag": "s"}], {"n/title": ("North", 1)}),
    ],
)
def test_items_are_known_by_what_most_of_them_have_kept(now: list[Any], told: dict[str, Any]) -> None:
    then = [{"title": "North", "tag": "n"}, {"title": "South", "tag": "s"}]
    found = {pointer_text(each.label): (each.was, each.becomes) for each in parts(then, now)}
    assert found == told if "" not in told else list(found) == [""]


_HELD = st.recursive(
    st.one_of(st.integers(0, 2), st.just(Secret(UNSEEN)), st.just(UNKNOWN)),
    lambda inner: st.one_of(st.dictionaries(st.sampled_from("pqr"), inner, max_size=3), st.lists(inner, max_size=3)),
    max_leaves=8,
)


@given(_HELD.filter(lambda held: held is not UNKNOWN), _HELD)
@settings(max_examples=300, deadline=None)
def test_what_is_given_back_has_no_secret_that_nobody_recorded(then: Any, now: Any) -> None:
    seen = _with(now, lambda value: Secret("known") if isinstance(value, Secret) else value)
    back = given_back(_with(then, lambda value: 0 if value is UNKNOWN else value), seen)

    def check(was: Any, given: Any, value: Any) -> None:
        if isinstance(was, Secret) or isinstance(value, Secret) or value is UNKNOWN:
            assert given is UNKNOWN or given is value or value is MISSING or isinstance(was, Secret) or now is UNKNOWN, (was, given, value)
        elif isinstance(was, dict) and isinstance(given, dict) and isinstance(value, dict):
            for name in was.keys() & given.keys():
                check(was[name], given[name], value.get(name, MISSING))
        elif not isinstance(was, dict | list):
            assert same(given, was), (was, given, value)

    check(_with(then, lambda value: 0 if value is UNKNOWN else value), back, seen)
    assert not any(isinstance(each, Secret) and each.value is UNSEEN for each in _leaves_of(back))


def _with(value: Any, change: Callable[[Any], Any]) -> Any:
    if isinstance(value, dict):
        return {name: _with(item, change) for name, item in value.items()}
    return [_with(item, change) for item in value] if isinstance(value, list) else change(value)


def _leaves_of(value: Any) -> Iterator[Any]:
    if isinstance(value, dict | list):
        for item in value.values() if isinstance(value, dict) else value:
            yield from _leaves_of(item)
    else:
        yield value


def test_what_the_project_file_says_is_a_cause_with_its_line() -> None:
    template = 'resources: {q (fulmar.queue): {name: "${context.project}-${context.labels.tier}"}}\n'

    def files(name: str, tier: str, runs: str) -> dict[str, str]:
        live = f"  live:\n    parameters: []\n    deployed: now.json\n    labels:\n      tier: {tier}\n"
        return {
            "jovial.yaml": f"project: {name}\ntemplate: t.yaml\ncatalogs: [fulmar]\nenvironments:\n{live}",
            "t.yaml": template,
            "now.json": runs,
        }

    then = in_memory(files("quay", "low", "{}"))
    runs = json.dumps(snapshot_document("quay", then.render("live"), {}, "", revision="0123456789ab"))
    for name, tier, place in (("pier", "low", "jovial.yaml:1, context.project"), ("quay", "high", "jovial.yaml:9, context.labels.tier")):
        now = in_memory(files(name, tier, runs))
        now.at = lambda _, project=then: project  # type: ignore[method-assign]  # what a repository would give
        assert [(each.kind, each.place) for each in now.effects("live").causes or ()] == [("project", place)]


def test_kinds_of_causes_are_those_that_rules_and_readers_of_json_know() -> None:
    schema = json.loads((SCHEMAS / "jovial-effects-5.schema.json").read_text("utf-8"))
    assert set(schema["properties"]["causes"]["items"]["properties"]["kind"]["enum"]) == set(CAUSE_KINDS) >= set(WRITTEN)
