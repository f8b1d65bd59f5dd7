"""What is the same everywhere may stand around what differs, and what is handed to a module is looked at as if it stood there: rows that the
board's resources share by that are those of each resource."""

import random
from pathlib import Path
from typing import Any

import pytest

from tests.test_unfolding import at_once, browser, in_shares, told_resources

__all__ = ("browser",)

_WORLDS = {
    "cove": "setting: cove\ncopies: 1\nless: 8\nnote: '5'\nfar: false\nlabels: {a: x, b: y}\ncompany: ferry\nfollowed: ferry\nword: first\n",
    "reef": "setting: reef\ncopies: 2\nless: 7\nnote: ‹pier›\nfar: true\nlabels: {a: z, b: y}\ncompany: ferry\nword: second\n",
    "quay": "setting: quay\ncopies: 2\nless: 7\nnote: ''\nfar: true\nlabels: {a: x, b: y}\ncompany: ferry\nword: third\n",
}
_HEAD = """parameters:
  setting: {type: string, description: Which}
  copies: {type: integer, description: How many}
  less: {type: integer, description: What is left of nine}
  note: {type: string, description: Free text}
  far: {type: boolean, description: Whether it is far}
  labels: {type: object, additionalProperties: {type: string}, description: Labels}
  company: {type: string, description: The same everywhere}
  followed: {type: string, description: The same, default: "${company}"}
  word: {type: string, writeOnly: true, description: A secret}
let:
  brand: ${company.upperAscii()}
  zone: ${setting}-${company}
  level: ${copies + less}
  gates: [{name: a, port: 1, tag: 'é', on: true, deep: {x: 3}}, {name: bb, port: 2, tag: t, on: false}, {name: c, port: 33, tag: t, on: true, deep: {}}]
resources:
  pier (fulmar.queue): {name: pier, wait_hours: 4}
  base_0 (fulmar.queue): {name: base_0, wait_hours: 9}
  base_1 (fulmar.queue): {name: base_1, wait_hours: "${level}"}
  held (fulmar.queue): {$per: {each: gates}, $key: each.name, name: "${each.name}", wait_hours: 3}
"""
_TEXTS = (
    "${company}-#-${setting}",
    "${brand}/${setting}/${company}",
    "${setting}-#-${company}-${note}",
    "${followed}-${setting}",
    "${pier.wait_hours}-${setting}#",
    "${base_@.wait_hours}-${setting}",
    "${level}-#-${setting}",
    "${setting}${copies + less == 9 || # % 2 == 0 ? '' : 'x'}",
    "${pier.url}-${setting}",
    "${zone}-#",
    "${copies}${company}",
    "${company}",
    "${setting + '-#'}",
    "${far ? company : '#'}-${setting}",
    "${company + setting}-${brand}-#",
    "${labels.a}.${labels.b}.#",
    "plain #",
    "${word}-#",
    "${setting}/${word}",
    "${slug(company + '-' + setting, 20)}#",
)
_ITEM_TEXTS = (
    "${gate.name}-${setting}",
    "${setting}-${gate.name}-${gate.port}",
    "${gate.tag}${setting}${gate.on}",
    "${company}/${gate.name}/${setting}/${gate.port}",
    "${gate.name}",
    "${gate.name}-${level}-${setting}",
    "${gate.name + string(level)}${setting}",
    "${gate.name + setting}",
    "${gate.on ? setting : note}",
    "${far ? gate.name : 'x'}-${setting}",
    "${setting}#",
    "${has(gate.deep) && far ? gate.tag : setting}",
    "${held[gate.name].url}-${setting}",
    "${slug(held[gate.name].url + setting, 20)}-${gate.name}",
    "${setting + held[gate.name].id}",
    "${word}-${gate.name}",
    "${string(gate.port) + setting}-${gate.name}",
)
_NUMBERS = (
    "#",
    "${copies}",
    "${level + #}",
    "${copies + less == 9 || # % 2 == 0 ? copies : 5}",
    "${copies + #}",
    "${size(note)}",
    "${far ? # : 2}",
    "${size(company)}",
    "${copies * (# % 2)}",
)
_ITEM_NUMBERS = (
    *("${gate.port}", "${gate.port * copies}", "${gate.on ? copies : 4}", "${copies}", "${gate.port + level + #}"),
    *("${has(gate.deep) ? copies : gate.port}", "${gate.?deep.?x.orValue(copies)}", "${has(gate.deep.x) ? copies * # : 2}"),
)
_MODULE = """parameters:
  name: {type: string, description: Its name}
  size: {type: integer, description: How large, default: 3}
  more: {type: string, description: More, default: "${name}-more"}
  marks: {type: object, additionalProperties: {type: string}, description: Tags, default: {}}
  on: {type: boolean, description: Whether, default: true}
  pass: {type: string, writeOnly: true, description: A secret, default: ""}
let: {both: "${name}/${more}", twice: "${size * 2}"}
resources:
"""
_INNER_TEXTS = (
    "${name}",
    "m-${name}-${more}",
    "${both}",
    "${more}",
    "${on ? name : more}",
    "${name + '-x'}",
    "fixed",
    "${name.lowerAscii()}.${size}",
    "${string(size)}",
    "${context.environment}-${name}",
)
_INNER_NUMBERS = ("${size}", "${twice}", "${size + 1}", "${on ? size : 1}", "7", "${size(name)}")


