"""What is shown of rules and schemas for all accepted parameters, against whole renderings with random ones: what is proven is never broken,
and what is said to break something does."""

import json
import random
from collections.abc import Callable
from typing import Any

from jovial_scaffold.core.folders import MemoryFolder
from jovial_scaffold.core.parameters.resolving import Parameters
from jovial_scaffold.core.parameters.typing import as_declared
from jovial_scaffold.core.project import Project
from jovial_scaffold.core.rendering.rendering import render
from jovial_scaffold.core.rules.evaluation import judge

SETS = 30  # of parameters, that are tried on each project
Pick = Callable[[random.Random], Any]

_TEXT = ("a", "abc", "kes-1", "x" * 12, "x" * 20, "tmp-x", "north", "", "A", "1", "é", "live", "a" * 40)


def _item(chance: random.Random) -> dict[str, Any]:
    item = {
        "code": "".join(chance.choices("abkz", k=chance.randint(1, 6))),
        "gates": chance.choice((1, 2, 7, 12)),
        "kind": chance.choice("pq"),
    }
    return {**item, **({"far": chance.random() < 0.5} if chance.random() < 0.5 else {})}


#: parameters that there may be: a schema, and accepted values
POOL: dict[str, tuple[dict[str, Any], Pick]] = {
    "size": ({"enum": ["xs", "s", "m", "l"]}, lambda chance: chance.choice(("xs", "s", "m", "l"))),
    "copies": ({"type": "integer", "minimum": 1, "maximum": 40}, lambda chance: chance.choice((1, 2, 3, 5, 9, 10, 11, 20, 39, 40))),
    "days": ({"type": "integer", "minimum": 0}, lambda chance: chance.choice((0, 1, 6, 7, 8, 30, 90, 400, 10**6, 2**62))),
    "shift": ({"type": "integer"}, lambda chance: chance.choice((-(10**6), -8, -1, 0, 1, 7, 50, 2**61))),
    "open": ({"type": "boolean"}, lambda chance: chance.random() < 0.5),
    "zone": (
        {"type": "string", "pattern": "^[a-z]+$", "minLength": 2, "maxLength": 9},
        lambda chance: "".join(chance.choices("abcxyz", k=chance.randint(2, 9))),
    ),
    "word": ({"type": "string"}, lambda chance: chance.choice(_TEXT)),
    "rate": ({"type": "number", "minimum": 0, "maximum": 4}, lambda chance: chance.choice((0.0, 0.5, 1.0, 1.5, 2.0, 3.999, 4.0))),
    "maybe": ({"type": ["integer", "null"]}, lambda chance: chance.choice((None, 0, 3, 7, 100))),
    "spec": (
        {
            "type": "object",
            "properties": {
                "size": {"enum": ["s", "l"]},
                "count": {"type": "integer", "minimum": 0, "maximum": 9},
                "far": {"type": "boolean"},
            },
            "required": ["size"],
            "additionalProperties": False,
        },
        lambda chance: {
            "size": chance.choice("sl"),
            **({"count": chance.randint(0, 9)} if chance.random() < 0.6 else {}),
            **({"far": chance.random() < 0.5} if chance.random() < 0.6 else {}),
        },
    ),
    "stops": (
        {
            "type": "array",
            "maxItems": 4,
            "items": {
                "type": "object",
                "properties": {
                    "code": {"type": "string", "pattern": "^[a-z]+$", "maxLength": 6},
                    "gates": {"type": "integer", "minimum": 1, "maximum": 12},
                    "kind": {"enum": ["p", "q"]},
                    "far": {"type": "boolean"},
                },
                "required": ["code", "gates", "kind"],
                "additionalProperties": False,
            },
        },
        lambda chance: list({each["code"]: each for each in (_item(chance) for _ in range(chance.randint(0, 4)))}.values()),
    ),
    "ports": (
        {"type": "array", "items": {"type": "integer", "minimum": 1, "maximum": 99}},
        lambda chance: chance.sample(range(1, 99), chance.randint(0, 5)),
    ),
    "labels": (
        {"type": "object", "additionalProperties": {"type": "string", "maxLength": 9}},
        lambda chance: {name: chance.choice(("a", "bcd", "")) for name in chance.sample(("owner", "line", "desk"), chance.randint(0, 3))},
    ),
    "token": ({"type": "string", "minLength": 3, "writeOnly": True}, lambda chance: chance.choice(("abc", "token-of-the-line", "x" * 30))),
}

