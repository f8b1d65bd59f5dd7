"""What is said before any environment, against all environments that there could be: an error is shown by one, and what they all show is said."""

import itertools
import json
import random
from typing import Any

from jovial_scaffold.core.findings import Span
from jovial_scaffold.core.folders import MemoryFolder
from jovial_scaffold.core.project import Project

_SETTINGS, _SIZES, _COUNTS = ("sandbox", "rehearsal", "live"), ("xs", "s", "huge"), (1, 2, 3)
_WORLDS = {"live": {"tier": "high", "place": "valley"}, "rehearsal": {"tier": "low"}}
PARAMETERS = {
    "setting": {"enum": list(_SETTINGS), "description": "Which"},
    "size": {"enum": list(_SIZES), "description": "How large"},
    "count": {"enum": list(_COUNTS), "description": "How many"},
    "night": {"type": "boolean", "description": "Whether it is night"},
}
_TEMPLATE = {
    "parameters": PARAMETERS,
    "let": {
        "table": {"sandbox": "xs", "live": "m", "rehearsal": "xxxl"},
        "partly": {"sandbox": 1, "live": 2},
        "label": "${setting}-${size}",
    },
}


def _condition(chance: random.Random, depth: int = 2) -> str:
    form = chance.random()
    if depth and form < 0.4:
        return f"({_condition(chance, depth - 1)} {chance.choice(('&&', '||'))} {_condition(chance, depth - 1)})"
    if depth and form < 0.5:
        return f"!({_condition(chance, depth - 1)})"
    return chance.choice(
        (
            "night",
            f"setting == '{chance.choice(_SETTINGS)}'",
            f"size != '{chance.choice(_SIZES)}'",
            f"count > {chance.choice(_COUNTS)}",
            f"context.environment == '{chance.choice((*_WORLDS, 'dev'))}'",
            f"context.labels.tier == '{chance.choice(('high', 'low'))}'",
            f"setting in ['{chance.choice(_SETTINGS)}', '{chance.choice(_SETTINGS)}']",
        )
    )


def _text(chance: random.Random, depth: int = 2) -> str:
    """An expression that gives a text, mostly."""
    if depth and chance.random() < 0.45:
        return f"({_condition(chance)} ? {_text(chance, depth - 1)} : {_text(chance, depth - 1)})"
    return chance.choice(
        (
            *("setting", "size", "label", "'m'", "'xl'", "table[setting]", "size + ''", "setting + '-' + size", "context.environment"),
            *(
                "context.labels.tier",
                "context.labels.?place.orValue('none')",
                "string(count)",
                "string(partly[setting])",
                "'a'.substring(count)",
            ),
            *("lamp.name", "lamp.name", "lamp.?name.orValue('none')", "(present(lamp) ? lamp.name : 'dark')"),
        )
    )


def _number(chance: random.Random, depth: int = 2) -> str:
    if depth and chance.random() < 0.45:
        return f"({_condition(chance)} ? {_number(chance, depth - 1)} : {_number(chance, depth - 1)})"
    return chance.choice(
        ("count", "count * 2", "partly[setting]", "6 / (count - 1)", "count - 1", "size(label)", "[4, 5][count - 1]", "7 % count")
    )


def template(chance: random.Random) -> dict[str, Any]:
    """A template whose expressions read finite parameters, tables and the context."""
    queue: dict[str, Any] = {
        "name": chance.choice(("q-${setting}", "${size}-${setting}-q", "${label}", f"q-${{{_text(chance)}}}", "abc-${string(count)}"))
    }
    if chance.random() < 0.5:
        queue["wait_hours"] = f"${{{_number(chance)}}}"
    if chance.random() < 0.5:
        queue["tags"] = {"a": f"${{{_text(chance)}}}", "b": f"{chance.choice('xyz')}-${{{_text(chance)}}}"}
    if chance.random() < 0.4:
        queue["$when"] = _condition(chance)
    pool: dict[str, Any] = {
        "name": "pool-a",
        "image": "base",
        "size": chance.choice((f"${{{_text(chance)}}}", "${size}", "x${size}")),
        "copies": f"${{{_number(chance)}}}",
    }
    pool["subnets"] = ["subnet-1"]
    if chance.random() < 0.4:
        pool["$when"] = _condition(chance)
    lamp = {"name": "lamp-one", "$when": queue.get("$when", "night") if chance.random() < 0.4 else _condition(chance)}
    resources = {"queue (fulmar.queue)": queue, "pool (fulmar.machine_group)": pool, "lamp (fulmar.queue)": lamp}
    found = {**_TEMPLATE, "resources": resources}
    if chance.random() < 0.5:
        found["must"] = [{"require": _condition(chance, 1), "message": "no"}]
    return found


def _project(template: dict[str, Any], values: dict[str, Any] | None) -> Project:
    entries = {name: {"parameters": ["p.json"], "labels": labels} for name, labels in _WORLDS.items()}
    project = {"project": "p", "template": "t.json", "catalogs": ["fulmar"], "environments": entries}
    files = {"jovial.yaml": project, "t.json": template, "p.json": values or {}}
    return Project(MemoryFolder({name: json.dumps(content).encode() for name, content in files.items()}))


def _place(span: Span | None) -> tuple[int, int]:
    return (span.line, span.column) if span is not None else (0, 0)


def attempt(chance: random.Random) -> str:
    """One template, and every environment that it could have."""
    made = template(chance)
    static = [each for each in _project(made, None).check(template_only=True).findings if each.level == "error"]
    shown: dict[tuple[int, int], int] = {}
    mended: set[tuple[int, int]] = set()
    renderings = 0
    for values in itertools.product(_SETTINGS, _SIZES, _COUNTS, (False, True)):
        project = _project(made, dict(zip(PARAMETERS, values, strict=True)))
        for name in project.environments:
            rendering = project.views([name])[0]
            if any(each.id == "must-failed" for each in rendering.findings):
                continue
            renderings += 1
            wrong = [each for each in rendering.findings if each.level == "error"]
            mended |= {_place(each.cause) for each in wrong}
            for place in {_place(each.span) for each in wrong}:
                shown[place] = shown.get(place, 0) + 1
    said = [each for each in static if each.id != "must-never"]
    told = {_place(each.span) for each in said}
    # What is mended at an entry of a table is shown by the expression that reads it, and by where it is mended.
    assert not renderings or told <= shown.keys() | mended, (told - shown.keys(), static, made)
    always = {place for place, count in shown.items() if count == renderings}
    used = {_place(related.span) for each in said for related in each.related}
    assert always <= told | used, (always - told, made)
    return "errors" if static else "clean"
