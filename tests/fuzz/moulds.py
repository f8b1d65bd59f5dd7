"""Entries of a text that are alike but for their digits, in every form that digits have: cast or read one by one, they are the same."""

import itertools
import json
import random
from typing import Any

from jovial_scaffold.core.findings import merged
from jovial_scaffold.core.folders import MemoryFolder
from jovial_scaffold.core.project import Project
from jovial_scaffold.core.text.outline import Outline
from jovial_scaffold.core.text.source import Source, value_at
from jovial_scaffold.core.text.yaml_reader import read_yaml
from jovial_scaffold.reports.words import said
from tests.fuzz.code import NEVER, cast_from
from tests.fuzz.yaml import compare_places

_NUMBERS = ("0", "1", "2", "3", "7", "10", "12", "007", "00", "08", "255", "4096", "99999999", "1234567890", "18446744073709551616")
_VALUES = (
    "#",
    "-#",
    "+#",
    "#.#",
    ".#",
    "#.",
    "#e#",
    "0x#",
    "#x#",
    "#o#",
    "0o#",
    "#:#",
    "#_#",
    "#.#.#.#/#",
    "#-#-#",
    "gate #",
    "gate#",
    "#gate",
    "gate-#  # told # times",
    "# # of two",
    "'#'",
    '"#"',
    '"#.#"',
    "'0o#'",
    '"a\\"#"',
    "[#, '#', a#]",
    "{a: #, b: 0x#, c: [#.#]}",
    "{a: #.#.#, b: '#', c: a-#}",
    "true",
    "~",
    "${copies + #}",
    "${copies + #.#}",
    "a-${copies * #}-#",
    "${prefix}-#-${copies}$${#}",
    "#${prefix}",
    "${gate_#.id}",
    "${gate_#.id}-${gate_#.name}-#",
    "\"${copies > # ? 'x#' : 'y-#'}\"",
    "${'#' + r'#' + prefix}",
    "${size#.sum()}",
    "${?maybe_#}",
    "${[#, 0x#, #u].size()}",
    "${prefix + '#'",
    "${[1, 2].map(n, n + #)}",
)
_PIECES = ("    name: {}\n", "    size#: {}\n", "    range: {}\n", "    $when: copies > #\n", "    $after: [gate_#]\n", "    $keep: true\n")
_MORE = (
    "    tags:\n      a: {}\n      b#: {}\n",
    "    disks:\n      - name: {}\n        gigabytes: {}\n      - $when: copies > #\n        name: x#\n",
    "    disks:\n    - {}\n    - {}\n",
    "    description: |\n      told # times\n\n       # and #\n",
    "    description: |-\n      {}\n",
    "    # a remark of # words\n",
    "    $formerly: gate_#\n",
    "    $$odd: {}\n",
    "    operator_password: {}\n",
    "\n",
)


def _numbered(chance: random.Random, text: str, wild: float) -> str:
    """The text with a number for each `#` but those of comments."""
    parts = text.split("#")
    made = parts[0]
    for before, part in itertools.pairwise(parts):
        is_comment = before.endswith(("  ", " # ")) or (not before and part.startswith(" "))
        number = chance.choice(_NUMBERS) if chance.random() < wild else str(chance.randrange(1, 6))
        made += ("#" if is_comment else number) + part
    return made


