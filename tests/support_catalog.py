"""The bounds, defaults, choices and forms of the shipped catalog, as docs/fulmar.md writes them."""

import json
from collections.abc import Iterator
from typing import Any

from jovial_scaffold.core.schemas.catalog import ResourceType, shipped_catalog

_LEAST = ("minimum", "exclusiveMinimum", "minLength", "minItems", "minProperties")
_MOST = ("maximum", "maxLength", "maxItems", "maxProperties")


def parts(schema: dict[str, Any], path: str) -> Iterator[tuple[str, dict[str, Any]]]:
    """Every property below a schema by its path: `disks[].gigabytes`, `settings.*` for the entries of a map."""
    for name, below in schema.get("properties", {}).items():
        at = f"{path}.{name}"
        yield at, below
        yield from parts(below, at)
    for form in schema.get("oneOf", ()):
        yield from parts(form, path)
    if isinstance(schema.get("items"), dict):
        yield f"{path}[]", schema["items"]
        yield from parts(schema["items"], f"{path}[]")
    if isinstance(schema.get("additionalProperties"), dict):
        yield f"{path}.*", schema["additionalProperties"]
        yield from parts(schema["additionalProperties"], f"{path}.*")


def _types() -> list[ResourceType]:
    found = shipped_catalog("fulmar")
    assert found is not None
    return found[0]


def _first(part: dict[str, Any], keywords: tuple[str, ...]) -> str:
    return next((str(part[each]) for each in keywords if each in part), "")


def laws() -> dict[str, dict[tuple[str, ...], set[str]]]:
    """`bounds`, `choices` and `forms`: what is said, and of which properties (`machine.disks[].gigabytes`; `.v1` where versions differ)."""
    said: dict[str, dict[str, dict[str, set[tuple[str, ...]]]]] = {"bounds": {}, "choices": {}, "forms": {}}
    for kind in _types():
        name = kind.name.partition(".")[2]
        for path, part in parts(kind.schema, name):
            default = json.dumps(part["default"]) if "default" in part and not isinstance(part["default"], bool) else ""
            bounds = (_first(part, _LEAST), _first(part, _MOST), "" if "enum" in part else default)
            if any(bounds):
                said["bounds"].setdefault(path, {}).setdefault(kind.id, set()).add((*bounds, str(part.get("unit", ""))))
            if "enum" in part:
                said["choices"].setdefault(path, {}).setdefault(kind.id, set()).add((", ".join(part["enum"]), default.strip('"')))
            if "pattern" in part and not path.endswith(".id"):
                said["forms"].setdefault(path, {}).setdefault(kind.id, set()).add((part["pattern"],))
    result: dict[str, dict[tuple[str, ...], set[str]]] = {}
    for chapter, paths in said.items():
        result[chapter] = {}
        for path, versions in paths.items():
            alike = len({frozenset(each) for each in versions.values()}) == 1
            for id, each in versions.items():
                head, _, rest = path.partition(".")
                for law in each:
                    result[chapter].setdefault(law, set()).add(path if alike else f"{head}.{id.rpartition('.')[2]}.{rest}")
    return result
