"""Resources of one shape: rendered by code that they share and each by itself, every environment comes out the same, findings too, and so does
what differs between environments, and why."""

import json
import random
import re
from typing import Any

from jovial_scaffold.core.changes.matrix import compare
from jovial_scaffold.reports.machine import compare_document, json_text, render_document
from tests.fuzz import drivers
from tests.fuzz.code import NEVER, code_from
from tests.support import checked_document

_RESOURCES = ("base", "hub", "many", "one", "two", "each", "mapped")
_SPOILT: tuple[Any, ...] = ("${1 / 0}", 2.0, "${2.0}", "${base_7.id}", "${unheard_of}", "${one.name}", None, ["${maybe}"], {"$when": "1"})


def project(chance: random.Random) -> dict[str, bytes]:
    """A project with copies of its resources that differ in constants: numbers, texts, and the names of resources that they read."""
    files = drivers.project(chance)
    template = json.loads(files["line.yaml"])
    resources = template["resources"]
    for key in list(resources):
        name = key.split()[0]
        if name in _RESOURCES and chance.random() < 0.12:
            _mistake_key(chance, resources[key])
        for number in range(chance.randint(0, 3) if name in _RESOURCES else 0):
            copied = _varied(chance, resources[key])
            if "on" in copied and chance.random() < 0.3:
                copied["on"] = "yes"
            if chance.random() < 0.06:
                copied[chance.choice(("name", "n", "order", "tags"))] = chance.choice(_SPOILT)
            resources[key.replace(name, f"{name}_{number + 7}", 1)] = copied
    return {**files, "line.yaml": json.dumps(template).encode()}


def _mistake_key(chance: random.Random, made: dict[str, Any]) -> None:
    """A key that is none, or one that is missing, in a resource and all of its copies."""
    if chance.random() < 0.4:
        del made[chance.choice(list(made))]
    else:
        made["on"] = True  # which is wrong in some of them, too
        made[chance.choice(("nonsense", "nmae", "tgas", "id"))] = chance.choice((1, "x", "${1 + 1}", "${one.name}", {"a": 1}, ["b"]))


def _varied(chance: random.Random, value: Any) -> Any:
    if isinstance(value, dict):
        return {key: _varied(chance, item) for key, item in value.items()}
    if isinstance(value, list):
        return [_varied(chance, item) for item in value]
    if isinstance(value, int) and not isinstance(value, bool):
        return chance.randint(0, 12)
    if not isinstance(value, str):
        return value
    found = re.sub(r"\b[0-9]+\b", lambda _: str(chance.choice((0, 1, 2, 7, 30))), value)
    found = re.sub(r"'[a-z]*'", lambda text: chance.choice((text[0], "'a'", "'zz'", "''", "'it \"is\"'")), found)
    return re.sub(r"\b(base|hub|many)\b(?=[.)])", lambda name: chance.choice((name[0], f"{name[0]}_7")), found)


def rendered(files: dict[str, bytes], least: int) -> str:
    """All that comes of a project."""
    with code_from(least):
        loaded = drivers.loaded(files)
        found = [json_text(render_document(loaded.name, loaded.render(name))) for name in loaded.environments]
        found.append(json_text(compare_document(loaded.compare(echoes=True))))
        found.append(json_text(compare_document(compare(loaded.views(loaded.in_order()), everything=True))))
        return "".join((*found, json_text(checked_document(drivers.loaded(files)))))


def attempt(chance: random.Random) -> str:
    """One project, both ways."""
    files = project(chance)
    careful, quick = rendered(files, NEVER), rendered(files, 0)
    assert quick == careful, (_first_difference(careful, quick), files["line.yaml"])
    return "errors" if '"level": "error"' in careful else "clean"


def _first_difference(careful: str, quick: str) -> tuple[str, str]:
    lines = zip(careful.splitlines(), quick.splitlines(), strict=False)
    return next(((one, other) for one, other in lines if one != other), ("", ""))
