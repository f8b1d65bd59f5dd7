"""Resources that differ in constants, some of them wrong: checked as one where that is a proof, or each by itself, the findings are the same."""

import json
import random
import re
from typing import Any
from unittest import mock

from jovial_scaffold.core.findings import merged
from jovial_scaffold.core.folders import MemoryFolder
from jovial_scaffold.core.project import Project
from jovial_scaffold.core.templates import expression_check
from jovial_scaffold.reports.words import said
from tests.fuzz.code import NEVER, code_from
from tests.support import check_templates

_PARAMETERS = {
    "world": {"enum": ["sandbox", "rehearsal", "live"], "description": "Which"},
    "line": {"type": "string", "minLength": 2, "maxLength": 9, "description": "Its short name"},
    "free": {"type": "string", "description": "Any text"},
    "copies": {"type": "integer", "minimum": 1, "maximum": 9, "description": "How many"},
    "step": {"type": "integer", "minimum": -40, "maximum": 30, "description": "How far"},
    "any": {"type": "integer", "description": "Any integer"},
    "odds": {"enum": [1, 3, 90], "description": "A number"},
    "range": {"type": "string", "format": "cidr", "description": "All addresses"},
    "night": {"type": "boolean", "description": "Whether it is night"},
}
_LET = {"prefix": "${line}-${world}", "scale": {"sandbox": 1, "rehearsal": 2, "live": 40}, "least": "${scale[world]}", "name": "${world}-x"}
_CONDITIONS = (
    *("night", "night", "world != 'live'", "copies > #", "copies * # > #", "step < # && world != '@'", "step + # > # || night"),
    *("odds == #", "copies % # == 1", "!night && copies < #", "any > #", "copies * copies > #", "least > #"),
)
_MUSTS = ("copies > 2 || night", "world != 'live' || copies > 1", "step > 0", "odds != 3 || !night")
_TEXTS = ("x", "a-very-long-name-for-a-resource-of-this-line", "Gate", "g h", "q1", "", "ab", "north")
_REFERENCES = ("${hub_1.id}", "${hub_2.id}", "${hub_1.name}", "${other_1.id}", "${maybe.id}", "${hub_9.id}")


def _integer(chance: random.Random) -> int:
    return chance.choice((0, 1, 2, 3, 7, 12, 40, 60, 100, 255, 999, 70_000, chance.randrange(40)))


def _number(chance: random.Random, depth: int = 2) -> str:
    """An expression that gives an integer, with `#` for integers of its own."""
    if depth and chance.random() < 0.5:
        return f"({_number(chance, depth - 1)} {chance.choice('+-*+%')} {_number(chance, depth - 1)})"
    if depth and chance.random() < 0.15:
        return f"(world == 'live' ? {_number(chance, 0)} : {_number(chance, 0)})"
    return chance.choice(("#", "#", "copies", "step", "odds", "least", "any", "scale[world]", "[4, 5, 6][#]", "6 / (copies - #)"))


def _text(chance: random.Random) -> str:
    """A text with placeholders, `#` for integers and `@` for texts of its own."""
    forms = (
        "${prefix}-@-#",
        "@-${world}",
        "${name}-#",
        "q-${string(%s)}",
        "${free}@",
        "@#",
        "${world}",
        "q-${copies}-@",
        "${slug('@' + prefix, 30)}",
    )
    made = chance.choice(forms)
    return made.replace("%s", _number(chance)) if "%s" in made else made


def _mistake_keys(chance: random.Random, made: dict[str, Any]) -> None:
    """Keys that are none, are missing or cannot be written, in all resources that are alike, and items that may be there twice."""
    if chance.random() < 0.2:
        made[chance.choice(("nmae", "nonsense", "id", "tgas", "wait-hours"))] = chance.choice(
            ("@", "#", "${prefix}-@", {"a": "@"}, number(chance))
        )
    if chance.random() < 0.15:
        del made[chance.choice(list(made))]
    if chance.random() < 0.2:
        made["tags"] = {"a": "@", chance.choice(("b", "c")): chance.choice(("#", "@", "${copies}", None, ["@"]))}
    if "subnets" in made and chance.random() < 0.5:
        made["subnets"] = chance.choice((["!", "!"], ["!", "!", "@"], [], ["#"], "!"))


def number(chance: random.Random) -> str:
    """An expression that gives an integer, by itself."""
    return f"${{{_number(chance)}}}"


