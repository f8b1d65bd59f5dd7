"""The keywords of JSON Schema 2020-12 (its core, applicator, validation, meta-data, format and content vocabularies), and what was meant by
a misspelt one. A validator passes over keywords that it does not know: what they should forbid would be allowed, and what they should keep
secret shown."""

from collections.abc import Iterator
from typing import Any

from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.spelling import near
from jovial_scaffold.core.text.source import Origin, Pointer
from jovial_scaffold.core.words import say

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
KEYWORDS = (*LISTS, *MAPS, *SINGLE, *_OTHERS)


def below(part: dict[str, Any]) -> Iterator[tuple[Pointer, Any]]:
    """The schemas that a schema is made of, each with its pointer from there."""
    for key, item in part.items():
        if key in SINGLE:
            yield (key,), item
        elif key in LISTS and isinstance(item, list):
            yield from (((key, index), each) for index, each in enumerate(item))
        elif key in MAPS and isinstance(item, dict):
            yield from (((key, name), each) for name, each in item.items())


def parts(schema: Any, origin: Origin) -> Iterator[tuple[dict[str, Any], Origin]]:
    """The schema and all that stand in it, each with its place."""
    stack = [(schema, origin)]
    while stack:
        part, place = stack.pop()
        if isinstance(part, dict):
            yield part, place
            stack += [(each, place.child(*pointer)) for pointer, each in below(part)]


def misspelt(schema: Any, origin: Origin, known: tuple[str, ...] = ()) -> Iterator[Finding]:
    """What is nearly a keyword, of JSON Schema or of the `known` others, and is none. Where `writeOnly` was meant, the schema is changed to
    have it: until the word is mended, what it should keep secret is kept."""
    every = (*KEYWORDS, *known)
    for part, place in parts(schema, origin):
        for key in [each for each in part if each not in every]:
            meant = near(key, every)
            if meant:
                span = place.child(key).key_span()
                yield Finding("key-unknown", "error", say("JSON Schema has no keyword `{}`.", key), span, say("Did you mean `{}`?", meant))
            if meant == "writeOnly" and part[key] not in (False, None):
                part[meant] = True
