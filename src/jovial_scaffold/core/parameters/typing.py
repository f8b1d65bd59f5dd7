"""A value as its declaration reads it: texts become what the type says, 2.0 becomes 2 for an integer, 2 becomes 2.0 for a number."""

from typing import Any

from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.schemas.navigation import subschema
from jovial_scaffold.core.text.scalars import NumberRangeError, bounded_float, bounded_integer
from jovial_scaffold.core.text.yaml_reader import read_yaml

_INTEGER = regex(r"[-+]?[0-9]+\Z")
_NUMBER = regex(r"[-+]?(?:[0-9]+(?:\.[0-9]*)?|\.[0-9]+)(?:[eE][-+]?[0-9]+)?\Z")


def types_of(parts: list[dict[str, Any]]) -> frozenset[str]:
    """The types that a schema's parts name; those of its enum or const where it names none."""
    named: set[str] = set()
    for part in parts:
        kind = part.get("type")
        named |= {kind} if isinstance(kind, str) else set(kind or ())
        if kind is None:
            options = part.get("enum", [part["const"]] if "const" in part else [])
            names = {bool: "boolean", int: "integer", float: "number", str: "string", list: "array", dict: "object", type(None): "null"}
            named |= {names[type(option)] for option in options if type(option) in names}
    return frozenset(named)


def from_text(text: str, schema: dict[str, Any]) -> Any:
    """A text read by the declared type; the text itself where it does not fit, so that the schema's check can say so."""
    types = types_of(subschema(schema, ()))
    if "string" in types or not types:
        return text
    stripped = text.strip()
    if stripped in ("true", "false") and "boolean" in types:
        return stripped == "true"
    if stripped == "null" and "null" in types:
        return None
    try:
        if _INTEGER.match(stripped) and types & {"integer", "number"}:
            return bounded_integer(stripped)
        if _NUMBER.match(stripped) and types & {"integer", "number"}:
            return bounded_float(stripped)
    except NumberRangeError:
        return text
    if types & {"array", "object"} and stripped[:1] in ("[", "{"):
        value, problems = read_yaml(stripped)
        if not problems:
            return value
    return text


def as_declared(value: Any, schema: dict[str, Any], root: dict[str, Any] | None = None) -> Any:
    """Numbers in the form that the schema declares, at every depth; a new value only where something changes."""
    root = schema if root is None else root
    kind = type(value)
    if kind is str or kind is bool or value is None:
        return value
    parts = subschema(schema, (), root)
    if kind is float or kind is int:
        types = types_of(parts)
        if kind is float and "integer" in types and "number" not in types and value.is_integer():
            return int(value)
        if kind is int and "number" in types and "integer" not in types:
            return float(value)
        return value
    if kind is list:
        return [as_declared(item, {"allOf": subschema(schema, (index,), root)}, root) for index, item in enumerate(value)]
    if kind is dict:
        return {key: as_declared(item, {"allOf": subschema(schema, (key,), root)}, root) for key, item in value.items()}
    return value
