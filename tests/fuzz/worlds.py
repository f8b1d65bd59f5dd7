"""Templates that use every construct, against all environments that there could be: an error is shown by one, and what is called unused, always
or never is so. What all environments show, and no check of the template said, is counted as `late`."""

import itertools
import json
import random
import re
from collections.abc import Iterator
from typing import Any

from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.folders import MemoryFolder
from jovial_scaffold.core.project import Project
from jovial_scaffold.reports.words import said
from tests.fuzz.static import _place as place_of
from tests.fuzz.unused import without, without_order

_CATALOG = {
    "$id": "yard.thing.v1",
    "description": "A thing",
    "type": "object",
    "properties": {
        "name": {"type": "string", "pattern": "^[a-z][a-z0-9-]*$", "minLength": 2, "maxLength": 24},
        "n": {"type": "integer", "minimum": 0, "maximum": 40},
        "size": {"enum": ["xs", "s", "m", "l"]},
        "on": {"type": "boolean", "default": False},
        "range": {"type": "string", "format": "cidr"},
        "tags": {"type": "object", "additionalProperties": {"type": "string", "maxLength": 30}},
        "order": {"type": "array", "items": {"type": "string"}, "maxItems": 4},
        "disks": {
            "type": "array",
            "listKey": "key",
            "items": {
                "type": "object",
                "properties": {"key": {"type": "string"}, "size": {"type": "integer", "minimum": 1}},
                "required": ["key", "size"],
                "additionalProperties": False,
            },
        },
        "other": {"type": "string", "refersTo": ["thing:id"]},
        "id": {"type": "string", "readOnly": True},
    },
    "required": ["name"],
    "additionalProperties": False,
}
_STATION = {
    "type": "object",
    "properties": {
        "code": {"enum": ["kes", "bri"]},
        "zone": {"enum": ["valley", "summit"]},
        "height": {"type": "integer", "minimum": 1, "maximum": 2},
    },
    "required": ["code", "zone"],
    "additionalProperties": False,
}
PARAMETERS: dict[str, dict[str, Any]] = {
    "world": {"enum": ["sandbox", "live"]},
    "night": {"type": "boolean"},
    "copies": {"type": "integer", "minimum": 1, "maximum": 3},
    "stations": {"type": "array", "items": {"$ref": "#/types/station"}, "maxItems": 2},
    "more": {
        "type": "object",
        "properties": {"owner": {"enum": ["desk", "gate"]}, "rate": {"type": "integer", "minimum": 0, "maximum": 1}},
    },
    "line": {"type": "string", "maxLength": 20},
    "seats": {"type": "integer"},
    "free": {"type": "array", "items": {"type": "string"}},
    "zone": {"type": "string", "enum": ["valley", "summit"], "default": "${night ? 'summit' : 'valley'}"},
}
_LISTS: tuple[list[dict[str, Any]], ...] = (
    [],
    [{"code": "kes", "zone": "valley"}],
    [{"code": "bri", "zone": "summit", "height": 2}],
    [{"code": "kes", "zone": "summit", "height": 1}, {"code": "bri", "zone": "valley"}],
    [{"code": "bri", "zone": "summit"}, {"code": "kes", "zone": "summit", "height": 2}],
)
_MORE = ({}, {"owner": "desk"}, {"owner": "gate", "rate": 1}, {"rate": 0})
_LINES = ("a", "10.1.0.0/16", "x=y", "Ab-9", "live", "2026-11-26T00:00:00Z", "12")
_SEATS = (0, 5, 20, 77, 5_000, -3)
_FREE: tuple[list[str], ...] = ([], ["x"], ["a", "b", "c", "d", "e", "f", "g"], ["10.0.0.0/8", "kes"])
_LABELS = {"live": {"tier": "high", "place": "valley"}, "rehearsal": {"tier": "low"}}
_ROWS = [{"use": use, "image": f"{use}-{number}", "at": number} for use in ("gate", "desk") for number in (1, 2)]
_OWN_WHEN = 13  # the column of the condition of a resource; those of its parts stand further in
_MUST = (
    "world == 'live'",
    "night || copies < 3",
    "stations.all(s, s.zone == 'summit')",
    "size(stations) > 0",
    "!(copies == 2 && night)",
    "has(more.owner)",
)
WILD = 0.03  # how often an expression is of another type than its place takes