def _archetype(chance: random.Random) -> tuple[str, dict[str, Any]]:
    """A type, and the properties that its resources have in common."""
    kind = chance.choice(("queue", "machine_group", "firewall", "bucket", "subnet"))
    made: dict[str, Any] = {"name": _text(chance)}
    if kind == "queue":
        made |= {"wait_hours": chance.choice((number(chance), "#")), "tags": {"a": _text(chance), "b": "@"}}
    elif kind == "machine_group":
        made |= {
            "image": "base",
            "size": chance.choice(("m", "@", "${world == 'live' ? 'xl' : 's'}")),
            "copies": number(chance),
            "subnets": ["!"],
        }
        made["settings"] = {"HOURS": f"${{string({_number(chance)})}}"}
    elif kind == "firewall":
        entries = [{"name": "one", "speaks": "tcp", "port": number(chance), "from": "${range}"}]
        entries.append({"name": "two", "speaks": "udp", "port": chance.choice(("#", number(chance))), "from": "10.#.0.0/16"})
        if chance.random() < 0.5:
            entries[1]["$when"] = chance.choice(("world == 'live'", "copies > #", "copies > 3"))
        made |= {"network": "!", "entries": entries}
    elif kind == "bucket":
        made |= {"retention_days": number(chance), "encrypted": chance.choice((True, "${night}", number(chance)))}
    else:
        made |= {"network": "!", "range": "${carve(range, 24, #)}", "zone": "${world == 'live' ? 'summit' : 'valley'}"}
    _mistake_keys(chance, made)
    if chance.random() < 0.35:
        made["$when"] = chance.choice(_CONDITIONS)
    if made.get("$when") == "night" and chance.random() < 0.7:
        made = json.loads(json.dumps(made).replace('"!"', '"${maybe.id}"'))  # which is there wherever these are
    return kind, made


def _filled(chance: random.Random, value: Any, wild: float) -> Any:
    """What is in common, with constants of its own."""
    if isinstance(value, dict):
        return {key: _filled(chance, item, wild) for key, item in value.items()}
    if isinstance(value, list):
        return [_filled(chance, item, wild) for item in value]
    if value == "#":
        return _integer(chance) if chance.random() < wild else chance.randrange(2, 9)
    if value is True and chance.random() < wild:
        return chance.choice((True, 1, 1.0, "true"))
    if not isinstance(value, str):
        return value
    if value == "!":
        return chance.choice(_REFERENCES if chance.random() < wild else _REFERENCES[:2])
    text = chance.choice(_TEXTS if chance.random() < wild else ("ab", "north"))
    return "".join(
        str(_integer(chance) if chance.random() < wild else chance.randrange(2, 9)) if each == "#" else each
        for each in value.replace("@", text)
    )


def template(chance: random.Random) -> dict[str, Any]:
    """A template of families."""
    resources: dict[str, Any] = {f"hub_{number} (fulmar.network)": {"name": f"net-{number}", "range": "${range}"} for number in (1, 2)}
    resources["other_1 (fulmar.queue)"] = {"name": "queue"}
    resources["maybe (fulmar.network)"] = {"$when": "night", "name": "net-maybe", "range": "${range}"}
    for letter in "abc"[: chance.randint(1, 3)]:
        kind, made = _archetype(chance)
        wild = chance.choice((0, 0, 0.1, 0.5))
        for number in range(chance.randint(2, 6)):
            resources[f"{letter}_{number} (fulmar.{kind})"] = _filled(chance, made, wild)
    musts = [{"require": each, "message": "m"} for each in chance.sample(_MUSTS, chance.choice((0, 0, 1, 2)))]
    made: dict[str, Any] = {"parameters": _PARAMETERS, "let": _LET, "must": musts, "resources": resources}
    if chance.random() < 0.2:
        made["everywhere"] = {"fulmar.*": {"tags": {"made_by": "us", "more": chance.choice(("text", 3, "${world}"))}}}
    return made


def _checked(made: dict[str, Any], least: int) -> str:
    project = {"project": "p", "template": "t.json", "catalogs": ["fulmar"], "environments": {"sandbox": {"parameters": ["p.json"]}}}
    files = {"jovial.yaml": project, "t.json": made, "p.json": {}}
    # Those that differ in constants only share how often they are tried, so that some of what may come about is not said.
    with code_from(least), mock.patch.object(expression_check, "_SHAPE_TRIALS", NEVER):
        loaded = Project(MemoryFolder({name: json.dumps(content).encode() for name, content in files.items()}))
        found = [*merged(check_templates(loaded.templates, {"sandbox": {}}))]  # alone: a rendering would say some of it, too
        told = [
            f"{each.level} {each.id} {each.span} {each.address}:{each.pointer} {said(each.message)} {said(each.hint)}" for each in found
        ]
        return re.sub(
            r" This is so where [^\n]*?\.(?= |$)|(?<=[.]) $", "", "\n".join(told), flags=re.MULTILINE
        )  # what a `$when` says itself


def attempt(chance: random.Random) -> str:
    """One template, both ways."""
    made = template(chance)
    alone, together = _checked(made, NEVER), _checked(made, 0)
    different = [pair for pair in zip(alone.splitlines(), together.splitlines(), strict=False) if pair[0] != pair[1]]
    assert alone == together, (different[:2], json.dumps(made["resources"]))
    return "errors" if "error " in alone else "clean"
