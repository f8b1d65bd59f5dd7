"""What drives a difference, against brute force: one parameter of one environment is edited in its file, and everything rendered afresh.

Nothing of the engine's own way of trying takes part: projects are generated, files are written anew, and rows looked up in what comes out.
"""

import itertools
import json
import random
import re
from collections.abc import Iterator
from typing import Any

from jovial_scaffold.core.changes.matrix import Comparison, Row
from jovial_scaffold.core.expressions.marked import to_json
from jovial_scaffold.core.folders import MemoryFolder
from jovial_scaffold.core.project import Project
from jovial_scaffold.core.project_inputs import Overrides
from jovial_scaffold.core.rendering.explaining import Reason
from jovial_scaffold.core.rendering.overlays import Behind
from jovial_scaffold.core.rendering.rendering import Rendering
from jovial_scaffold.core.text.source import pointer_text
from jovial_scaffold.core.text.unknown import UNKNOWN

CATALOG = {
    "$id": "yard.thing.v1",
    "description": "A thing",
    "type": "object",
    "properties": {
        "name": {"type": "string"},
        "n": {"type": "integer"},
        "on": {"type": "boolean", "default": False},
        "tags": {"type": "object", "additionalProperties": {"type": "string"}},
        "order": {"type": "array", "items": {"type": "string"}},
        "disks": {
            "type": "array",
            "listKey": "key",
            "items": {"type": "object", "properties": {"key": {"type": "string"}, "size": {"type": "integer"}, "note": {"type": "string"}}},
        },
        "id": {"type": "string", "readOnly": True},
        "made": {"type": "object", "readOnly": True},
    },
    "additionalProperties": False,
}
ENVIRONMENTS = ("sandbox", "rehearsal", "live")
_CODES = ("kes", "bri", "olt", "zem")
_WORDS = ("valley", "summit", "tunnel")
PARAMETERS: dict[str, dict[str, Any]] = {
    "line": {"type": "string"},
    "flag": {"type": "boolean"},
    "other_flag": {"type": "boolean"},
    "copies": {"type": "integer"},
    "zone": {"type": "string", "default": "${flag ? 'summit' : line}"},
    "spare": {"type": "integer", "default": "${copies + 1}"},
    "tags": {"type": "object", "additionalProperties": {"type": "string"}},
    "maybe": {"type": "object", "properties": {"owner": {"type": "string"}, "rate": {"type": "integer"}}},
    "codes": {"type": "array", "items": {"type": "string"}},
    "stations": {
        "type": "array",
        "items": {
            "type": "object",
            "properties": {"code": {"type": "string"}, "zone": {"type": "string"}, "height": {"type": "integer"}},
            "required": ["code", "zone"],
        },
    },
    "password": {"type": "string", "writeOnly": True},
}
_TEXTS = (
    *("${line}", "${zone}-${line}", "${flag ? line : zone}", "${flag && other_flag ? 'a' : 'b'}", "${flag != other_flag ? 'a' : 'b'}"),
    *("${maybe.?owner.orValue(line)}", "${tags.?team.orValue('none')}", "${chosen.image}", "${patched({'a': line}, tags).?a.orValue('x')}"),
    *("${hub.?name.orValue('no hub')}", "${many.map(k, many[k].name).join(',')}", "${[line, zone][flag ? 0 : 1]}", "${label}"),
    *("${use.greeting}", "${hub.?id.orValue(line)}/${zone}", "http://${base.id}/${line}", "${string(size(stations))}", "${row_note}"),
    *("${first_of.orValue('nobody')}", "${stations.exists(s, s.zone == zone) ? 'here' : 'away'}", "${context.environment}-${line}"),
    *(
        "${string(copies)}",
        "${shout(line)}",
        "${stations.filter(s, s.zone == 'summit').map(s, s.code).join('+')}",
        "${present(hub) ? 'a' : 'b'}",
    ),
    *(
        "${many.transformList(k, v, v.name).join(';')}",
        "${stations.map(s, many[s.code].?order.orValue([]).join('')).join('')}",
        "${password}",
    ),
    *(
        "${cel.bind(x, flag ? copies : spare, string(x))}",
        "${note}",
        "${stations[0].code}",
        "${stations.map(s, s.zone)[0]}",
        "${[zone][0]}",
    ),
)
_NUMBERS = (
    "${copies}",
    "${spare}",
    "${flag ? copies : 7}",
    "${size(stations)}",
    "${maybe.?rate.orValue(copies)}",
    "${copies > 2 ? 1 : 0}",
    "${base.n}",
)
_OF_ITEMS = (
    *("${item.zone}-${item.code}", "${item.code}-${line}", "${zone}/${item.code}/${line}", "${item.code}-${flag ? line : zone}-x"),
    *("${flag ? item.code : line}", "x-${zone}", "${item.code}${maybe.?owner.orValue(item.zone)}"),
)
_LISTS = ("spots", "banks[line]", "flag ? spots : banks.summit", "spots.filter(s, s.zone == 'valley' || other_flag)", "stations")
"""What gives items that have a code and a zone."""
_CONDITIONS = (
    "flag",
    "!flag && copies > 1",
    "size(stations) > 1",
    "tags.?team.orValue('') == 'desk'",
    "zone == line || other_flag",
    "present(hub)",
)


