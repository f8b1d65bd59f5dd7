"""Texts that only copy parameters, wherever they stand and whatever they are put together from, are echoes; those that choose or calculate are none."""

import json
import random
from collections.abc import Sequence
from typing import Any

from jovial_scaffold.core.changes.matrix import compare
from tests.support import in_memory

_VALUES: dict[str, dict[str, Any]] = {
    "cove": {"setting": "dusk", "owner": "ann", "range": "10.1.0.0/16", "n": 3, "same": 9, "company": "ferry"},
    "reef": {"setting": "dawn", "owner": "robert", "range": "10.2.0.0/16", "n": 5, "same": 9, "company": "ferry"},
}
_BOX = """$id: t.box.v1
type: object
properties:
  name: {type: string}
  texts: {type: array, items: {type: string}}
  parts: {type: array, listKey: key, items: {type: object, properties: {key: {type: string}, text: {type: string}}}}
  tags: {type: object, additionalProperties: {type: string}}
  id: {type: string, readOnly: true}
additionalProperties: false
"""
_HEAD = """parameters:
  setting: {type: string, description: Which}
  owner: {type: string, description: Whose}
  range: {type: string, format: cidr, description: Addresses}
  n: {type: integer, description: How many}
  same: {type: integer, description: The same everywhere}
  company: {type: string, description: The same everywhere}
let:
  prefix: "p-${setting}"
  table: {ferry: f1, other: f2}
  levels: {dusk: low, dawn: high}
  parts: ["${setting}-part", "${owner}"]
  inner: {a: "${owner}", b: ["${setting}/${owner}", y]}
  gates: [{name: u, port: 1}, {name: v, port: 2}]
functions:
  named: {takes: {what: {type: string}}, gives: {type: string}, is: "'f-' + what + '-f'"}
"""
# Texts that repeat a parameter that differs; those that do not; what is there of each item of a loop; and what is chosen or calculated.
_REPEATED = ("setting", "owner", "prefix", "inner.a", "inner.b[0]", "parts[0]", "{'a': setting}.a", "carve(range, 24, same)", "string(n)")
_FIXED = (
    *("'k'", "net.id", "nets['u'].id", "context.project", "company", "table[company]", "string(same * 2)", "string(size(company) + same)"),
    *("gates.map(each, each.name).join('-')", "gates.filter(each, each.port > same - 8)[0].name", "(same > 3 ? 'big' : 'small')"),
    *("company.split('r')[0]", "string(pool.copies)", "digest(net.id, 8)", "string(size(net.id) * 2)", "string(same > 3)"),
)
_CHOSEN_BY_THE_SAME = ("(same > 3 ? setting : owner)", "(company == 'x' ? company : prefix)", "pool.name")
_OF_ITEMS = ("gate.name", "nets[gate.name].id", "string(gate.port)", "string(gate.port * same)", "slug(nets[gate.name].id + setting, 900)")
_INNER = ("name", "other", "both", "pin.id", "'k'")
_NO_ECHOES = (
    "levels[setting]",
    "string(n * 2)",
    "string(size(owner))",
    "(n > 4 ? 'many' : 'few')",
    "setting.split('u')[0]",
    "levels[inner.b[0].split('/')[0]]",
)


def _copied(chance: random.Random, names: Sequence[str], depth: int = 0) -> str:
    """An expression that copies, joins and rewrites texts."""
    one = chance.choice(names)
    if depth > 2 or chance.random() < 0.35:
        return one
    a, b = (_copied(chance, names, depth + 1) for _ in range(2))
    forms = (
        f"{a} + {b}",
        f"'w-' + {a}",
        f"slug('s' + {a}, 900)",
        f"digest({a}, 8)",
        f"[{a}, {b}].join('-')",
        f"({a}).lowerAscii()",
        f"string({a})",
    )
    return chance.choice(forms)


def _text(chance: random.Random, names: Sequence[str], repeated: Sequence[str]) -> str:
    pieces = []
    for _ in range(chance.randint(0, 2)):
        pieces += [chance.choice(("a-", "/", "x ", "", "é", '"q" ')), f"${{{_copied(chance, names)}}}"]
    pieces.append(f"${{{_copied(chance, repeated)}}}")
    chance.shuffle(pieces)
    return json.dumps("".join(pieces), ensure_ascii=False)