class _Writer:
    """Writes expressions of a type; `inside` are the variables that are seen, with their types."""

    def __init__(self, chance: random.Random) -> None:
        self.chance = chance

    def of(self, kind: str, depth: int = 2, inside: tuple[tuple[str, str], ...] = ()) -> str:
        """An expression that gives a text, integer, boolean or list, mostly."""
        if self.chance.random() < WILD:
            kind = self.chance.choice(("text", "integer", "boolean", "list"))
        own = [name for name, type in inside if type == kind]
        if own and self.chance.random() < 0.3:
            return self.chance.choice(own)
        if depth and self.chance.random() < 0.55:
            return self.deeper(kind, depth - 1, inside)
        return self.simple(kind, [name for name, type in inside if type == "station"])

    def simple(self, kind: str, stations: list[str]) -> str:
        """One without parts of its own."""
        choose = self.chance.choice
        station = choose(stations) if stations else "stations[0]"
        forms: dict[str, tuple[str, ...]] = {
            "text": (
                *(
                    "world",
                    "zone",
                    "'a'",
                    "'s'",
                    "'m'",
                    "prefix",
                    "context.environment",
                    "context.labels.tier",
                    "use.greeting",
                    "row_of.image",
                ),
                *(
                    "context.labels.?place.orValue('none')",
                    "more.?owner.orValue('nobody')",
                    "base.name",
                    "lamp.name",
                    "lamp.?name.orValue('dark')",
                ),
                *("sizes[world]", "partly[world]", "first.orValue('none')", "letter", "label", "base.id", "more.owner"),
                *(
                    ("line", "line", "free[0]", "sizes[line]", "line.split('=')[1]", "free[5]", "many[line].name")
                    if self.chance.random() < 0.3
                    else ()
                ),
                *((f"{station}.code", f"{station}.zone") if stations or self.chance.random() < 0.3 else ("zone",)),
            ),
            "integer": (
                *("copies", "1", "2", "7", "size(stations)", "more.?rate.orValue(3)", "scale[world]", "base.?n.orValue(1)", "more.rate"),
                *(("seats", "size(free)", "int(line)", "100 / seats") if self.chance.random() < 0.3 else ()),
                *((f"{station}.?height.orValue(1)", f"{station}.height") if stations else ("size(zone)",)),
            ),
            "boolean": (
                *(
                    "night",
                    "world == 'live'",
                    "zone != 'summit'",
                    "copies > 1",
                    "context.environment == 'live'",
                    "present(lamp)",
                    "has(more.owner)",
                ),
                *("'live' in [world]", "size(stations) > 0", "more.?owner.hasValue()", "context.labels.tier == 'low'", "world == 'dev'"),
                *((f"{station}.zone == zone", f"has({station}.height)") if stations else ("copies == 4",)),
            ),
            "list": ("['x', 'y']", "stations.map(s, s.code)", "[zone]", "[world, zone]", "many.map(k, k)", "[]"),
        }
        return choose(forms[kind])

    def deeper(self, kind: str, depth: int, inside: tuple[tuple[str, str], ...]) -> str:
        """One with parts."""

        def part(of: str, more: tuple[tuple[str, str], ...] = ()) -> str:
            return self.of(of, depth, (*inside, *more))

        name = f"v{depth}{len(inside)}"
        station, text = ((name, "station"),), ((name, "text"),)
        forms: dict[str, tuple[Any, ...]] = {
            "text": (
                lambda: f"({part('boolean')} ? {part('text')} : {part('text')})",
                lambda: f"({part('text')} + '-' + {part('text')})",
                lambda: f"string({part('integer')})",
                lambda: f"shout({part('text')})",
                lambda: f"slug({part('text')}, {self.chance.choice((1, 8, 20))})",
                lambda: f"{part('list')}.join('-')",
                lambda: f"{part('list')}[{self.chance.choice(('0', '1', part('integer')))}]",
                lambda: f"cel.bind({name}, {part('text')}, {part('text', text)})",
                lambda: f"patched({{'a': {part('text')}}}, more).?a.orValue({part('text')})",
                lambda: f'from_json(\'{{"a": "q"}}\').{self.chance.choice("aab")}',
                lambda: f"stations.filter({name}, {part('boolean', station)}).map({name}, {part('text', station)}).join('-')",
                lambda: f"{part('text')}.{self.chance.choice(('lowerAscii()', 'substring(1)', 'replace(`a`, `b`)'.replace('`', chr(39))))}",
            ),
            "integer": (
                lambda: f"({part('boolean')} ? {part('integer')} : {part('integer')})",
                lambda: f"({part('integer')} {self.chance.choice('+-*%/')} {part('integer')})",
                lambda: f"size({part(self.chance.choice(('text', 'list')))})",
                lambda: f"[4, 5][{part('integer')}]",
                lambda: f"math.greatest({part('integer')}, {part('integer')})",
                lambda: f"cel.bind({name}, {part('integer')}, {part('integer', ((name, 'integer'),))})",
            ),
            "boolean": (
                lambda: f"({part('boolean')} {self.chance.choice(('&&', '||'))} {part('boolean')})",
                lambda: f"!({part('boolean')})",
                lambda: f"({part('text')} {self.chance.choice(('==', '!=', '<'))} {part('text')})",
                lambda: f"({part('integer')} {self.chance.choice(('==', '<', '>='))} {part('integer')})",
                lambda: f"stations.{self.chance.choice(('all', 'exists', 'exists_one'))}({name}, {part('boolean', station)})",
                lambda: f"({part('text')} in {part('list')})",
            ),
            "list": (
                lambda: f"({part('boolean')} ? {part('list')} : {part('list')})",
                lambda: f"({part('list')} + {part('list')})",
                lambda: f"{part('list')}.map({name}, {part('text', text)})",
                lambda: f"{part('list')}.filter({name}, {part('boolean', text)})",
                lambda: f"stations.transformList(i{name}, {name}, {part('text', (*station, (f'i{name}', 'integer')))})",
                lambda: f"[{part('text')}, {part('text')}]",
            ),
        }
        return str(self.chance.choice(forms[kind])())