def project(chance: random.Random) -> dict[str, bytes]:
    """Files of a project in which most kinds of things that a value can come through stand."""

    def text() -> str:
        return chance.choice(_TEXTS)

    def number() -> str:
        return chance.choice(_NUMBERS)

    def thing(inside: bool = False) -> dict[str, Any]:
        made: dict[str, Any] = {"name": chance.choice(_OF_ITEMS) if inside and chance.random() < 0.6 else text()}
        if chance.random() < 0.6:
            made["n"] = number()
        if chance.random() < 0.4:
            made["tags"] = chance.choice(["${tags}", {"a": text(), "b": {"$when": "flag", "c": "x"} and text()}])
        if chance.random() < 0.4:
            made["order"] = chance.choice(["${codes}", "${stations.map(s, s.code)}", [text(), "${?maybe.?owner}", text()]])
        if chance.random() < 0.4:
            made["disks"] = [{"$per": {"s": "stations"}, "key": "${s.code}", "size": number(), "note": "${s.zone}"}, {"$when": chance.choice(_CONDITIONS[:5]), "key": "extra", "note": text()}]  # fmt: skip
        return made

    shared = chance.choice(_TEXTS), chance.choice(_NUMBERS), chance.choice(_CONDITIONS[:5])

    def alike(number: int) -> dict[str, Any]:
        """One of several that differ in constants only, one of which decides in some of them."""
        note, size, condition = shared
        disks = [
            {"key": f"first-{number}", "size": size},
            {"$when": f"{condition} || line == '{_WORDS[number]}'", "key": "more", "note": note, "size": number},
        ]
        return {
            "name": f"{number}{note}-{number}",
            "n": f"${{copies > {number} ? copies : {number}}}",
            "tags": {"x": f"{note}{number}"},
            "disks": disks,
        }

    # Texts and numbers that read hub, many, base or use stand only where they make no circle.
    simple = [
        each
        for each in _TEXTS
        if not any(word in each for word in ("hub", "many", "base", "use.", "label", "password", "row_note", "note}"))
    ]
    banked = (*_WORDS, "${line}", "${zone}-b")
    template = {
        "parameters": {name: {**schema, "description": name} for name, schema in PARAMETERS.items()},
        "let": {
            "label": chance.choice(simple),
            "row_note": "${chosen.note}-${codes.join('')}",
            "first_of": "${?stations.size() > 0 ? optional.of(stations[0].code) : optional.none()}",
            "note": chance.choice(simple),
            "banks": {
                word: [{"code": "kes", "zone": chance.choice(banked)}, {"code": chance.choice(_CODES[1:]), "zone": "x"}] for word in _WORDS
            },
            "spots": [{"code": "kes", "zone": "valley"}, {"code": "bri", "zone": "summit"}, {"code": "olt", "zone": "valley"}],
        },
        "functions": {"shout": {"takes": {"word": {"type": "string"}}, "gives": {"type": "string"}, "is": "word + '!' + word"}},
        "lookups": {"chosen": {"in": "images", "where": "row.use == (flag ? 'gate' : 'desk')"}},
        "everywhere": {"yard.*": {"tags": {"team": chance.choice(simple), "line": "${line}"}}} if chance.random() < 0.5 else {},
        "resources": {
            "base (yard.thing)": {"name": chance.choice(simple), "n": "${copies}"},
            "hub (yard.thing)": {"$when": chance.choice(_CONDITIONS[:5]), "name": chance.choice(simple)},
            "many (yard.thing)": {
                "$per": {"item": "stations"},
                "$key": "item.code",
                **({"$when": "item.zone != 'tunnel'"} if chance.random() < 0.3 else {}),
                "name": chance.choice(["${item.zone}-${line}", "${item.code}", *simple]),
                "order": chance.choice([["${item.zone}", "${zone}"], "${codes}"]),
            },
            "mapped (yard.thing)": {"$per": {"key, value": "tags"}, "name": "${key}-${value}", "n": number()},
            "use (./module.yaml)": {"word": chance.choice(simple), **({"count": "${copies}"} if chance.random() < 0.5 else {})},
            "one (yard.thing)": thing(),
            "two (yard.thing)": {**({"$when": chance.choice(_CONDITIONS)} if chance.random() < 0.5 else {}), **thing()},
            "each (yard.thing)": {"$per": {"item": "stations"}, "$key": "item.code", **thing(inside=True)},
            "others (./module.yaml)": {
                **chance.choice(({"$per": {"item": chance.choice(_LISTS)}, "$key": "item.code"}, {"$when": chance.choice(_CONDITIONS)})),
                "word": chance.choice(simple),
                **({"count": "${copies}"} if chance.random() < 0.7 else {}),
                "rows": f"${{{chance.choice(_LISTS)}}}",
                "link": chance.choice(
                    ("${base.id}", "${hub.?id.orValue(zone)}", "${many.map(k, many[k].id).join('+')}", "${line}", "at hand")
                ),
            },
            "spot (yard.thing)": {
                "$per": {"item": chance.choice(_LISTS) if chance.random() < 0.5 else "spots"},
                "$key": "item.code",
                **({"$when": chance.choice(["item.zone == 'valley'", "flag || item.zone == 'valley'"])} if chance.random() < 0.4 else {}),
                **thing(inside=True),
            },
            **{f"alike{number} (yard.thing)": alike(number) for number in range(3)},
        },
        "outputs": {"told": text(), "whole": chance.choice(["${stations.map(s, s.zone)}", "${tags}", "${many.map(k, k)}", text()])},
        "documents": {"letter": {"from": "letter.txt", "to": "${line}.txt"}},
    }
    module = {
        "parameters": {
            "word": {"type": "string", "description": "w"},
            "count": {"type": "integer", "default": 1, "description": "c"},
            "rows": {"type": "array", "items": {"type": "object"}, "default": [], "description": "r"},
            "link": {"type": "string", "default": "none", "description": "l"},
            "more": {"type": "string", "default": "${word}-${string(count)}", "description": "m"},
        },
        "resources": {
            "inner (yard.thing)": {"name": "${more}", "$when": "count < 4"},
            "beside (./deeper.yaml)": {"link": chance.choice(("${link}", "${word}")), "n": "${count + 1}"},
            "paired (yard.thing)": {
                "$when": chance.choice(("word == 'valley' || count > 2", "count < 3 || link == word", "word != link")),
                "name": "${word}",
                "n": "${count}",
            },
            "listed (yard.thing)": {
                "$per": {"row": "rows"},
                "$key": "row.code",
                "name": chance.choice(("${row.zone}-${word}", "${word}/${row.code}")),
            },
        },
        "outputs": {"greeting": {"value": "${word + string(inner.?n.orValue(count))}", "description": "g"}},
    }
    deeper = {
        "parameters": {"link": {"type": "string", "description": "l"}, "n": {"type": "integer", "description": "n"}},
        "resources": {
            "deep (yard.thing)": {"name": "${link}", "n": "${n}"},
            "kept (yard.thing)": {"$when": "n > 1", "name": "deep", "tags": {"of": "${deep.id}"}},
        },
    }
    files = {
        "jovial.yaml": {
            "project": "yard",
            "template": "line.yaml",
            "catalogs": ["catalog/"],
            "lookups": {"images": "images.json"},
            "environments": {name: {"parameters": [f"{name}.json"]} for name in ENVIRONMENTS},
        },
        "line.yaml": template,
        "module.yaml": module,
        "deeper.yaml": deeper,
        "catalog/thing.yaml": CATALOG,
        "catalog/catalog.yaml": {"name": "yard", "description": "d"},
        "images.json": [{"use": "gate", "image": "gate-2", "note": "g"}, {"use": "desk", "image": "desk-1", "note": "d"}],
        **{f"{name}.json": _values(chance) for name in ENVIRONMENTS},
    }
    written = {name: json.dumps(content).encode() for name, content in files.items()}
    return {**written, "letter.txt": f"{chance.choice(simple)} and {text()}".encode()}