def text_of(chance: random.Random) -> str:
    """A template of some kinds of resources, several of each."""
    blocks: list[str] = []
    for letter in "abc"[: chance.randint(1, 3)]:
        pieces = chance.sample(_PIECES, chance.randint(1, 4)) + chance.sample(_MORE, chance.randint(0, 3))
        chance.shuffle(pieces)
        values = [chance.choice(_VALUES) for _ in range(9)]
        wild = chance.choice((0, 0.1, 0.4))
        kind = chance.choice(("network", "queue", "machine_group", "machine_group@1", "nothing1"))
        head = chance.choice(("  {}_# (fulmar.{}):\n", "  {}# (fulmar.{}):\n", "  {}_# (fulmar.{}):  # number 3\n"))
        for number in range(chance.randint(2, 7)):
            wanted = iter(values)
            body = "".join(
                piece if "{" not in piece else piece.format(*(next(wanted) for _ in range(piece.count("{}")))) for piece in pieces
            )
            blocks.append(head.format(letter, kind).replace("#", str(number), 1) + _numbered(chance, body, wild))
    if chance.random() < 0.3:
        chance.shuffle(blocks)
    gates = "".join(f"  gate_{number} (fulmar.network): {{name: gate-{number}, range: 10.{number}.0.0/16}}\n" for number in range(1, 4))
    everywhere = 'everywhere:\n  "fulmar.*": {tags: {line: "${prefix}"}}\n' if chance.random() < 0.2 else ""
    parameters = "parameters:\n  copies: {type: integer, description: How many, default: 3}\n"
    return f"{parameters}let:\n  prefix: line\n  size2: [1, 2]\n{everywhere}resources:\n{gates}{''.join(blocks)}"


def shown(value: Any) -> Any:
    """What a compiled value holds, as plain data; of sources, what of them is hidden."""
    if value is None or isinstance(value, str | int | float):
        return type(value).__name__, repr(value)
    if isinstance(value, dict):
        return {str(key): shown(part) for key, part in value.items()}
    if isinstance(value, frozenset | set):
        return sorted(map(str, value))
    if isinstance(value, Source):
        return value.name, sorted(map(str, value._hidden))
    if isinstance(value, list | tuple):
        return type(value).__name__, [shown(part) for part in value]
    if hasattr(value, "__match_args__"):
        if type(value).__name__ in ("ResourceType", "Module"):
            return type(value).__name__
        return type(value).__name__, {name: shown(getattr(value, name)) for name in type(value).__match_args__}
    if type(value).__name__ == "Program":
        return shown(value.node), shown(value.constants)
    return shown(value()) if callable(value) else repr(value)


def _read(text: str, least: int) -> tuple[Any, list[str], int]:
    """The compiled resources, the findings, and how many entries were cast."""
    project = {"project": "p", "template": "t.yaml", "catalogs": ["fulmar"], "environments": {"sandbox": {"parameters": ["p.json"]}}}
    files = {"jovial.yaml": json.dumps(project).encode(), "t.yaml": text.encode(), "p.json": b"{}"}
    with cast_from(least):
        loaded = Project(MemoryFolder(files))
        found = [
            f"{each.level} {each.id} {each.span} {each.address}:{each.pointer} {said(each.message)} {said(each.hint)}"
            for each in merged(loaded.check().findings)
        ]
        template = loaded.templates[0]
        resources = {name: shown(each) for name, each in template.resources.items()}
        casts = len(template.origin.source.outline.casts)
    return (resources, sorted(template.unknown_names), sorted(template.secret_names)), found, casts


def attempt(chance: random.Random) -> str:
    """One template, both ways."""
    text = text_of(chance)
    outline = Outline()
    least = chance.choice((0, 0, 1, 3))  # more entries before there is a mould, which are of it all the same
    with cast_from(least):
        value = read_yaml(text, outline)
    compare_places(text, value[0], outline)
    for pointer, (mould, digits) in outline.casts.items():
        assert repr(mould.cast(digits)) == repr(value_at(value[0], pointer)), (text, pointer)
    with cast_from(NEVER):
        wanted = read_yaml(text)
    assert repr(value) == repr(wanted), (text, value, wanted)
    together, said_together, casts = _read(text, least)
    alone, said_alone, _ = _read(text, NEVER)
    assert said_together == said_alone, (text, [pair for pair in zip(said_together, said_alone, strict=False) if pair[0] != pair[1]][:2])
    if together != alone:
        names = [name for name in alone[0] if together[0].get(name) != alone[0][name]]
        raise AssertionError((text, names, [(together[0].get(name), alone[0][name]) for name in names[:1]]))
    return "clean" if casts else "unusable"