def template(chance: random.Random) -> dict[str, Any]:
    """A template."""
    writer = _Writer(chance)

    def whole(kind: str, inside: tuple[tuple[str, str], ...] = (), depth: int = 2) -> str:
        return f"${{{writer.of(kind, depth, inside)}}}"

    def name(inside: tuple[tuple[str, str], ...] = ()) -> str:
        return chance.choice(
            (f"n-{whole('text', inside)}", whole("text", inside), "plain", f"n-{whole('integer', inside)}-x", "${prefix}-a")
        )

    def thing(inside: tuple[tuple[str, str], ...] = ()) -> dict[str, Any]:
        made: dict[str, Any] = {"name": name(inside)}
        more: dict[str, Any] = {
            "n": whole("integer", inside),
            "on": whole("boolean", inside),
            "size": chance.choice(("${sizes[world]}", "${partly[world]}", whole("text", inside), "m")),
            "order": chance.choice((whole("list", inside), [whole("text", inside), "${?more.?owner}", "x"])),
            "tags": {"a": whole("text", inside), "b": "${?more.?owner}", "c": name(inside)},
            "range": chance.choice(
                (f"${{carve('10.0.0.0/16', 24, {writer.of('integer', 1, inside)})}}", "${line}", "${carve(line, 24, 0)}")
            ),
            "other": chance.choice(("${base.id}", "${lamp.?id.orValue(base.id)}", "${base.name}", "${lamp.id}")),
            "disks": [
                {"$per": {"d": "stations"}, "key": "${d.code}", "size": whole("integer", (*inside, ("d", "station")), 1)},
                {"$when": writer.of("boolean", 1, inside), "key": "x", "size": whole("integer", inside, 1)},
            ],
        }
        for key in chance.sample(sorted(more), chance.randint(0, 3)):
            made[key] = more[key]
        return made

    low = _Writer(random.Random(chance.random()))  # of what may read neither resources nor other names

    def plain(kind: str) -> str:
        found = low.of(kind, 1)
        return (
            found
            if not any(word in found for word in ("base", "lamp", "use", "many", "letter", "label", "first", "prefix", "shout"))
            else "zone"
        )

    resources: dict[str, Any] = {
        "base (yard.thing)": {"name": "base", **({"n": "${copies}"} if chance.random() < 0.5 else {})},
        "lamp (yard.thing)": {"$when": chance.choice(("night", "copies > 1", "world == 'live'", plain("boolean"))), "name": "lamp-one"},
        "many (yard.thing)": {"$per": {"item": "stations"}, "$key": "item.code", **thing((("item", "station"),))},
        "use (./module.json)": {"word": f"${{{plain('text')}}}", **({"count": whole("integer", (), 1)} if chance.random() < 0.4 else {})},
        "one (yard.thing)": {**thing(), **({"$when": writer.of("boolean")} if chance.random() < 0.4 else {})},
    }
    if chance.random() < 0.5:
        resources["each (yard.thing)"] = {"$per": {"i, t": writer.of("list", 1)}, **thing((("t", "text"), ("i", "integer")))}
    made: dict[str, Any] = {
        "types": {"station": _STATION},
        "parameters": {key: {**schema, "description": key} for key, schema in PARAMETERS.items()},
        "let": {
            "prefix": f"p-${{{plain('text')}}}",
            "label": f"${{{plain('text')}}}",
            "first": "${?stations.size() > 0 ? optional.of(stations[0].code) : optional.none()}",
            "sizes": {"sandbox": "xs", "live": chance.choice(("m", "xxl"))},
            "partly": {"live": "l"} if chance.random() < 0.3 else {"live": "l", "sandbox": "s"},
            "scale": {"sandbox": 1, "live": 30},
        },
        "functions": {
            "shout": {
                "takes": {"word": {"type": "string"}},
                "gives": {"type": "string"},
                "is": chance.choice(("word + '!'", "word", "word + string(size(word))")),
            }
        },
        "lookups": {
            "row_of": {
                "in": "images",
                "where": chance.choice(("row.use == (night ? 'gate' : 'desk')", "row.use == zone", "row.use == 'gate'")),
                "newest": "row.at",
            }
        },
        "resources": resources,
        "documents": {"letter": {"from": "letter.txt"}},
        "outputs": {"told": whole("text"), "all": whole("list")},
    }
    made["outputs"]["every"] = {"a": "${prefix}", "b": "${label}", "c": "${first.orValue('')}", "d": "${row_of}", "e": "${shout('x')}"}
    if chance.random() < 0.3:
        made["must"] = [{"require": chance.choice(_MUST), "message": "no"}]
    if chance.random() < 0.3:
        made["everywhere"] = {"yard.*": {"tags": {"t": f"${{{plain('text')}}}"}}}
    return made