def _files(chance: random.Random) -> dict[str, str]:
    root = (*_REPEATED, *_FIXED, *_CHOSEN_BY_THE_SAME, "named(setting)", "named(string(same))")

    def text() -> str:
        return _text(chance, root, _REPEATED)

    def of_item() -> str:
        return _text(chance, (*root, *_OF_ITEMS), _REPEATED)

    def inner() -> str:
        return _text(chance, _INNER, ("name", "both"))

    looped = "$per: {gate: gates}, $key: gate.name"
    template = f"""{_HEAD}everywhere:
  "t.box": {{tags: {{all: {text()}}}}}
resources:
  net (fulmar.network): {{name: net, range: 10.9.0.0/16}}
  nets (fulmar.network): {{{looped}, name: "n-${{gate.name}}", range: 10.8.0.0/16}}
  pool (fulmar.machine_group): {{name: "${{setting}}-pool", image: i, size: s, copies: 2}}
  one (t.box): {{name: {text()}, texts: [fixed, {text()}, {text()}], parts: [{{key: b, text: {text()}}}, {{key: a, text: {text()}}}], tags: {{x: {text()}}}}}
  many (t.box): {{{looped}, name: {of_item()}, texts: [{of_item()}], tags: {{y: {of_item()}}}}}
  some (t.box): {{{looped}, $when: gate.port > 1, name: {of_item()}}}
  use (./one.yaml): {{name: {text()}, other: {text()}}}
  uses (./one.yaml): {{{looped}, name: {of_item()}, other: {of_item()}}}
  deep (./two.yaml): {{name: {text()}}}
  deeps (./two.yaml): {{{looped}, name: {of_item()}}}
  none (t.box): {{name: "${{{chance.choice(_NO_ECHOES)}}}", parts: [{{key: a, text: "x-${{{chance.choice(_NO_ECHOES)}}}-${{setting}}"}}]}}
  none_of (t.box): {{{looped}, name: "${{gate.name}}-${{{chance.choice(_NO_ECHOES)}}}-${{owner}}"}}
documents:
  start: {{from: start.txt, to: "${{{_copied(chance, _REPEATED)}}}/start.txt"}}
outputs:
  single: {text()}
  listed: [{text()}, fixed]
"""
    one = f"""parameters:
  name: {{type: string, description: Its name}}
  other: {{type: string, description: Another, default: "${{name}}-more"}}
let: {{both: "${{name}}/${{other}}"}}
resources:
  pin (fulmar.network): {{name: pin, range: 10.7.0.0/16}}
  q (t.box): {{name: {inner()}, tags: {{x: {inner()}}}}}
  ql (t.box): {{$per: {{each: "['c', 'd']"}}, name: {inner()}}}
outputs: {{told: {inner()}}}
"""
    two = f"""parameters: {{name: {{type: string, description: Its name}}}}
resources:
  in (./one.yaml): {{name: {_text(chance, ("name", "'k'"), ("name",))}}}
  ins (./one.yaml): {{$per: {{each: "['c', 'd']"}}, name: {_text(chance, ("name", "each"), ("name",))}}}
  r (t.box): {{name: {_text(chance, ("name", "in.told"), ("name",))}}}
"""
    lines = [json.loads(text()) for _ in range(3)]
    environments = {name: {"parameters": [f"{name}.json"]} for name in _VALUES}
    project = {"project": "p", "template": "t.yaml", "catalogs": ["fulmar", "box.yaml"], "environments": environments}
    values = {f"{name}.json": json.dumps(each) for name, each in _VALUES.items()}
    texts = {"t.yaml": template, "one.yaml": one, "two.yaml": two, "start.txt": "\n".join(lines), "box.yaml": _BOX}
    return {"jovial.yaml": json.dumps(project), **texts, **values}


def attempt(chance: random.Random) -> str:
    """One project."""
    files = _files(chance)
    project = in_memory(files)
    rows = compare(project.views(project.environments), echoes=True).rows
    told = [row for row in rows if row.counted]
    for row in told:
        is_none = row.address.startswith("none") and row.pointer[0] != "tags"
        assert bool(row.echo) is not is_none, (files["t.yaml"], files["one.yaml"], files["two.yaml"], files["start.txt"], row)
    return "clean" if len(told) > 30 else "unusable"
