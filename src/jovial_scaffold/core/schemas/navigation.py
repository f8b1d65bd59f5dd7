"""From a place in a value to the parts of its schema that speak of it, through references and applicators in place."""

import re
from functools import cache
from typing import Any

from jovial_scaffold.core.text.patterns import linear_pattern
from jovial_scaffold.core.text.source import Pointer, unescaped


def subschema(schema: Any, pointer: Pointer, root: Any = None, surely: bool = False) -> list[dict[str, Any]]:
    """The parts of a schema that speak of the value at a pointer, through `$ref`, `allOf` and the like; `surely` those only that do so
    whatever the value is, which forms and conditions do not."""
    root = schema if root is None else root
    parts = _resolved(schema, root, surely)
    for step in pointer:
        following: list[dict[str, Any]] = []
        for part in parts:
            if isinstance(step, str):
                below = _of_property(part, step)
            else:
                prefix = part.get("prefixItems", ())
                below = [prefix[step] if step < len(prefix) else part.get("items")]
            for found in below:
                following.extend(_resolved(found, root, surely))
        parts = following
    return parts


def _of_property(part: dict[str, Any], name: str) -> list[Any]:
    """What a part says of a property: by its name and by all patterns that it meets, else what holds for the others (JSON Schema 2020-12, core,
    10.3.2)."""
    properties, patterns = part.get("properties"), part.get("patternProperties")
    found = [properties[name]] if isinstance(properties, dict) and name in properties else []
    if isinstance(patterns, dict):
        found += [below for text, below in patterns.items() if property_pattern(text).search(name)]
    return found or [part.get("additionalProperties")]


@cache
def property_pattern(text: str) -> Any:
    """A pattern of names; one that is none matches everything, so that nothing secret is missed."""
    try:
        return linear_pattern(text)
    except ValueError:
        return re.compile("")


def by_itself(part: dict[str, Any], whole: Any) -> dict[str, Any]:
    """A part as a schema of its own: with the definitions of the whole that it refers to, and they in turn."""
    if not isinstance(whole, dict) or "$ref" not in repr(part):
        return part
    found: dict[str, dict[str, Any]] = {}
    waiting: list[Any] = [part]
    while waiting:
        below = waiting.pop()
        reference = below.get("$ref") if isinstance(below, dict) else None
        if isinstance(reference, str) and reference.startswith("#/"):
            section, name = (*steps_of(reference), "")[:2]
            definitions = whole.get(section) if section in _DEFINITIONS else None
            if isinstance(definitions, dict) and name in definitions and name not in found.get(section, ()):
                found.setdefault(section, {})[name] = definitions[name]
                waiting.append(definitions[name])
        waiting += below.values() if isinstance(below, dict) else below if isinstance(below, list) else ()
    return {**found, **part}


_DEFINITIONS = ("$defs", "definitions", "types")


def steps_of(reference: str) -> tuple[str, ...]:
    """The way of a reference within a document (RFC 6901, section 6)."""
    if "%" in reference:
        from urllib.parse import unquote  # rarely needed, and dear to start with

        reference = unquote(reference)
    return tuple(unescaped(step) for step in reference.removeprefix("#").split("/")[1:])


def referred(reference: str, root: Any) -> Any:
    """What a reference within a document leads to; None where that is nothing."""
    target = root
    for step in steps_of(reference):
        if isinstance(target, list):
            target = target[int(step)] if step.isdigit() and int(step) < len(target) else None
        else:
            target = target.get(step) if isinstance(target, dict) else None
    return target


def _resolved(schema: Any, root: Any, surely: bool, depth: int = 0) -> list[dict[str, Any]]:
    if not isinstance(schema, dict) or depth > 16:
        return []
    found = [schema]
    reference = schema.get("$ref")
    if isinstance(reference, str) and reference.startswith("#"):
        found.extend(_resolved(referred(reference, root), root, surely, depth + 1))
    for keyword in ("allOf",) if surely else ("allOf", "anyOf", "oneOf"):
        branches = schema.get(keyword, ())
        for branch in branches if isinstance(branches, list) else ():
            found.extend(_resolved(branch, root, surely, depth + 1))
    if surely:
        return found
    for keyword in ("if", "then", "else"):
        found.extend(_resolved(schema.get(keyword), root, surely, depth + 1))
    dependent = schema.get("dependentSchemas")
    for branch in dependent.values() if isinstance(dependent, dict) else ():
        found.extend(_resolved(branch, root, surely, depth + 1))
    return found
