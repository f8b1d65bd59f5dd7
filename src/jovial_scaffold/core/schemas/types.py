"""JSON Schema (2020-12) as types of the expression language: enums become sets of values, bounds become ranges."""

from typing import Any

from jovial_scaffold.core.expressions.types import ANY, MOST_OPTIONS, Field, Type, joined, met, type_of_values
from jovial_scaffold.core.expressions.values import type_name
from jovial_scaffold.core.limits import FEW_INTEGERS
from jovial_scaffold.core.schemas.annotations import ANNOTATIONS
from jovial_scaffold.core.schemas.navigation import referred

_KINDS = {
    "integer": "int",
    "number": "double",
    "string": "string",
    "boolean": "bool",
    "null": "null_type",
    "array": "list",
    "object": "map",
}
_DEEPEST = 12
ANNOTATING = frozenset(
    ("$ref", "description", "title", "default", "$defs", "types", "examples", "$comment", "readOnly", "writeOnly", "deprecated")
) | {*ANNOTATIONS} - {"refersTo"}
"""Keywords that take no value away, or are looked up elsewhere."""


def type_of_schema(schema: Any, root: Any = None, depth: int = 0, filled: bool = False) -> Type:
    """The type of the values that a schema allows; anything where the schema says more than a type can. `filled` in, defaults are there."""
    root = schema if root is None else root
    if not isinstance(schema, dict) or depth > _DEEPEST:
        return ANY
    if "$ref" in schema:
        target = referred(schema["$ref"], root) if isinstance(schema["$ref"], str) else None
        beside = {key: value for key, value in schema.items() if key not in ANNOTATING}
        return (
            met((type_of_schema(target, root, depth + 1, filled), type_of_schema(beside, root, depth + 1, filled)))
            if beside
            else (type_of_schema(target, root, depth + 1, filled))
        )
    if "anyOf" in schema or "oneOf" in schema:
        branches = schema.get("anyOf") or schema.get("oneOf")
        return (
            joined(type_of_schema(branch, root, depth + 1, filled) for branch in branches)
            if isinstance(branches, list) and "type" not in schema
            else ANY
        )
    if isinstance(schema.get("allOf"), list):
        rest = {key: value for key, value in schema.items() if key != "allOf"}
        merged = _merged([*schema["allOf"], rest])
        if merged is not None:
            return type_of_schema(merged, root, depth + 1, filled)
        return met(type_of_schema(each, root, depth + 1, filled) for each in (*schema["allOf"], *([rest] if rest else [])))
    declared = schema.get("type")
    names = [declared] if isinstance(declared, str) else list(declared or ())
    kinds = frozenset(_KINDS[name] for name in names if name in _KINDS)
    options = _options(schema, kinds) if "not" not in schema and "if" not in schema else None  # which may take some of them away
    if options is not None:
        kinds = frozenset(type_name(option) for option in options)
        if options:
            return type_of_values(options)  # with the bounds and lengths that they have
    elif kinds == {"bool"}:
        options = (True, False)
    elif kinds == {"int"}:
        options = _few_integers(schema)
    return Type(
        kinds,
        options,
        _number(schema.get("minimum", schema.get("exclusiveMinimum"))),
        _number(schema.get("maximum", schema.get("exclusiveMaximum"))),
        _length(schema, kinds, "min") or 0,
        _length(schema, kinds, "max"),
        type_of_schema(schema["items"], root, depth + 1, filled) if isinstance(schema.get("items"), dict) else None,
        *_fields(schema, root, depth, kinds, filled),
        refers=targets(schema),
        format=str(schema["format"]) if kinds == {"string"} and isinstance(schema.get("format"), str) else None,
    )


def _merged(schemas: list[Any]) -> dict[str, Any] | None:
    """Schemas that all hold as one, where none says what another does, or refers elsewhere."""
    merged: dict[str, Any] = {}
    for each in schemas:
        own = {key: value for key, value in each.items() if key not in ANNOTATING - {"$ref"}} if isinstance(each, dict) else None
        if own is None or merged.keys() & own.keys() or own.keys() & _APPLYING:
            return None
        merged |= own
    return merged