def _values(chance: random.Random) -> dict[str, Any]:
    codes = chance.sample(_CODES, chance.randint(1, 3))
    values: dict[str, Any] = {
        "line": chance.choice(_WORDS),
        "flag": chance.random() < 0.5,
        "other_flag": chance.random() < 0.5,
        "copies": chance.randint(1, 4),
        "tags": {key: chance.choice(("desk", "gate", "a")) for key in chance.sample(("team", "a", "b"), chance.randint(0, 2))},
        "maybe": {key: value for key, value in (("owner", chance.choice(_WORDS)), ("rate", chance.randint(1, 3))) if chance.random() < 0.6},
        "codes": chance.sample(_CODES, chance.randint(1, 3)),
        "stations": [{"code": code, "zone": chance.choice(_WORDS), "height": chance.randint(1, 3)} for code in codes],
        "password": chance.choice(("edelweiss", "gentian")),
    }
    if chance.random() < 0.3:
        values["zone"] = chance.choice(_WORDS)
    if chance.random() < 0.3:
        values["spare"] = chance.randint(1, 4)
    return values


def loaded(files: dict[str, bytes]) -> Project:
    """A project over files in memory."""
    return Project(MemoryFolder(files), "jovial.yaml", Overrides())


def edited(files: dict[str, bytes], environment: str, values: dict[str, Any]) -> Rendering:
    """An environment rendered afresh, with some parameters written otherwise in its file."""
    name = f"{environment}.json"
    return loaded({**files, name: json.dumps({**json.loads(files[name]), **values}).encode()}).render(environment)


