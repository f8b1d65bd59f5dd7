"""Resources with lists of every sort, in loops and under conditions: what differs between environments, and what drives it, is told by code
that they share as it is one by one, and as editing parameter files shows it."""

import json
import random
from collections.abc import Callable
from typing import Any

from jovial_scaffold.reports.machine import compare_document, json_text
from tests.fuzz import drivers
from tests.fuzz.code import NEVER, code_from

_TEXT = {"type": "string"}
_SUB = {"type": "object", "properties": {"key": _TEXT, "n": {"type": "integer"}}}
_ITEM = {
    "type": "object",
    "properties": {
        "key": _TEXT,
        "port": {"type": "integer"},
        "note": _TEXT,
        "word": {"type": "string", "writeOnly": True},
        "deep": {"type": "object", "additionalProperties": _TEXT},
        "many": {"type": "array", "items": _TEXT},
        "subs": {"type": "array", "listKey": "key", "items": _SUB},
    },
}
_KEYED = {"type": "array", "listKey": "key", "items": _ITEM}
_BOX = {
    "$id": "yard.box.v1",
    "description": "A box",
    "type": "object",
    "properties": {
        "name": _TEXT,
        "n": {"type": "integer"},
        "d": {"type": "number"},
        "keyed": _KEYED,
        "loose": {"type": "array", "items": _ITEM},
        "any": {"type": "array", "anyOrder": True, "items": _TEXT},
        "net": {"type": "object", "properties": {"rules": _KEYED, "name": _TEXT}},
        "tags": {"type": "object", "additionalProperties": _TEXT},
        "free": {},
        "id": {"type": "string", "readOnly": True},
    },
    "additionalProperties": False,
}
_TEXTS = (
    *("${line}", "${line}-x", "a-${zone}-${line}", "${flag ? line : zone}", "const", "${other.id}", "${flag ? other.id : line}"),
    *("x${other.id}y", "${tags.?team.orValue('n')}", "NUMBER-${line}"),
)
_NUMBERS = ("${copies}", "${flag ? copies : 3}", "${copies * 2}", 4, "${size(codes)}")
_CONDITIONS = ("flag", "!flag", "copies > 2", "line == zone", "size(codes) > 1")
_AROUND: tuple[dict[str, Any], ...] = ({}, {"$per": {"each": "codes"}}, {"$per": {"each": "fixed"}})


def project(chance: random.Random) -> dict[str, bytes]:
    """Boxes that differ in constants only, whose lists hold items with keys that are written out and that are not."""
    kinds: dict[str, Callable[[], Any]] = {
        "keyed": lambda: _list(chance),
        "loose": lambda: _list(chance),
        "any": lambda: chance.choice(["${codes}", [chance.choice(_TEXTS), chance.choice(_TEXTS), "q"]]),
        "net": lambda: {"rules": _list(chance), "name": chance.choice(_TEXTS)},
        "tags": lambda: chance.choice(["${tags}", {"a": chance.choice(_TEXTS), "b": "NUMBER"}]),
        "free": lambda: chance.choice(["${codes}", "${tags}", "${copies}", [chance.choice(_TEXTS), {"key": chance.choice(_TEXTS)}]]),
        "d": lambda: chance.choice(["${double(copies)}", 1.5, "${flag ? 1.0 : 2.5}"]),
    }
    box = {"name": f"NUMBER-{chance.choice(_TEXTS)}", "n": chance.choice(_NUMBERS)}
    box |= {name: kinds[name]() for name in chance.sample(sorted(kinds), chance.randint(1, 5))}
    around = chance.choice((*_AROUND, {"$when": chance.choice(_CONDITIONS)}))
    described = {name: {**schema, "description": name} for name, schema in drivers.PARAMETERS.items() if "default" not in schema}
    template = {
        "parameters": {**described, "zone": {"type": "string", "description": "zone"}},
        "let": {"fixed": ["one", "two"]},
        "resources": {
            **{f"box{number} (yard.box)": {**around, **_numbered(box, number)} for number in range(3)},
            "other (yard.box)": {"name": "o"},
        },
    }
    files = drivers.project(chance)
    values = {f"{name}.json": {"zone": "tunnel", **json.loads(files[f"{name}.json"])} for name in drivers.ENVIRONMENTS}
    for each in values.values():
        each.pop("spare", None)
    written = {"line.yaml": template, "catalog/thing.yaml": _BOX, **values}
    return {**files, **{name: json.dumps(content).encode() for name, content in written.items()}}


def _list(chance: random.Random) -> list[Any]:
    keys = chance.sample(["k1", "k2", "k3", "k4"], chance.randint(1, 3))
    found = [_item(chance, key) for key in keys]
    if chance.random() < 0.15:
        found.append({"$per": {"code": "codes"}, "key": "${code}", "note": chance.choice(_TEXTS)})
    return found


def _item(chance: random.Random, key: str) -> dict[str, Any]:
    sub = {"key": "s2", "n": 2, **({"$when": chance.choice(_CONDITIONS)} if chance.random() < 0.4 else {})}
    parts: dict[str, Any] = {
        "port": chance.choice(_NUMBERS),
        "note": chance.choice(_TEXTS),
        "deep": chance.choice([{"a": chance.choice(_TEXTS), "b": "x"}, "${tags}"]),
        "many": chance.choice([[chance.choice(_TEXTS), "z"], "${codes}"]),
        "subs": [{"key": "s1", "n": chance.choice(_NUMBERS)}, sub],
        "word": chance.choice(["${password}", "${line}"]),
    }
    made: dict[str, Any] = {"key": chance.choice([key, key, f"${{line}}-{key}", "${zone}"]) if chance.random() < 0.35 else key}
    made |= {name: parts[name] for name in chance.sample(sorted(parts), chance.randint(0, 4))}
    return {**made, "$when": chance.choice(_CONDITIONS)} if chance.random() < 0.4 else made


def _numbered(value: Any, number: int) -> Any:
    if isinstance(value, dict):
        return {key: _numbered(item, number) for key, item in value.items()}
    if isinstance(value, list):
        return [_numbered(item, number) for item in value]
    if isinstance(value, str):
        return value.replace("NUMBER", str(number))
    return value + number if type(value) is int else value


def attempt(chance: random.Random) -> str:
    """One project: both ways, and against edited files."""
    files = project(chance)
    told = []
    for least in (0, NEVER):
        with code_from(least):
            told.append(json_text(compare_document(drivers.loaded(files).compare(drivers.ENVIRONMENTS))))
    assert told[0] == told[1], (drivers.ENVIRONMENTS, files["line.yaml"])
    comparison = drivers.loaded(files).compare(drivers.ENVIRONMENTS if chance.random() < 0.5 else ("sandbox", "live"))
    for row, alone in drivers.expected(files, comparison):
        if any(isinstance(step, int) for step in row.pointer):
            continue  # items without keys meet by what they have in common, which positions in edited files do not show
        driving = {each.parameter for each in row.drivers if not each.together and not each.parameter.startswith("context.")}
        assert driving == alone, (row.address, row.pointer, row.values, sorted(driving), sorted(alone), files["line.yaml"])
    return "errors" if any(each.level == "error" for rendering in comparison.renderings for each in rendering.findings) else "clean"
