"""What something reaches, asked by name and by place."""

import re
from pathlib import Path
from typing import Any
from urllib.parse import quote

import pytest

from jovial_scaffold.core.changes.edges import between
from jovial_scaffold.core.changes.impact import PRESENCE, Touched
from jovial_scaffold.core.schemas.annotations import CHANGE_EFFECTS
from tests.fuzz.impacts import changed
from tests.support import in_memory, jovial, valid_json

_FILES = {
    "jovial.yaml": "project: p\ntemplate: t.yaml\ncatalogs: [fulmar]\nlookups: {images: images.csv}\nenvironments: {a: {parameters: [a.yaml]}, b: {parameters: [b.yaml]}}\n",
    "t.yaml": """parameters:
  n: {type: integer, description: d}
  on: {type: boolean, default: "${n > 1}", description: d}
  unused: {type: string, default: x, description: d}
let:
  twice: ${n * 2}
  sizes: {small: s, large: m}
functions:
  named: {takes: {w: {type: string}}, gives: {type: string}, is: '"q-" + w'}
lookups:
  image: {in: images, where: row.use == "gate"}
resources:
  net (fulmar.network): {$when: on, name: net, range: 10.0.0.0/8}
  pool (fulmar.machine_group): {name: pool, image: "${image.image}", size: "${sizes.small}", copies: "${twice}", subnets: [x]}
  queue (fulmar.queue): {name: '${named("a")}'}
  after (fulmar.queue): {name: "after-${queue.name}", tags: {t: "${present(pool) ? 'y' : 'n'}"}}
  inner (./m.yaml): {hours: "${twice}", other: fixed}
documents: {doc: {from: d.txt}}
outputs: {size: "${pool.size}", hours: "${inner.hours}"}
""",
    "m.yaml": """parameters: {hours: {type: integer, description: d}, other: {type: string, description: d}}
resources:
  one (fulmar.queue): {name: "one-${other}", wait_hours: "${hours}"}
outputs: {hours: "${one.wait_hours}", other: "${other}"}
""",
    "d.txt": "size ${sizes.large}\n",
    "images.csv": "use,image\ngate,g-1\ndesk,d-1\n",
    "a.yaml": "n: 1\n",
    "b.yaml": "# of b\nn: 2\n",
}


def told(found: list[Touched]) -> list[str]:
    return [f"{each.address}:{each.property} {each.effect}" if each.property else f"{each.address} {each.effect}" for each in found]


@pytest.mark.parametrize(
    ("what", "in_b"),
    [
        (
            "n",
            [
                "inner/one:wait_hours in_place",
                "net add or remove",
                "pool:copies in_place",
                "hours in_place",
            ],
        ),
        ("on", ["net add or remove"]),
        ("unused", []),
        ("twice", ["inner/one:wait_hours in_place", "pool:copies in_place", "hours in_place"]),
        ("sizes", ["pool:size restart", "size in_place", "doc in_place"]),
        ("named", ["after:name rebuild", "queue:name rebuild"]),
        ("image", ["pool:image rebuild"]),
        ("queue", ["after:name rebuild", "queue add or remove"]),
        (
            "b.yaml:2",
            [
                "inner/one:wait_hours in_place",
                "net add or remove",
                "pool:copies in_place",
                "hours in_place",
            ],
        ),
        ("images.csv:2", ["pool:image rebuild"]),
        ("images.csv:3", None),
        ("t.yaml:7", ["pool:size restart", "size in_place", "doc in_place"]),
        ("t.yaml:19", ["size in_place", "hours in_place"]),
        ("m.yaml:1", ["inner/one:name rebuild", "inner/one:wait_hours in_place", "hours in_place"]),
        ("m.yaml:3", ["inner/one add or remove", "hours in_place"]),
        ("m.yaml:4", ["hours in_place"]),
        ("m.yaml:2", None),
        ("b.yaml:1", None),
        ("nothing", None),
        ("t.yaml:999", None),
    ],
)
def test_what_is_reached(what: str, in_b: list[str] | None) -> None:
    from jovial_scaffold.core.rendering.explaining import Unexplained

    project = in_memory(_FILES)
    if in_b is None:
        with pytest.raises(Unexplained):
            project.impact(what)
        return
    assert sorted(told(project.impact(what)["b"])) == sorted(in_b)


