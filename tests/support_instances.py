"""Values made from a foreign schema, right and wrong ones, without our own reading of it: for comparing what two validators say of them."""

import random
from typing import Any
from urllib.parse import unquote

_TEXTS = ("", "a", "alp", "2026-12-01T06:00:00Z", "https://alp.ridgeline.example/x", "0", "b7e6b0a2-1d1d-4c4f-9a57-3b7b1f0a2c11", "x" * 40)
_ANY = (None, True, 0, 1, -3, 2.5, "", "alp", [], {}, ["a"], {"a": 1})


def resolved(schema: Any, whole: Any) -> Any:
    """A schema without a `$ref` at its top, of one document."""
    for _ in range(20):
        if not isinstance(schema, dict) or not isinstance(schema.get("$ref"), str) or not schema["$ref"].startswith("#"):
            return schema
        target = whole
        for step in unquote(schema["$ref"][1:]).split("/")[1:]:
            target = target[step.replace("~1", "/").replace("~0", "~")]
        schema = target
    return {}


def fitting(schema: Any, whole: Any, chance: random.Random, depth: int = 0) -> Any:
    """A value that probably fits."""
    schema = resolved(schema, whole)
    if not isinstance(schema, dict):
        return chance.choice(_ANY)
    if "const" in schema:
        return schema["const"]
    if schema.get("enum"):
        return chance.choice(schema["enum"])
    if schema.get("nullable") is True and chance.random() < 0.1:
        return None
    for keyword in ("oneOf", "anyOf"):
        if schema.get(keyword):
            made = fitting(chance.choice(schema[keyword]), whole, chance, depth + 1)
            own = _object(schema, whole, chance, depth) if "properties" in schema else {}
            return {**own, **made} if isinstance(made, dict) else made
    if schema.get("allOf"):
        parts = [fitting(each, whole, chance, depth + 1) for each in schema["allOf"]]
        parts += [_object(schema, whole, chance, depth)] if "properties" in schema else []
        maps = [each for each in parts if isinstance(each, dict)]
        return {key: item for each in maps for key, item in each.items()} if maps else parts[0]
    kind = schema.get("type", "object" if "properties" in schema or "additionalProperties" in schema else "any")
    kind = chance.choice(kind) if isinstance(kind, list) else kind
    if kind == "object":
        return _object(schema, whole, chance, depth)
    if kind == "array":
        return _list(schema, whole, chance, depth)
    if kind in ("integer", "number"):
        least = int(
            schema.get("minimum", schema.get("exclusiveMinimum", -1) if not isinstance(schema.get("exclusiveMinimum"), bool) else 0)
        )
        made = least + chance.randint(0, 3)
        return min(made, schema["maximum"]) if isinstance(schema.get("maximum"), int) else made
    if kind == "string":
        fits = [each for each in _TEXTS if schema.get("minLength", 0) <= len(each) <= schema.get("maxLength", 99)]
        return chance.choice(fits or ["a" * schema.get("minLength", 1)])
    return {"boolean": chance.random() < 0.5, "null": None}.get(kind, chance.choice(_ANY))


def _object(schema: dict[str, Any], whole: Any, chance: random.Random, depth: int) -> dict[str, Any]:
    made = {}
    for name, each in schema.get("properties", {}).items():
        if name in schema.get("required", ()) or (depth < 4 and chance.random() < 0.4):
            made[name] = fitting(each, whole, chance, depth + 1) if depth < 12 else None
    others = schema.get("additionalProperties")
    if isinstance(others, dict) and depth < 4:
        made |= {f"k{number}": fitting(others, whole, chance, depth + 1) for number in range(chance.randint(0, 2))}
    return made


def _list(schema: dict[str, Any], whole: Any, chance: random.Random, depth: int) -> list[Any]:
    items = schema.get("items", {})
    first = items if isinstance(items, list) else schema.get("prefixItems", [])
    made = [fitting(each, whole, chance, depth + 1) for each in first]
    if not isinstance(items, list) and depth < 8:
        count = max(schema.get("minItems", 0) - len(made), chance.randint(0, 2) if depth < 4 else 0)
        made += [fitting(items, whole, chance, depth + 1) for _ in range(count)]
    return made


def changed(value: Any, chance: random.Random, kept: frozenset[str] = frozenset()) -> Any:
    """The value with one thing changed somewhere in it; keys of `kept` stay."""
    if isinstance(value, dict) and value and chance.random() < 0.75:
        key = chance.choice(sorted(value))
        kind = chance.randint(0, 3)
        if kind == 0 and key not in kept:
            return {name: item for name, item in value.items() if name != key}
        if kind == 1:
            return {**value, f"{key}x": chance.choice(_ANY)}
        return {**value, key: changed(value[key], chance, kept)}
    if isinstance(value, list) and value and chance.random() < 0.75:
        at = chance.randrange(len(value))
        return [changed(item, chance, kept) if index == at else item for index, item in enumerate(value)]
    return chance.choice(_ANY)