CATALOG = {
    "$id": "house.thing.v1",
    "type": "object",
    "properties": {
        "name": {"type": "string", "minLength": 1, "maxLength": 24, "pattern": "^[a-z][a-z0-9-]*$"},
        "size": {"enum": ["xs", "s", "m", "l"], "default": "s"},
        "count": {"type": "integer", "minimum": 0, "maximum": 50, "default": 1},
        "days": {"type": "integer", "default": 7},
        "ratio": {"type": "number", "maximum": 6},
        "open": {"type": "boolean", "default": False},
        "label": {"type": "string", "maxLength": 20},
        "secret": {"type": "string", "writeOnly": True},
        "tags": {"type": "object", "additionalProperties": {"type": "string"}},
        "parts": {
            "type": "array",
            "items": {
                "type": "object",
                "properties": {"weight": {"type": "integer", "maximum": 30}, "far": {"type": "boolean", "default": False}},
            },
        },
        "words": {"type": "array", "items": {"type": ["string", "integer"]}},
        "id": {"type": "string", "readOnly": True},
    },
    "required": ["name"],
    "additionalProperties": False,
}


def _expressions(names: set[str], item: str) -> dict[str, list[Any]]:
    """Expressions over what there is, by what they give."""
    found: dict[str, list[Any]] = {"int": [3, "${40 - 20}"], "text": ["abc", "line-a"], "bool": [], "size": ["s", "l"], "number": [0.5]}
    table = {
        "size": (
            ("size", "${size}"),
            ("int", "${table[size]}"),
            ("int", "${size == 'l' ? 30 : 3}"),
            ("size", "${size == 'xs' ? 's' : size}"),
        ),
        "copies": (
            ("int", "${copies}"),
            ("int", "${copies * 2}"),
            ("int", "${copies > 9 ? 9 : copies}"),
            ("int", "${(copies + 3) / 4}"),
            ("bool", "${copies > 3}"),
        ),
        "days": (("int", "${days}"), ("int", "${days + 1}"), ("int", "${math.least(days, 30)}"), ("bool", "${days == 7}")),
        "shift": (("int", "${shift}"), ("int", "${shift > 0 ? shift : 0}"), ("int", "${-shift}")),
        "open": (("bool", "${open}"), ("bool", "${!open}"), ("int", "${open ? 7 : 30}")),
        "zone": (("text", "${zone}"), ("text", "x-${zone}"), ("int", "${size(zone)}"), ("text", "${zone.upperAscii()}")),
        "word": (("text", "${word}"), ("text", "a${word}"), ("text", "${word == '' ? 'none' : word}"), ("bool", "${word != ''}")),
        "rate": (("number", "${rate}"), ("number", "${rate * 2.0}")),
        "maybe": (("int", "${maybe == null ? 1 : maybe}"), ("bool", "${maybe == null}")),
        "spec": (
            ("size", "${spec.size}"),
            ("int", "${spec.?count.orValue(2)}"),
            ("bool", "${spec.?far.orValue(false)}"),
            ("bool", "${has(spec.far)}"),
        ),
        "stops": (
            ("int", "${size(stops)}"),
            ("bool", "${stops.exists(s, s.kind == 'q')}"),
            ("int", "${stops.filter(s, s.gates > 3).size()}"),
        ),
        "ports": (("int", "${size(ports)}"), ("bool", "${80 in ports}"), ("bool", "${ports.all(p, p > 0)}")),
        "labels": (("text", "${labels.?owner.orValue('desk')}"), ("bool", "${'line' in labels}")),
    }
    for name in sorted(names):
        for kind, text in table.get(name, ()):
            found[kind].append(text)
    if item:
        found["int"] += [f"${{{item}.gates}}", f"${{{item}.gates * 3}}"]
        found["text"] += [f"x-${{{item}.code}}"]
        found["bool"] += [f"${{{item}.kind == 'q'}}", f"${{{item}.?far.orValue(true)}}"]
    found["bool"] = found["bool"] or ["${1 == 1}"]
    return found