_CANAL = {
    "jovial.yaml": "project: canal\ntemplate: t.yaml\ncatalogs: [cat]\nenvironments:\n  wet: {labels: {water: high}}\n  dry: {labels: {water: low}}\n",
    "cat/catalog.yaml": "name: weir\ndescription: d\ndefaults: {basin: 1, gate: 1}\n",
    "cat/basin.yaml": """$id: weir.basin.v1
type: object
properties:
  name: {type: string, changeEffect: rebuild}
  depth: {type: number, changeEffect: "becomes.orValue(0.0) < was.orValue(0.0) ? 'rebuild' : 'in_place'"}
  sides: {type: array, listKey: side, items: {type: object, properties: {side: {type: string, changeEffect: rebuild}, gap: {type: integer, changeEffect: restart}}}}
  id: {type: string, readOnly: true}
required: [name]
""",
    "cat/gate.yaml": """$id: weir.gate.v1
type: object
properties:
  name: {type: string, changeEffect: locked}
  basin: {type: string, changeEffect: rebuild}
  width: {type: integer, changeEffect: restart}
  keepers: {type: array, items: {type: string}}
  id: {type: string, readOnly: true}
required: [name]
""",
    "t.yaml": """parameters:
  level: {enum: [low, high], default: "${context.labels.water}", description: d}
  locks: {type: array, items: {type: object, properties: {code: {type: string}, width: {type: integer}}, required: [code, width]}, default: [{code: kes, width: 2}, {code: bri, width: 3}], description: d}
  width: {type: integer, default: 4, description: d}
  keeper: {type: string, default: ada, description: d}
let: {depth: "${level == 'high' ? 3.0 : 1.5}", both: {a: "${keeper}", b: "${width}"}}
functions: {wide: {takes: {n: {type: integer}}, gives: {type: integer}, is: n * 2}}
resources:
  basin (weir.basin): {name: basin, depth: "${depth}", sides: [{side: left, gap: "${width}"}, {$when: width > 4, side: right, gap: 1}]}
  side (weir.basin): {$when: level == 'high', name: side}
  each (./m.yaml): {$per: {l: locks}, $key: l.code, code: "${l.code}", width: "${l.width}", basin: "${basin.id}"}
  last (weir.gate): {name: last, width: "${wide(width)}", keepers: ["${both.a}", "${present(side) ? 'two' : 'one'}"], basin: "${side.?id.orValue('')}"}
outputs: {gates: "${locks.map(l, each[l.code].gate)}", side: "${?side.?id}"}
""",
    "m.yaml": """parameters: {code: {type: string, description: d}, width: {type: integer, description: d}, basin: {type: string, description: d}}
resources: {gate (weir.gate): {name: "gate-${code}", width: "${width}", basin: "${basin}"}}
outputs: {gate: "${gate.id}"}
""",
}
_OTHERS = {
    "level": ["low", "high"],
    "locks": ["[{code: kes, width: 9}]", "[{code: kes, width: 2}, {code: new, width: 3}]", "[]"],
    "width": ["5", "2"],
    "keeper": ["eda"],
}


@pytest.mark.parametrize("environment", ["wet", "dry"])
@pytest.mark.parametrize("name", _OTHERS)
def test_nothing_is_reached_that_is_not_told_and_no_harder(name: str, environment: str) -> None:
    project = in_memory(_CANAL)
    assert not [each for each in project.check().findings if each.level == "error"]
    reached: dict[str, str] = {}
    for each in project.impact(name)[environment]:
        reached[f"{each.address}:{each.property}" if each.property else each.address] = each.effect
    for value in _OTHERS[name]:
        view = f"{environment}?{name}={quote(value)}"
        comparison = project.compare([environment, view])
        for each in between(comparison, *comparison.environments).effects:
            if each.effect in ("add", "remove"):  # of a loop, items are told that there are
                assert PRESENCE in [told for address, told in reached.items() if address.split("/")[0] == each.address.split("/")[0]]
            for change in each.changes:
                told = reached[f"{each.address}:{change.pointer[0]}"]
                assert CHANGE_EFFECTS.index(change.effect) <= CHANGE_EFFECTS.index(told), (each.address, change, told)


def test_what_a_condition_reads_reaches_nothing_else_of_a_resource() -> None:
    told_of = told(in_memory(_CANAL).impact("level")["wet"])
    assert "side add or remove" in told_of and not [each for each in told_of if each.startswith("side:")]


