"""Projects of loops and modules whose items, presence and arguments hang on the parameters that texts repeat."""

import json
import random

_MODULE = """parameters:
  word: {type: string, description: x}
  world: {type: string, description: x}
  rows: {type: array, items: {type: object}, description: x}
resources:
  one (fulmar.queue): {$when: "WHEN", name: "TEXT"}
  many (fulmar.queue): {$per: {item: rows}, $key: item.k, name: "ITEM"}
"""
_SOURCES = ("rows[setting]", "rows.a", "named", "named.filter(n, n.k != setting)", "rows[owner == 'ada' ? 'a' : 'b']", "listed")
_KEYS = ("item.k", "item.k", "setting == 'a' ? item.k : item.j")
_CONDITIONS = ("setting != 'noon'", "owner == 'ada' || size(owner) > 1", "true", "size(rows.a) > 0")
_WORDS = ("alp-", "x", "-", ".", "")


def _text(chance: random.Random, *names: str) -> str:
    """A text of words and of what the template holds."""
    held = ("${setting}", "${owner}", "${prefix}", *names, *names)
    return "".join(chance.choice(_WORDS) + chance.choice(held) for _ in range(chance.randint(1, 3)))


def _rows(chance: random.Random) -> str:
    """Two items that have a key each, and that of the other one beside it."""
    keys = chance.sample(("one", "two", "six"), 2)
    values = [chance.choice(("xx", "yy", "${setting}", "${owner}-w", "${prefix}")) for _ in keys]
    return json.dumps([{"k": key, "j": other, "v": value} for key, other, value in zip(keys, keys[::-1], values, strict=True)])


def project(chance: random.Random) -> dict[str, bytes]:
    """Its files by name."""
    item = ("${item.v}", "${item.k}")
    resources = []
    for number in range(chance.randint(2, 4)):
        per = f'$per: {{item: "{chance.choice(_SOURCES)}"}}, $key: "{chance.choice(_KEYS)}"'
        when = f'$when: "{chance.choice(_CONDITIONS)}"'
        tags = f'tags: {{own: "{_text(chance, *item)}", same: "{_text(chance)}"}}'
        disks = f'disks: [{{$per: {{item: "{chance.choice(_SOURCES)}"}}, name: "${{item.k}}", kind: "{_text(chance, *item)}"}}]'
        arguments = f'word: "{_text(chance)}", world: "${{setting}}", rows: "${{{chance.choice(_SOURCES)}}}"'
        resources += chance.sample(
            (
                f'  loop{number} (fulmar.queue): {{{per}, {when}, name: "{_text(chance, *item)}", {tags}}}\n',
                f'  pool{number} (fulmar.machine_group): {{{when}, name: "{_text(chance)}", image: base, size: s, copies: 1, {disks}}}\n',
                f"  use{number} (part): {{{when}, {arguments}}}\n",
                f"  uses{number} (part): {{{per.replace('item', 'each')}, {arguments}}}\n",
            ),
            2,
        )
    template = (
        "parameters:\n  setting: {enum: [a, b, c], description: x}\n  owner: {type: string, description: x}\n"
        "  listed: {type: array, items: {type: object}, description: x}\n"
        f"let:\n  prefix: ${{setting}}-p\n  named: {_rows(chance)}\n  rows:\n"
        + "".join(f"    {name}: {_rows(chance)}\n" for name in "abc")
        + "resources:\n  net (fulmar.network): {name: net, range: 10.0.0.0/16}\n"
        + "".join(resources)
        + f'documents:\n  note: {{from: note.txt, to: "{_text(chance)}.txt"}}\noutputs:\n  told: "{_text(chance)}"\n  all: ["{_text(chance)}", x]\n'
    )
    module = (
        _MODULE.replace("WHEN", chance.choice(("word != 'w'", "world != 'b' || true", "size(rows) > 0")))
        .replace("TEXT", "${word}-${world}")
        .replace("ITEM", _text(chance, *item).replace("setting", "world").replace("owner", "word").replace("prefix", "word"))
    )
    environments = {name: {"parameters": [f"{name}.json"]} for name in chance.sample("abc", chance.randint(2, 3))}
    values = {
        name: {
            "setting": name,
            "owner": chance.choice(("ada", "eve")),
            "listed": [{"k": "one", "j": "one", "v": chance.choice(("l", name))}],
        }
        for name in environments
    }
    head = {"project": "p", "template": "t.yaml", "catalogs": ["fulmar"], "modules": {"part": "part.yaml"}, "environments": environments}
    note = "\n".join(_text(chance, "${net.id}", "${size(listed)}", "${setting == 'a' ? owner : prefix}") for _ in range(4))
    files = {"jovial.yaml": json.dumps(head), "t.yaml": template, "part.yaml": module, "note.txt": note}
    return {name: text.encode() for name, text in {**files, **{f"{name}.json": json.dumps(each) for name, each in values.items()}}.items()}