def _text(chance: random.Random, texts: tuple[str, ...], number: int) -> str:
    return '"' + chance.choice(texts).replace("@", str(number % 2)).replace("#", str(chance.choice((number, number % 3)))) + '"'


def _queue(chance: random.Random, texts: tuple[str, ...], numbers: tuple[str, ...], number: int, tags: str = "") -> str:
    told = [f"name: {_text(chance, texts, number)}"]
    if chance.random() < 0.8:
        told.append(f"wait_hours: {_text(chance, numbers, number)}")
    if chance.random() < 0.5:
        told.append(
            f"tags: {{a: {_text(chance, texts, number)}, b: {_text(chance, texts, number)}}}" if not tags or chance.random() < 0.6 else tags
        )
    if chance.random() < 0.4:
        told.append(f"description: {_text(chance, texts, number)}")
    return "".join(f"    {each}\n" for each in told)


def _items(chance: random.Random, texts: tuple[str, ...], number: int) -> str:
    """A list of texts."""
    every = (*texts, "plain-#", "a, b", "${setting}, #", "${note}", "#")
    return ", ".join(_text(chance, every, number) for _ in range(chance.randint(1, 4)))


def _group(chance: random.Random, texts: tuple[str, ...], numbers: tuple[str, ...], number: int) -> str:
    inside = texts is _INNER_TEXTS
    told = [f"name: {_text(chance, texts, number)}"]
    if chance.random() < 0.4:
        when, count = "on" if inside else "far", _text(chance, numbers, number)
        told.append(f"disks: [{{$when: {when}, name: far, gigabytes: 1}}, {{name: near, gigabytes: {count}}}]")
    if chance.random() < 0.8:
        told.append(f"subnets: [{_items(chance, texts, number)}]")
    if chance.random() < 0.3:
        told.append(f"operator_password: {'${pass}' if inside else '${word}'}")
    return "".join(f"    {each}\n" for each in told)


def _module(chance: random.Random, inner: str) -> str:
    resources = []
    for number in range(chance.randint(1, 3)):
        when = chance.choice(("", "", "", "    $when: on\n", "    $when: size > 2\n"))
        loop = chance.choice(("", "", "", "", "", "", '    $per: {gate: ["u", "v"]}\n'))
        if chance.random() < 0.7:
            body = _queue(chance, _INNER_TEXTS, _INNER_NUMBERS, number, "tags: ${marks}")
            resources.append(f"  q{number} (fulmar.queue):\n{when}{loop}{body}")
        else:
            resources.append(f"  q{number} (fulmar.machine_group):\n{when}{_group(chance, _INNER_TEXTS, _INNER_NUMBERS, number)}")
    if inner:
        resources.append(f"  below ({inner}): {{name: {_text(chance, _INNER_TEXTS, 0)}, size: {_text(chance, _INNER_NUMBERS, 0)}}}\n")
    return _MODULE + "".join(resources)