def test_only_where_a_file_sets_it() -> None:
    assert list(in_memory(_FILES).impact("b.yaml:2")) == ["b"]


def test_by_the_program(demo: Path) -> None:
    document: dict[str, Any] = valid_json("impact", jovial("why", "zone", "--impact", "--format", "json", cwd=demo).stdout)
    assert list(document["environments"]) == ["sandbox", "rehearsal", "live"]
    text = jovial("why", "zone", "live", "--impact", cwd=demo).stdout
    assert text.startswith("zone may reach 5 resources in live\n") and "central_net (zone)" in text
    assert "rehearsal and live" in jovial("why", "zone", "--impact", cwd=demo).stdout
    wrong = jovial("why", "zoen", "--impact", cwd=demo)
    assert wrong.returncode == 1 and "Did you mean `zone`?" in wrong.stderr


@pytest.mark.parametrize("environment", ["wet", "dry"])
@pytest.mark.parametrize("label", ["high", "low", "none"])
def test_whatever_another_label_changes_is_told(environment: str, label: str) -> None:
    project = in_memory(_CANAL)
    before = project.render(environment)
    other = in_memory(
        {**_CANAL, "jovial.yaml": re.sub(rf"({environment}: {{labels: {{water: )\w+", rf"\g<1>{label}", _CANAL["jovial.yaml"])}
    )
    by_name = project.impact("context.labels.water")[environment]
    at_line = project.impact(f"jovial.yaml:{5 if environment == 'wet' else 6}")
    assert at_line == {environment: by_name}
    reached = {(each.address, each.property) for each in by_name}
    for address, property in changed(before, other.render(environment)):
        assert (address, property) in reached or (address, "") in reached, (address, property, sorted(reached))


_TABLE = {
    "jovial.yaml": "project: canal\ntemplate: t.yaml\ncatalogs: [fulmar]\nlookups: {waits: s.csv}\nenvironments: {wet: {parameters: []}}\n",
    "s.csv": "code,hours,note\nkes,2,a\nbri,3,b\nolt,4,c\nnot,5,d\n",
    "m.yaml": """parameters: {code: {type: string, description: d}}
lookups: {wait: {in: waits, where: row.code == code}}
resources: {gate (fulmar.queue): {name: "gate-${code}", wait_hours: "${int(wait.hours)}", failed_to: "${wait.note}"}}
outputs: {hours: "${wait.hours}", name: "${gate.name}"}
""",
    "t.yaml": """let: {codes: [kes, bri, olt]}
lookups: {mine: {in: waits, where: row.code == 'olt'}}
resources:
  each (./m.yaml): {$per: {code: codes}, code: "${code}"}
  one (./m.yaml): {code: kes}
  last (fulmar.queue): {name: last, wait_hours: "${int(mine.hours)}"}
  plain (fulmar.queue): {name: "of-${one.name}"}
""",
}


@pytest.mark.parametrize("line", [2, 3, 4])
def test_a_row_reaches_the_uses_that_choose_it_and_no_others(line: int) -> None:
    rows = _TABLE["s.csv"].splitlines()
    code, hours, note = rows[line - 1].split(",")
    edited = "\n".join([*rows[: line - 1], f"{code},{int(hours) + 9},{note}{note}", *rows[line:]]) + "\n"
    differs = changed(in_memory(_TABLE).render("wet"), in_memory({**_TABLE, "s.csv": edited}).render("wet"))
    reached = {(each.address, each.property) for each in in_memory(_TABLE).impact(f"s.csv:{line}")["wet"]}
    assert differs and reached == differs


def test_what_is_in_a_module_is_there_or_not_and_the_use_is_no_resource() -> None:
    files = {
        **_TABLE,
        "t.yaml": _TABLE["t.yaml"]
        .replace("one (./m.yaml): {", "one (./m.yaml): {$when: codes.size() > 2, ")
        .replace("one.name", "one.?name.orValue('x')"),
    }
    touched = in_memory(files).impact("codes")["wet"]
    assert {each.address for each in touched if each.effect == PRESENCE} == {
        "one/gate",
        *(f"each/{code}/gate" for code in ("kes", "bri", "olt")),
    }
    away = {**files, "t.yaml": files["t.yaml"].replace("size() > 2", "size() > 3")}
    assert {each.address for each in in_memory(away).impact("codes")["wet"] if each.effect == PRESENCE} >= {"one/gate"}
