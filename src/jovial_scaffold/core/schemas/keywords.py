"""The keywords of JSON Schema 2020-12 (its core, applicator, validation, meta-data, format and content vocabularies), and what was meant by
a misspelt one. A validator passes over keywords that it does not know: what they should forbid would be allowed, and what they should keep
secret shown."""

from collections.abc import Callable, Iterator
from typing import Any

from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.spelling import is_slip, near
from jovial_scaffold.core.text.source import Origin, Pointer
from jovial_scaffold.core.words import Value, listed, say

LISTS = ("allOf", "anyOf", "oneOf", "prefixItems")
MAPS = ("properties", "patternProperties", "dependentSchemas", "$defs", "definitions")
SINGLE = (
    *("items", "contains", "additionalProperties", "propertyNames", "unevaluatedProperties", "unevaluatedItems", "not", "if", "then"),
    *("else", "contentSchema"),
)
_OTHERS = (
    *("type", "enum", "const", "minimum", "maximum", "exclusiveMinimum", "exclusiveMaximum", "multipleOf", "minLength", "maxLength"),
    *("pattern", "format", "minContains", "maxContains", "minItems", "maxItems", "uniqueItems", "required", "minProperties"),
    *("maxProperties", "dependentRequired", "$ref", "$comment", "title", "description", "default", "examples", "deprecated", "readOnly"),
    *(
        "writeOnly",
        "must",
        "contentEncoding",
        "contentMediaType",
        "$id",
        "$schema",
        "$anchor",
        "$dynamicRef",
        "$dynamicAnchor",
        "$vocabulary",
    ),
)
BOUNDS = (
    *(("minimum", "maximum"), ("exclusiveMinimum", "maximum"), ("minimum", "exclusiveMaximum"), ("exclusiveMinimum", "exclusiveMaximum")),
    *(("minLength", "maxLength"), ("minItems", "maxItems"), ("minProperties", "maxProperties"), ("minContains", "maxContains")),
)
KNOWN_FORMATS = (
    *("date", "time", "date-time", "duration", "email", "idn-email", "hostname", "idn-hostname", "ipv4", "ipv6", "uri", "uri-reference"),
    *("iri", "iri-reference", "uri-template", "uuid", "json-pointer", "relative-json-pointer", "regex", "cidr", "address"),
)
"""The formats of JSON Schema Validation 2020-12 (section 7.3), and ours."""
NOTE = "x-"  # begins the words of others, which say nothing here
KEYWORDS = (*LISTS, *MAPS, *SINGLE, *_OTHERS)
_BY_PROPERTY = frozenset(
    ("$schema", "$id", "$defs", "type", "properties", "required", "additionalProperties", "title", "description", "examples")
)


def below(part: dict[str, Any]) -> Iterator[tuple[Pointer, Any]]:
    """The schemas that a schema is made of, each with its pointer from there."""
    for key, item in part.items():
        if key in SINGLE:
            yield (key,), item
        elif key in LISTS and isinstance(item, list):
            yield from (((key, index), each) for index, each in enumerate(item))
        elif key in MAPS and isinstance(item, dict):
            yield from (((key, name), each) for name, each in item.items())


_IN_PLACE = frozenset(("allOf", "anyOf", "oneOf", "not", "if", "then", "else", "dependentSchemas"))


def in_place(part: dict[str, Any]) -> Iterator[tuple[Pointer, Any]]:
    """Those that judge the same value as the schema itself (JSON Schema 2020-12, section 10.2)."""
    return ((pointer, each) for pointer, each in below(part) if pointer[0] in _IN_PLACE)


def parts(schema: Any, origin: Origin) -> Iterator[tuple[dict[str, Any], Origin]]:
    """The schema and all that stand in it, each with its place."""
    stack = [(schema, origin)]
    while stack:
        part, place = stack.pop()
        if isinstance(part, dict):
            yield part, place
            stack += [(each, place.child(*pointer)) for pointer, each in below(part)]


def misspelt(schema: Any, origin: Origin, is_sound: Callable[[Any], bool], known: tuple[str, ...] = ()) -> Iterator[Finding]:
    """What is no keyword, of JSON Schema or of the `known` others. The schema is changed to have what was meant, where that makes a schema
    that `is_sound`: what it should keep secret is kept until the word is mended, and nothing is missed for it."""
    every = (*KEYWORDS, *known)
    for part, place in parts(schema, origin):
        for key in [each for each in part if each not in every]:
            if key.startswith(NOTE):
                continue
            meant = near(key, every)
            hint = (
                say("Did you mean `{}`?", meant) if meant else say("Nothing is checked by it; a note of your own begins with `{}`.", NOTE)
            )
            yield Finding("key-unknown", "error", say("JSON Schema has no keyword `{}`.", key), place.child(key).key_span(), hint)
            if meant == "writeOnly" and part[key] not in (False, None):
                part[meant] = True
            elif meant and meant not in part and is_slip(key, meant) and not meant.startswith("$") and is_sound({meant: part[key]}):
                part[meant] = part[key]
                place.source.meant[*place.pointer, meant] = key
        yield from contradictions(part, place)
        written = part.get("format")
        if isinstance(written, str) and written not in KNOWN_FORMATS:
            meant = near(written, KNOWN_FORMATS)
            hint = say("Did you mean `{}`?", meant) if meant else say("Known formats are {}.", listed(KNOWN_FORMATS))
            message = say("Nobody knows the format `{}`, so nothing is checked by it.", written)
            yield Finding("format-unknown", "error" if meant else "warning", message, place.child("format").value_span(), hint)


def contradictions(part: dict[str, Any], place: Origin) -> Iterator[Finding]:
    """Bounds that no value meets."""
    for least, most in BOUNDS:
        low, high = part.get(least), part.get(most)
        if isinstance(low, int | float) and isinstance(high, int | float) and bool not in (type(low), type(high)):
            strict = least.startswith("exclusive") or most.startswith("exclusive")
            if low > high or (strict and low == high):
                message = say("No value meets both `{}` {} and `{}` {}.", least, Value(low), most, Value(high))
                yield Finding("schema-contradiction", "error", message, place.child(least).value_span(), say("Correct one of the two."))


def is_by_property(schema: dict[str, Any]) -> bool:
    """Whether a map fits a schema where each of its properties fits by itself and the required ones are there."""
    others = schema.get("additionalProperties", True)
    return isinstance(others, bool) and _BY_PROPERTY.issuperset(key for key in schema if key in KEYWORDS)