_MODULE = {
    "parameters": {
        "word": {"type": "string", "maxLength": 8, "description": "w"},
        "count": {"type": "integer", "default": 1, "maximum": 9, "description": "c"},
    },
    "resources": {"inner (yard.thing)": {"name": "in-${word}", "$when": "count < 3"}},
    "outputs": {"greeting": "${word + string(inner.?n.orValue(count))}"},
}


def project_of(template: dict[str, Any], values: dict[str, Any]) -> Project:
    """The project of a template, with some values for its parameters."""
    entries = {name: {"parameters": ["p.json"], "labels": labels} for name, labels in _LABELS.items()}
    files = {
        "jovial.yaml": {
            "project": "p",
            "template": "t.json",
            "catalogs": ["catalog"],
            "lookups": {"images": "i.json"},
            "environments": entries,
        },
        "t.json": template,
        "module.json": _MODULE,
        "p.json": values,
        "i.json": _ROWS,
        "catalog/thing.json": _CATALOG,
    }
    written = {name: json.dumps(content, indent=1).encode() for name, content in files.items()}
    written["catalog/catalog.yaml"] = b"name: yard\ndescription: d\n"
    return Project(MemoryFolder({**written, "letter.txt": b"Of ${world}: ${zone}"}))


def combinations() -> Iterator[dict[str, Any]]:
    """Values of parameters that the declarations accept."""
    for world, night, copies, stations, more in itertools.product(("sandbox", "live"), (False, True), (1, 2, 3), _LISTS, _MORE):
        chance = random.Random(str((world, night, copies, stations, more)))
        others = {"line": chance.choice(_LINES), "seats": chance.choice(_SEATS), "free": chance.choice(_FREE)}
        yield {"world": world, "night": night, "copies": copies, "stations": stations, "more": more, **others}