def _use(chance: random.Random, number: int, form: list[str]) -> str:
    """A use of a module, written in one of a few forms."""
    told = [f"    name: {_text(chance, (form[0],), number)}\n"]
    options = (
        f"    size: {_text(chance, (form[1],), number)}\n",
        f"    more: {_text(chance, (form[2],), number)}\n",
        f"    marks: {form[3]}\n",
        f"    on: {_text(chance, (form[4],), number)}\n",
        "    pass: ${word}\n",
    )
    return "".join(told + [each for each, chosen in zip(options, form[5:], strict=True) if chosen])


_OVER = ("gates", "gates", "[{'name': setting, 'port': 1, 'tag': 'u', 'on': true}] + gates", "far ? gates : gates.filter(each, each.on)")


def _files(chance: random.Random) -> dict[str, str]:
    resources: list[str] = []
    first = chance.randrange(1000)
    for number in range(chance.randint(40, 60)):
        make, kind = (_queue, "fulmar.queue") if number % 5 < 3 else (_group, "fulmar.machine_group")
        body = make(random.Random(first + number % 5), _TEXTS, _NUMBERS, number)  # of which some are written alike
        resources.append(f"  r{number:03} ({kind}):\n{body}")
    for number in range(3):
        when = chance.choice(("", "    $when: gate.on\n", "    $when: far || gate.port > 1\n"))
        body = _queue(chance, _ITEM_TEXTS, _ITEM_NUMBERS, number)
        resources.append(f'  l{number} (fulmar.queue):\n    $per: {{gate: "{chance.choice(_OVER)}"}}\n    $key: gate.name\n{when}{body}')
    for kind in ("one", "two"):
        forms = [
            [
                chance.choice(_TEXTS),
                chance.choice(_NUMBERS),
                chance.choice(_TEXTS),
                chance.choice(("${labels}", '{x: "${setting}"}', "{y: z}")),
                chance.choice(("${far}", "true", "${copies > 1}", *["${level == 9 || # % 2 == 0}"] * 3)),
                *[chance.choice(("", "x", "x")) for _ in range(5)],
            ]
            for _ in range(2)
        ]
        for number in range(chance.randint(8, 20)):
            when = chance.choice(("    $when: far\n", "    $when: setting != 'cove'\n", *[""] * 6))
            resources.append(f"  {kind}{number:02} ({kind}):\n{when}{_use(chance, number, forms[number % 2])}")
        looped = _use(chance, 5, [chance.choice(_ITEM_TEXTS), chance.choice(_ITEM_NUMBERS), *forms[0][2:]])
        resources.append(f"  {kind}_all ({kind}):\n    $per: {{gate: gates}}\n    $key: gate.name\n{looped}")
    modules = {"one": _module(chance, ""), "two": _module(chance, "three"), "three": _module(chance, "")}
    return _project("".join(resources), modules)


def _project(resources: str, modules: dict[str, str]) -> dict[str, str]:
    environments = "".join(f"  {name}: {{parameters: [{name}.yaml]}}\n" for name in _WORLDS)
    named = ", ".join(f"{name}: {name}.yaml" for name in modules)
    return {
        "jovial.yaml": f"project: harbour\ntemplate: line.yaml\ncatalogs: [fulmar]\nmodules: {{{named}}}\nenvironments:\n{environments}",
        "line.yaml": _HEAD + resources,
        **{f"{name}.yaml": text for name, text in modules.items()},
        **{f"{name}.yaml": f"{text}word: {{$secret: {{env: WORD}}}}\n" for name, text in _WORLDS.items()},
    }