def held(rendering: Rendering, row: Row) -> Any:
    """What a row is about, in a rendering: looked up without the engine's own ways."""
    if row.type == "document":
        document = rendering.documents.get(row.address)
        return document and (document.to if row.pointer == ("to",) else document.compared)
    if row.kind == "output":
        value: Any = {"": rendering.outputs.get(row.address, "(none)")}
        steps: tuple[Any, ...] = ("", *row.pointer)
    else:
        resource = rendering.resources.get(row.address)
        if row.kind == "presence" or resource is None:
            return resource is not None
        value, steps = resource.properties, row.pointer
    for step in steps:
        value = getattr(value, "value", value)
        if isinstance(value, list) and isinstance(step, str):
            value = next((item for item in value if item.get("key") == step), "(none)")
        elif isinstance(value, dict):
            value = value.get(step, "(none)")
        elif isinstance(value, list) and isinstance(step, int):
            value = value[step] if step < len(value) else "(none)"
        else:
            return "(none)"
    return value


def shown(value: Any) -> str:
    return json.dumps(to_json(value, lambda secret: {"$was": to_json(secret.value)}), sort_keys=True, default=repr)


def expected(files: dict[str, bytes], comparison: Comparison) -> Iterator[tuple[Row, set[str]]]:
    """For each row, the parameters that change it alone."""
    sides = [(one, other, differing(one, other)) for one, other in itertools.permutations(comparison.renderings, 2)]
    tried = {
        (one.environment, other.environment, name): edited(files, one.environment, {name: value})
        for one, other, values in sides
        for name, value in values.items()
    }
    for row in comparison.rows:
        found = set()
        for one, other, values in sides:
            columns = _columns(comparison, row)
            if columns[0] not in (one, other) or one not in columns or other not in columns:
                continue
            if shown(held(one, row)) == shown(held(other, row)):
                continue  # between these two there is no difference
            for name in values:
                if shown(held(one, row)) != shown(held(tried[one.environment, other.environment, name], row)):
                    found.add(name)
        yield row, found