_APPLYING = frozenset(("$ref", "anyOf", "oneOf", "allOf", "not", "if", "additionalProperties", "unevaluatedProperties", "properties"))


def targets(schema: dict[str, Any]) -> frozenset[str] | None:
    """The properties of types that `refersTo` names, without their catalogs."""
    named = schema.get("refersTo")
    return frozenset(str(each).rpartition(".")[2] for each in named) if isinstance(named, list) else None


def _options(schema: dict[str, Any], kinds: frozenset[str]) -> tuple[Any, ...] | None:
    listed = [schema["const"]] if "const" in schema else schema.get("enum")
    if not isinstance(listed, list) or len(listed) > MOST_OPTIONS or any(isinstance(option, list | dict) for option in listed):
        return None
    typed = [_as_kind(option, kinds) for option in listed]
    return tuple(option for option in typed if not kinds or type_name(option) in kinds)


def _as_kind(option: Any, kinds: frozenset[str]) -> Any:
    """A number of an enum as values of the type have it: 2 and 2.0 are one (JSON Schema, section 4.2.2)."""
    if type(option) is int and kinds == {"double"}:
        return float(option)
    return int(option) if type(option) is float and option.is_integer() and kinds == {"int"} else option


def _few_integers(schema: dict[str, Any]) -> tuple[int, ...] | None:
    """All integers that a schema allows, where its bounds leave few."""
    bounds = [schema.get(name) for name in ("minimum", "maximum", "exclusiveMinimum", "exclusiveMaximum")]
    least, most, above, below = (bound if type(bound) is int else None for bound in bounds)
    low = max((each for each in (least, None if above is None else above + 1) if each is not None), default=None)
    high = min((each for each in (most, None if below is None else below - 1) if each is not None), default=None)
    exact = bounds == [least, most, above, below] and not {"multipleOf", "not", "if"} & schema.keys()
    if low is None or high is None or not exact or not 0 <= high - low < FEW_INTEGERS.most:
        return None
    return tuple(range(low, high + 1))


def _number(bound: Any) -> float | None:
    return bound if isinstance(bound, int | float) and not isinstance(bound, bool) else None


def _length(schema: dict[str, Any], kinds: frozenset[str], side: str) -> int | None:
    names = {"string": "Length", "list": "Items", "map": "Properties"}
    bounds = [schema.get(f"{side}{names[kind]}") for kind in kinds if kind in names]
    return bounds[0] if len(bounds) == 1 and isinstance(bounds[0], int) else None


def _fields(
    schema: dict[str, Any], root: Any, depth: int, kinds: frozenset[str], filled: bool
) -> tuple[dict[str, Field] | None, Type | None]:
    properties = schema.get("properties")
    further = schema.get("additionalProperties", True)
    required = [name for name in schema.get("required") or () if isinstance(name, str)]
    if "map" not in kinds or "patternProperties" in schema or (not isinstance(properties, dict) and further is True and not required):
        return None, None
    fields = {
        name: Field(type_of_schema(each, root, depth + 1, filled), name in required or (filled and _is_filled(each, root)))
        for name, each in (properties or {}).items()
    }
    others = type_of_schema(further, root, depth + 1, filled) if isinstance(further, dict) else (ANY if further is True else None)
    if others is not None:
        fields |= {name: Field(others, True) for name in required if name not in fields}
    return fields, others


def _is_filled(schema: Any, root: Any) -> bool:
    """Whether an effective value always has a property of this schema."""
    if isinstance(schema, dict) and isinstance(schema.get("$ref"), str) and "default" not in schema:
        schema = referred(schema["$ref"], root)
    return isinstance(schema, dict) and ("default" in schema or schema.get("readOnly") is True)