_CASES = {  # what resources and a module hold, and whether rows are shared at all
    "a name of another resource in each": ("  r# (fulmar.queue): {name: '${base_@.wait_hours}-${setting}'}\n", "", True),
    "behind a condition inside of the module": (
        "  u# (one): {name: '${setting}-x', on: '${level == 9 || # % 2 == 0}'}\n",
        "  q (fulmar.queue): {$when: on, name: '${name}', wait_hours: '${size}'}\n",
        True,
    ),
    "behind a condition of the use": (
        "  u# (one):\n    $when: level == 9 || # % 2 == 0\n    name: ${setting}-x\n",
        "  q (fulmar.queue): {name: '${name}'}\n",
        True,
    ),
    "of items inside of the module": (
        "  u# (one): {name: '${setting}', more: '${level % 2 == # % 2 ? note : company}'}\n",
        "  q (fulmar.queue): {$per: {item: '[name, more]'}, $key: \"item == name ? 'a' : 'b'\", name: '${item}-x'}\n",
        False,
    ),
    "of items that are always the same inside of the module": (
        "  u# (one): {name: '${setting}-#', size: '${copies + # % 2}'}\n",
        "  q (fulmar.queue): {$per: {item: '[\"a\", \"bc\"]'}, $key: item, name: '${item}-${name}', wait_hours: '${size}'}\n",
        True,
    ),
    "of items that are handed in": (
        "  u# (one): {name: '${setting}', more: '${level == 9 || # % 2 == 0 ? company : note}'}\n",
        "  q (fulmar.queue): {$per: {item: '[more, \"b\"]'}, $key: item, name: '${name}-x'}\n",
        False,
    ),
    "constants that are handed in": (
        "  u# (one): {name: '${setting}', size: #, on: true}\n",
        "  q (fulmar.queue): {name: '${size > 8 ? more : name}-${more}', wait_hours: '${size}'}\n",
        True,
    ),
    "what is handed in beside a name": (
        "  u# (one): {name: '${setting}', more: '${string(level + # % 2 * (copies - 1))}'}\n",
        "  q (fulmar.queue): {name: '${name + more}', description: '${more}.${name}'}\n",
        True,
    ),
    "a variable that is called like a parameter of the module": (
        "  u# (one): {name: '${setting}-#'}\n",
        "  q (fulmar.queue): {$per: {name: ['a', 'b']}, name: '${name}', description: '${more}'}\n",
        True,
    ),
    "a variable that is called like a resource": (
        "  l# (fulmar.queue): {$per: {base_0: '[{\"wait_hours\": 3}]'}, $key: base_0.wait_hours, name: '${base_0.wait_hours}-${setting}'}\n",
        "",
        False,
    ),
    "items of the use": (
        "  u# (one): {$per: {gate: '[setting] + gates.map(each, each.name)'}, $key: '\"k\" + string(size(gate))', name: '${gate}'}\n",
        "  q (fulmar.queue): {name: '${name}-x'}\n",
        False,
    ),
    "of items that may be others": (
        "  l# (fulmar.queue): {$per: {gate: \"gates.filter(each, each.port < level - 6 || each.name == 'a')\"}, $key: gate.name, name: '${setting}-x'}\n",
        "",
        False,
    ),
    "names whose inputs differ, and whose values do not": (
        "  r# (fulmar.queue): {name: '${level}-#-${setting}', description: '${setting}-${level}'}\n",
        "",
        True,
    ),
    "numbers of items": (
        "  l# (fulmar.queue): {$per: {gate: gates}, $key: gate.name, name: x, wait_hours: '${gate.port * copies}', claim_seconds: '${copies + #}'}\n",
        "",
        True,
    ),
    "items of which more is read than a part": (
        "  l# (fulmar.queue): {$per: {gate: gates}, $key: gate.name, name: x, wait_hours: '${size(gate) + copies}'}\n",
        "",
        False,
    ),
    "items that are numbers, and their position": (
        "  l# (fulmar.queue): {$per: {\"at, each\": '[3, 4, 5]'}, name: 'x${at}', wait_hours: '${each * copies + at}'}\n",
        "",
        True,
    ),
    "defaults that are followed somewhere": ("  r# (fulmar.queue): {name: '${followed}-${setting}-#'}\n", "", True),
    "lists that may be cut in two ways": (
        "  g# (fulmar.machine_group): {name: x, subnets: ['${setting}, ${setting}', 'a, #', '${setting}, a, #', '${note}']}\n",
        "",
        True,
    ),
    "lists of another length": (
        "  g# (fulmar.machine_group): {name: x, subnets: ['${setting}#', x#, '${level}', '${setting}']}\n"
        "  h# (fulmar.machine_group): {name: x, subnets: ['${setting}#', '${copies}']}\n",
        "",
        True,
    ),
    "secrets that are handed in": (
        "  u# (one): {name: '${setting}-#', pass: '${word}#'}\n",
        "  g (fulmar.machine_group): {name: '${name}', operator_password: '${pass}', image: 'a${name}'}\n",
        True,
    ),
    "uses that read another name each": (
        "  u# (one): {name: '${base_@.wait_hours}-${setting}', more: '${base_@.name}', size: '${copies * #}', marks: {x: '${setting}-#'}}\n",
        "  q (fulmar.queue): {name: '${name}', wait_hours: '${size}', description: '${more} ${both}', tags: '${marks}'}\n",
        True,
    ),
    "uses in uses": (
        "  u# (two): {name: '${setting}-#', size: '${copies + # % 2}'}\n",
        "  q (fulmar.queue): {name: 'a-${name}', wait_hours: '${size + 1}', description: '${more}'}\n",
        True,
    ),
}