def _resource(chance: random.Random, names: set[str], index: int) -> tuple[str, dict[str, Any]]:
    item = "stop" if "stops" in names and chance.random() < 0.5 else ""
    by_kind = _expressions(names, item)
    made: dict[str, Any] = {"name": f"thing-{index}"}
    if item:
        made |= {"$per": {"stop": "stops"}, "$key": "stop.code", "name": f"t{index}-${{stop.code}}"}
    elif chance.random() < 0.3:
        made["name"] = chance.choice([f"t-{text}" for text in by_kind["text"]])
    if chance.random() < 0.3:
        made["$when"] = chance.choice(by_kind["bool"])[2:-1]
    properties = (("size", "size"), ("count", "int"), ("days", "int"), ("ratio", "number"), ("open", "bool"), ("label", "text"))
    for name, kind in properties:
        if chance.random() < 0.5:
            made[name] = chance.choice(by_kind[kind])
    if chance.random() < 0.4:
        made["tags"] = {tag: chance.choice(by_kind["text"]) for tag in chance.sample(("owner", "line"), chance.randint(1, 2))}
        if chance.random() < 0.3 and "labels" in names:
            made["tags"] = "${labels}"
    if chance.random() < 0.4:
        made["parts"] = [
            {"weight": chance.choice(by_kind["int"]), **({"far": chance.choice(by_kind["bool"])} if chance.random() < 0.5 else {})}
        ]
        if "ports" in names and chance.random() < 0.5:
            made["parts"] = [{"$per": {"p": "ports"}, "weight": "${p / 3}"}]
    if "open" in names and chance.random() < 0.2:
        made["label"] = "${?open ? optional.of('yes') : optional.none()}"
    if "token" in names and chance.random() < 0.5:
        made["secret"] = "${token}"
    return f"thing_{index} (house.thing)", made


_CONDITIONS = (
    *("self.count {sign} {number}", "self.days {sign} {number}", "self.size in ['xs', 's', 'm']", "self.size != 'l'", "!self.open"),
    *("self.name.startsWith('t')", "self.name.startsWith('thing')", "size(self.name) <= {number}", "self.name.matches('^[a-z0-9-]+$')"),
    *("self.label != ''", "size(self.label) {sign} {number}", "'owner' in self.tags", "self.tags.owner != 'desk'", "has(self.tags)"),
    *("self.parts.all(p, p.weight {sign} {number})", "!self.parts.exists(p, p.far)", "size(self.parts) < 3", "self.ratio <= 4.0"),
    *("self.?ratio.orValue(1.0) < 3.0", "self.count + self.days {sign} {number}", "self.open || self.count {sign} {number}"),
    *(
        "self.count * 2 != {number}",
        "!(self.size == 'l' && self.count > 9)",
        "self.id != ''",
        "self.secret != 'abc'",
        "size(self.secret) > 2",
    ),
    *(
        "environment == 'live' ? self.count > 1 : true",
        "address != 'thing_0'",
        "self.tags.all(t, t != 'line')",
        "self.days / self.count < 40",
    ),
)


def _rule(chance: random.Random, names: set[str]) -> dict[str, Any]:
    def condition() -> str:
        text = chance.choice(_CONDITIONS)
        return text.format(
            sign=chance.choice(("<", "<=", ">", ">=", "==", "!=")), number=chance.choice((0, 1, 2, 3, 7, 8, 10, 20, 30, 40, 80))
        )

    made: dict[str, Any] = {"require": condition(), "applies": ["house.*"], "message": "It is ${address}."}
    if chance.random() < 0.3:
        made["where"] = condition()
    if chance.random() < 0.3:
        made["absent"] = "pass"
    if "copies" in names and chance.random() < 0.15:
        made = {"over": "parameters", "require": f"self.copies <= {chance.choice((3, 39, 40, 41))}"}
    if chance.random() < 0.2:
        made = {"over": chance.choice(("environment", "outputs"))}
        made["require"] = chance.choice(_WHOLE if made["over"] == "environment" else _OUTPUTS)
    return made