def shown(template: dict[str, Any], values: dict[str, Any]) -> Iterator[tuple[set[tuple[int, int]], set[tuple[int, int]], set[str]]]:
    """The places of the errors in each environment that `must` accepts, those with the places that have to do with them, and the resources that
    are not there, and may be lost with what is wrong."""
    project = project_of(template, values)
    for rendering in project.views([*project.environments]):
        if not any(each.id == "must-failed" for each in rendering.findings):
            wrong = [each for each in rendering.findings if each.level == "error"]
            around = {place_of(span) for each in wrong for span in (each.cause, *(related.span for related in each.related))}
            places = {place_of(each.span) for each in wrong}
            there = {address.partition("/")[0] for address in rendering.resources}
            # Where something is wrong, what is not there may be lost with it.
            every = {key.partition(" ")[0] for key in template["resources"]} if wrong else set()
            lost = ({each.address for each in wrong} | every) - there
            yield places, places | around, lost


def _told_of(errors: list[Finding]) -> set[tuple[int, int]]:
    return {place_of(each.span) for each in errors if each.id != "must-never"}


def _told(findings: list[Finding]) -> set[tuple[int, int]]:
    return {place_of(span) for each in findings for span in (each.span, *(related.span for related in each.related))}


def attempt(chance: random.Random) -> str:
    """One template, and environments until each of its errors was shown."""
    made = template(chance)
    findings = [*project_of(made, {}).check(template_only=True).findings]
    errors = [each for each in findings if each.level == "error"]
    every = list(combinations())
    chance.shuffle(every)
    lines = json.dumps(made, indent=1).splitlines()
    # What reads an id is of the wrong type whatever the cloud will give, and no rendering knows it.
    unseen = {line for line, _ in _told_of(errors) if line and ".id" not in lines[line - 1]}
    lost: set[str] | None = None
    always: set[tuple[int, int]] | None = None
    renderings = 0
    for number, values in enumerate(every):
        if number >= 8 and not unseen and not (always or set()) - _told(errors):
            break
        for places, around, hidden in shown(made, values):
            renderings += 1
            lost = hidden if lost is None else lost & hidden
            unseen -= {line for line, _ in around}
            always = places if always is None else always & places
    # What stands in a resource that never comes about, since its loop or condition is wrong, is a mistake all the same.
    unseen -= {place_of(each.span)[0] for each in errors if each.address in (lost or ())}
    unseen = {line for line in unseen if not set(re.findall(r"[a-z]+", lines[line - 1])) & (lost or set())}  # and what asks for it
    assert not renderings or not unseen, ([(lines[line - 1], line) for line in unseen], [said(each.message) for each in errors], made)
    late = bool(renderings and (always or set()) - _told(errors))
    for finding in findings:
        nested = finding.id.startswith("condition-") and finding.span is not None and finding.span.column != _OWN_WHEN
        changed = without(made, finding, 1) if not nested else None
        for values in every[:6] if changed is not None else ():
            if any(places for places, *_ in shown(made, values)):
                continue  # what is wrong there makes other things unknown
            # What is not read any more is not waited for, either.
            ordered = not finding.id.startswith(("comparison-", "condition-"))
            before, after = _rendered(made, values, ordered), _rendered(changed or {}, values, ordered)
            assert before == after, (said(finding.message), finding.span, values, made)
    return "late" if late else "errors" if errors else "clean"


def _rendered(template: dict[str, Any], values: dict[str, Any], ordered: bool = True) -> list[Any]:
    from jovial_scaffold.reports.machine import render_document

    project = project_of(template, {name: value for name, value in values.items() if name in template["parameters"]})
    found = []
    for rendering in project.views([*project.environments]):
        if not any(each.id == "must-failed" for each in rendering.findings):
            document = render_document("p", rendering)
            if not ordered:
                document = without_order(document)
            found.append((document["resources"], document["outputs"]))
    return found