@pytest.mark.parametrize("case", list(_CASES))
def test_rows_are_shared_only_by_what_is_driven_alike(browser: Any, case: str, tmp_path: Path) -> None:
    each, inside, are_shared = _CASES[case]
    resources = "".join(each.replace("#", str(number)).replace("@", str(number % 2)) for number in range(1, 21))
    around = "  below (one): {name: '${name}-b', size: '${twice}', more: '${both}'}\n"
    for name, text in _project(resources, {"one": _MODULE + inside, "two": _MODULE + around}).items():
        (tmp_path / name).write_text(text)
    found = told_resources(browser, tmp_path, tmp_path / "board.html", at_once)
    assert bool(sum(len(resource.get("shared", ())) for resource in found if "/" in resource["address"] or not inside)) == are_shared


def test_rows_around_what_is_the_same_everywhere_and_inside_of_modules(browser: Any, tmp_path: Path) -> None:
    alike = shared = 0
    for seed in range(12):
        for name, text in _files(random.Random(seed)).items():
            (tmp_path / name).write_text(text)
        resources = told_resources(browser, tmp_path, tmp_path / "board.html", (at_once, in_shares)[seed % 2], seed % 4 == 1)
        within = [each for each in resources if each.get("module")]
        alike += sum("alike" in each for each in within)
        shared += sum(len(each.get("shared", ())) for each in within)
    assert alike > 300, "most of what is in modules is told once"
    assert shared > 300, "and so are rows that differ"


_OF_ITEMS = (
    *(
        "${item.n * copies}",
        "${item.n + level}",
        "${item.n % 2 == 0 ? copies : less}",
        "${far ? item.n : 2}",
        "${item.n > 30 ? copies : 7}",
    ),
    *("${size(note) + item.n}", "${size(setting) * item.n}", "${has(item.odd) ? copies : item.n}", "${less - copies + item.n % 3}"),
)
_NAMES_OF_ITEMS = (
    "${item.k + setting}",
    "${string(item.n) + '-' + setting}",
    "${item.n % 3 == 0 ? setting : note}",
    "${item.k}-${setting}",
)


@pytest.mark.parametrize("seed", range(4))
def test_rows_of_what_is_computed_of_many_items(browser: Any, seed: int, tmp_path: Path) -> None:
    """Each item has a number of its own, so that no two have the same values."""
    chance = random.Random(seed)
    items = ", ".join(f"{{k: k{number}, n: {number * 7}{', odd: true' if number % 5 == 0 else ''}}}" for number in range(50))
    loops = []
    for number in range(6):
        when = chance.choice(("", "", "    $when: item.n % 4 != 0\n"))
        told = (f'    {name}: "{chance.choice(_OF_ITEMS)}"\n' for name in ("wait_hours", "claim_seconds"))
        loops.append(
            f'  l{number} (fulmar.queue):\n    $per: {{item: many}}\n    $key: item.k\n{when}    name: "{chance.choice(_NAMES_OF_ITEMS)}"\n{"".join(told)}'
        )
    files = _project("".join(loops), {})
    for name, text in files.items():
        (tmp_path / name).write_text(text.replace("  zone: $", f"  many: [{items}]\n  zone: $"))
    found = told_resources(browser, tmp_path, tmp_path / "board.html", (at_once, in_shares)[seed % 2])
    assert sum(len(resource.get("shared", ())) for resource in found) > len(found) / 2
