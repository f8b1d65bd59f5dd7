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


def as_declared(value: Any, schema: dict[str, Any]) -> Any:
    """Numbers in the form that the schema declares, at every depth; a new value only where something changes."""
    return value if _has_one_form(value) else declared(schema).of(value)


def declared(schema: dict[str, Any]) -> "Declared":
    """What gives values as a schema declares them."""
    return Declared(subschema(schema, ()), schema)


def _has_one_form(value: Any) -> bool:
    kind = type(value)
    return kind is str or kind is bool or value is None


class Declared:
    """The parts of a schema that speak of a value, and of what is in it, each found once: of very many items, all may have the same."""

    __slots__ = ("_below", "_by_pattern", "_names", "_prefix", "_root", "_types", "parts")

    def __init__(self, parts: list[dict[str, Any]], root: dict[str, Any]) -> None:
        self.parts = parts
        self._root = root
        self._types = types_of(parts)
        self._names = frozenset(name for part in parts if isinstance(part.get("properties"), dict) for name in part["properties"])
        self._by_pattern = any(part.get("patternProperties") for part in parts)  # then each name may be another thing
        self._prefix = max((len(part.get("prefixItems", ())) for part in parts), default=0)  # items beyond these are alike
        self._below: dict[str | int | None, Declared] = {}

    def of(self, value: Any) -> Any:
        """A value as it is declared."""
        kind = type(value)
        if kind is float and "integer" in self._types and "number" not in self._types and value.is_integer():
            return int(value)
        if kind is int and "number" in self._types and "integer" not in self._types:
            return float(value)
        if kind is dict:
            changed = {key: made for key, item in value.items() if (made := self.below(key, item)) is not item}
            return {**value, **changed} if changed else value
        if kind is list:
            items = [self.below(min(index, self._prefix), item) for index, item in enumerate(value)]
            return items if any(made is not item for made, item in zip(items, value, strict=True)) else value
        return value

    def below(self, step: str | int, item: Any) -> Any:
        """A part of it as it is declared."""
        if _has_one_form(item):
            return item
        alike = step if type(step) is int or step in self._names or self._by_pattern else None  # all others are alike, too
        if alike not in self._below:
            self._below[alike] = Declared(subschema({"allOf": self.parts}, (step,), self._root), self._root)
        return self._below[alike].of(item)