_WHOLE = (
    *("resources.all(a, resources[a].properties.count < 40)", "resources.exists(a, resources[a].properties.size == 's')"),
    *("size(resources) < 6", "resources.all(a, resources[a].type.startsWith('house.'))"),
    "resources.all(a, resources.all(b, a == b || resources[a].properties.name != resources[b].properties.name))",
)
_OUTPUTS = ("self.told != 30", "self.?maybe.orValue(3) < 40", "self.maybe > 2", "self.told == self.told", "size(self) == 2")


def files(chance: random.Random) -> tuple[dict[str, str], set[str]]:
    """A project, and which parameters it has."""
    names = set(chance.sample(sorted(POOL), chance.randint(2, 6)))
    parameters = {name: {**POOL[name][0], "description": "d"} for name in sorted(names)}
    for name in names:
        if chance.random() < 0.3 and name != "token":
            parameters[name]["default"] = POOL[name][1](chance)
    if {"size", "spec"} <= names and chance.random() < 0.5:
        parameters["size"]["default"] = "${spec.size}"
    template: dict[str, Any] = {"parameters": parameters, "let": {"table": {"xs": 1, "s": 3, "m": 8, "l": 20}}}
    musts = [text for needs, text in _MUSTS if set(needs) <= names and chance.random() < 0.3]
    if musts:
        template["must"] = [{"require": text, "message": "No."} for text in musts]
    template["resources"] = dict(_resource(chance, names, index) for index in range(chance.randint(1, 3)))
    by_kind = _expressions(names, "")
    maybe = {"$when": chance.choice(by_kind["bool"])[2:-1], "value": chance.choice(by_kind["int"])}
    template["outputs"] = {"told": chance.choice(by_kind["int"])}
    if chance.random() < 0.5:
        template["outputs"]["maybe"] = chance.choice(by_kind["int"]) if chance.random() < 0.5 else "${?maybe_there.?value}"
        template["let"]["maybe_there"] = maybe
    module = ""
    if chance.random() < 0.4:
        module = json.dumps(_MODULE)
        given_to = {name: chance.choice(by_kind[kind]) for name, kind in (("size", "size"), ("copies", "int"), ("open", "bool"))}
        use: dict[str, Any] = {name: value for name, value in given_to.items() if name != "copies" or chance.random() < 0.7}
        if chance.random() < 0.3:
            use["$when"] = chance.choice(by_kind["bool"])[2:-1]
        template["resources"]["pair (pair)"] = use
    if "size" in names and chance.random() < 0.3:
        template["lookups"] = {"row_of": {"in": "rows", "where": "row.size == size"}}
        template["resources"]["looked (house.thing)"] = {"name": "looked", "count": "${row_of.count}", "label": "${row_of.note}"}
    if chance.random() < 0.3:
        template["functions"] = {"doubled": {"takes": {"x": {"type": "integer"}}, "gives": {"type": "integer"}, "is": "x * 2"}}
        counted = chance.choice(by_kind["int"])
        text = f"${{doubled({counted[2:-1]})}}" if isinstance(counted, str) else counted
        template["resources"]["called (house.thing)"] = {"name": "called", "days": text}
    rules = {f"rule_{index}": _rule(chance, names) for index in range(chance.randint(2, 6))}
    given = {name: POOL[name][1](chance) for name in sorted(names) if "default" not in parameters[name] or chance.random() < 0.5}
    project = {
        "project": "line",
        "template": "t.json",
        "catalogs": ["own/"],
        "rulesets": ["rules.json"],
        **({"modules": {"pair": "pair.json"}} if module else {}),
        **({"lookups": {"rows": "rows.csv"}} if "lookups" in template else {}),
        "environments": {"live": {"parameters": ["live.json"]}},
    }
    return {
        "jovial.yaml": json.dumps(project),
        "own/catalog.yaml": "name: house",
        "own/thing.v1.json": json.dumps(CATALOG),
        "t.json": json.dumps(template),
        "rules.json": json.dumps({"ruleset": "house", "rules": rules}),
        "live.json": json.dumps(given),
        **({"pair.json": module} if module else {}),
        "rows.csv": "size,count,note\nxs,1,a\ns,3,b\nm,8,c\nl,44,a-long-note-about-it-all\n",
    }, names