def _columns(comparison: Comparison, row: Row) -> list[Rendering]:
    """The environments that a row is about: another row says where the resource is not there."""
    return [each for each in comparison.renderings if row.kind != "property" or row.address in each.resources]


def differing(one: Rendering, other: Rendering) -> dict[str, Any]:
    """What the file of one would have to say to have the other's value, for each parameter that any file sets."""
    found = {}
    for name, value in other.parameters.values.items():
        both = name in one.parameters.defaulted and name in other.parameters.defaulted
        plain = getattr(value, "value", value)
        if not both and value is not UNKNOWN and shown(value) != shown(one.parameters.values.get(name)):
            found[name] = plain
    return found


def attempt(chance: random.Random) -> str:
    """One project, all its rows."""
    files = project(chance)
    comparison = loaded(files).compare(["sandbox", "live"] if chance.random() < 0.6 else ENVIRONMENTS)
    errors = [each for rendering in comparison.renderings for each in rendering.findings if each.level == "error"]
    for row, alone in expected(files, comparison):
        told = {driver.parameter for driver in row.drivers if not driver.together and not driver.parameter.startswith("context.")}
        assert told == alone, (row.address, row.pointer, row.values, f"told {sorted(told)}, true {sorted(alone)}", files["line.yaml"])
        if not alone and not any(driver.parameter.startswith("context.") for driver in row.drivers):
            assert _changes_together(files, comparison, row), (row.address, row.pointer, row.values, row.drivers, files["line.yaml"])
    _explained(chance, files, comparison)
    return "errors" if errors else "clean"


def _explained(chance: random.Random, files: dict[str, bytes], comparison: Comparison) -> None:
    """`why` names each driver of a row in one of the environments, and nothing there that no difference could come from."""
    project = loaded(files)
    rows = [
        row
        for row in comparison.rows
        if row.kind == "property" and row.pointer[0] != "disks" and len(row.values) == 2 == len(comparison.renderings)
    ]
    for row in chance.sample(rows, min(3, len(rows))):
        named: set[str] = set()
        for name, pointer in row.at.items():
            what = f"{row.address}:{pointer_text(pointer)}"
            named |= set(_parameters(project.why(what, name)))
        told = {driver.parameter for driver in row.drivers if not driver.together and not driver.parameter.startswith("context.")}
        presence = set(Behind(project.views(comparison.environments)[0]).presence(row.address)) | (
            {each.parameter for each in row.drivers} if len(row.at) < 2 else set()
        )
        assert told - presence <= named, (row.address, row.pointer, row.values, told, named, files["line.yaml"])
    for row in [row for row in comparison.rows if row.kind == "presence"]:
        named = set()
        for rendering in comparison.renderings:
            reason = project.why(row.address, rendering.environment)
            assert reason.value is (row.address in rendering.resources), (row.address, rendering.environment, reason, files["line.yaml"])
            named |= set(_parameters(reason))
        told = {driver.parameter for driver in row.drivers if not driver.parameter.startswith("context.")}
        assert told <= named, (row.address, told, named, files["line.yaml"])


def _parameters(reason: Reason) -> Iterator[str]:
    if reason.kind in ("parameter", "default"):
        yield re.split(r"[.\[]", reason.name)[0]
    for each in reason.reasons:
        yield from _parameters(each)


def _changes_together(files: dict[str, bytes], comparison: Comparison, row: Row) -> bool:
    names = {driver.parameter for driver in row.drivers}
    for one, other in itertools.permutations(_columns(comparison, row), 2):
        values = {name: value for name, value in differing(one, other).items() if name in names}
        if len(names) > 1 and shown(held(one, row)) != shown(held(edited(files, one.environment, values), row)):
            return True
    return False