_MODULE = {
    "parameters": {
        "size": {"enum": ["xs", "s", "m", "l"], "description": "d"},
        "copies": {"type": "integer", "minimum": 0, "maximum": 30, "default": 2, "description": "d"},
        "open": {"type": "boolean", "description": "d"},
    },
    "resources": {
        "one (house.thing)": {"name": "one", "size": "${size}", "count": "${copies}"},
        "two (house.thing)": {"$when": "open", "name": "two-${size}", "days": "${copies * 3}", "open": "${size == 'l'}"},
    },
    "outputs": {"told": "${one.count}"},
}

_MUSTS = (
    (("copies",), "copies < 20"),
    (("size", "copies"), "size != 'l' || copies > 3"),
    (("days",), "days < 1000"),
    (("open", "copies"), "open == (copies > 5)"),
    (("stops",), "size(stops) > 0"),
    (("word",), "word != ''"),
)


def _broken(project: Project, names: set[str], values: dict[str, Any]) -> set[tuple[str, str]] | None:
    """Which rules and schemas a set of parameters breaks, by name and resource; None where it is not accepted."""
    plan = project._plan
    marked = {
        name: plan.checker.marked(plan.template.parameters[name], as_declared(values[name], plan.template.parameters[name].schema))
        for name in names
        if name in values
    }
    context = project._context(project._file.environments["live"])
    rendering = render(plan, Parameters("live", (), marked), context, project._plans)
    errors = [each for each in rendering.findings if each.level == "error"]
    if any(each.id.startswith(("must-", "default-", "parameter-")) for each in errors):
        return None
    verdicts, _ = judge(rendering, project._sound_rulesets)
    whole = {rule.label: rule.over for ruleset in project._sound_rulesets for rule in ruleset.rules if rule.over != "resource"}
    found = {
        (each.rule, f"the {whole[each.rule]}" if each.rule in whole else _entry(each.address))
        for each in verdicts
        if each.id == "rule-failed"
    }
    schema = {("schema of house.thing.v1", _entry(each.address)) for each in errors if each.id.startswith("property-")}
    return found | schema


def _entry(address: str) -> str:
    """The resource as the template writes it, without the key of an item."""
    first = address.partition("/")[0]
    return address if first == "pair" else first


def attempt(chance: random.Random) -> str:
    """One project, and sets of parameters for it."""
    held, names = files(chance)
    project = Project(MemoryFolder({name: text.encode() for name, text in held.items()}))
    result = project.check(proofs="warning")
    if "live" not in result.proofs:
        return "unusable"
    outcomes = {(label, about): outcome for label, about, outcome in result.proofs["live"]}
    broken: set[tuple[str, str]] = set()
    for _ in range(SETS):
        values = {
            name: POOL[name][1](chance)
            for name in names
            if "default" not in project.template.parameters[name].schema and chance.random() < 0.95
        }
        if all(name in values or project.template.parameters[name].default is not None for name in names):
            broken |= _broken(project, names, values) or set()
    for key, outcome in outcomes.items():
        assert outcome != "proven" or key not in broken, f"proven, and broken: {key}\n{json.dumps(held, indent=1)}"
    told = [each for each in result.findings if each.id == "rule-breakable"]
    breakable = {key for key, outcome in outcomes.items() if outcome == "breakable"}
    assert bool(told) == bool(breakable)
    share = sum(outcome != "undecided" for outcome in outcomes.values()) / max(1, len(outcomes))
    return "clean" if share >= 0.5 else "errors"
