"""What is wrong with a catalog beyond each schema being one: defaults that their own schema refuses, and names that name nothing."""

from collections.abc import Iterator, Mapping
from typing import Any

from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.limits import FILLED_VALUES, NESTING
from jovial_scaffold.core.schemas.catalog import ResourceType
from jovial_scaffold.core.schemas.keywords import BOUNDS, contradictions, parts
from jovial_scaffold.core.schemas.shapes import is_endless
from jovial_scaffold.core.schemas.validation import SchemaError, Validator, subschema
from jovial_scaffold.core.text.source import Origin
from jovial_scaffold.core.words import Amount, Value, listed, nearest, say


def lint(
    types: list[ResourceType], defaults: Mapping[str, int], catalog: str, index: Origin | None = None, whole: bool = True
) -> Iterator[Finding]:
    """Findings of a catalog that was read; `index` is its `catalog.yaml`. Unless it was read as a `whole`, no type is missed."""
    known = {each.id for each in types}
    names: dict[str, set[str]] = {}
    for each in types:
        names.setdefault(each.name, set()).update(each.schema.get("properties", {}))
    for name, version in defaults.items() if whole else ():
        if f"{catalog}.{name}.v{version}" not in known:
            message = say("The default version {} of `{}` is not there.", version, name)
            span = index.child("defaults", name).value_span() if index is not None else None
            yield Finding("catalog-schema", "error", message, span, nearest(name, [each.partition(".")[2] for each in names]))
    for each in types:
        if each.origin is not None:
            yield from _of_type(each, each.origin, names, whole)


def _of_type(kind: ResourceType, origin: Origin, types: Mapping[str, set[str]], whole: bool) -> Iterator[Finding]:
    bare = {name.partition(".")[2] for name in types}
    for keyword in ("identity", "apart"):
        for index, name in enumerate(kind.schema.get(keyword, ())):
            yield from _named(name, kind.schema, origin.child(keyword, index), f"`{keyword}`")
    if "description" not in kind.schema:
        message = say("The type {} has no description.", kind.id)
        yield Finding("description-missing", "warning", message, origin.value_span(), say("Say in a few words what it is for."))
    for part, place in parts(kind.written, origin):
        closed = part.get("additionalProperties") is False and not part.keys() & {"patternProperties", "allOf", "anyOf", "oneOf", "$ref"}
        unknown = [name for name in part.get("required", ()) if closed and name not in part.get("properties", {})]
        for name in unknown:
            yield from _named(name, part, place.child("required", part["required"].index(name)), "`required`")
        if unknown:  # which no resource is to be blamed for
            kind.forgive_required(part, unknown)
        wrong = [*_enum(part, place)]
        yield from wrong[:1]
        contradicting = [*contradictions(part, place)]  # which were said when it was read
        if isinstance(part.get("listKey"), str) and isinstance(part.get("items"), dict):
            items = [each for each in subschema(part["items"], (), kind.schema) if "properties" in each]
            if items and not any(part["listKey"] in each["properties"] for each in items):
                yield from _named(part["listKey"], items[0], place.child("listKey"), "`listKey`")
        if "default" in part and not wrong and not contradicting:
            yield from _default(part, place, kind.schema)
        if wrong or contradicting:
            kind.forgive(part, (*JUDGING, "enum", *(each for bounds in BOUNDS for each in bounds)))
        kinds = part.get("type", "number")
        if part.get("adds") is True and not {"integer", "number"} & set(kinds if isinstance(kinds, list) else (kinds,)):
            message = say("`adds` is said of numbers, and this takes {}.", listed(kinds if isinstance(kinds, list) else (kinds,), "or"))
            yield Finding("catalog-schema", "error", message, place.child("adds").key_span(), say("Take it out."))
        if isinstance(part.get("refersTo"), list):
            for index, target in enumerate(part["refersTo"]):
                found = _target(str(target), kind.name.partition(".")[0], types, place.child("refersTo", index))
                yield from (each for each in found if whole or str(target).partition(":")[0].rpartition(".")[2] in bare)
        for name, below in part.get("properties", {}).items():
            if isinstance(below, dict) and "description" not in below:
                message = say("The property `{}` has no description.", name)
                span = place.child("properties", name).key_span()
                yield Finding("description-missing", "note", message, span, say("Say in a few words what it is for."))


def _target(target: str, catalog: str, types: Mapping[str, set[str]], place: Origin) -> Iterator[Finding]:
    """That what a property refers to is there, in the same catalog; others are not at hand."""
    name, _, property = target.partition(":")
    if "." in name and name.partition(".")[0] != catalog:
        return
    full = name if "." in name else f"{catalog}.{name}"
    if full not in types:
        hint = nearest(name, [each.partition(".")[2] for each in types])
        yield Finding(
            "catalog-schema", "error", say("`refersTo` names {}, and there is no type of that name.", name), place.value_span(), hint
        )
    elif property.partition("/")[0] not in types[full]:
        message = say("`refersTo` names `{}` of {}, and the type has no such property.", property, name)
        yield Finding("catalog-schema", "error", message, place.value_span(), nearest(property, sorted(types[full])))


def _named(name: Any, part: dict[str, Any], place: Origin, keyword: str) -> Iterator[Finding]:
    known = part.get("properties", {})
    if name not in known:
        message = say("{} names {}, and there is no property of that name.", keyword, Value(name))
        yield Finding("catalog-schema", "error", message, place.value_span(), nearest(str(name), list(known)))


def _enum(part: dict[str, Any], place: Origin) -> Iterator[Finding]:
    """Values of an `enum` that the rest of their own schema refuses: nobody can write them."""
    options = part.get("enum")
    rest = {key: value for key, value in part.items() if key in JUDGING}
    if not isinstance(options, list) or not rest:
        return
    try:
        validator = Validator(rest)
    except SchemaError:
        return
    for index, option in enumerate(options):
        for violation in validator.violations(option)[:1]:
            message = violation.message.about(say("A value of `enum`"))
            yield Finding("catalog-schema", "warning", message, place.child("enum", index).value_span(), violation.hint)


JUDGING = frozenset(
    ("type", "minimum", "maximum", "exclusiveMinimum", "exclusiveMaximum", "multipleOf", "minLength", "maxLength", "pattern")
)


def _default(part: dict[str, Any], place: Origin, whole: dict[str, Any]) -> Iterator[Finding]:
    shared = {key: whole[key] for key in ("$defs", "definitions") if key in whole and key not in part}
    try:
        violations = Validator({**shared, **part}).violations(part["default"])
    except SchemaError:
        return
    for violation in violations[:1]:
        message = violation.message.about(say("The default"))
        yield Finding(f"default-{violation.id}", "error", message, place.child("default").value_span(), violation.hint)
    if is_endless(part, whole):
        message = say(
            "This default takes in the defaults of what is below of it, and these again theirs: more than {} {}, or {} {}.",
            Amount(FILLED_VALUES.most),
            FILLED_VALUES.unit,
            Amount(NESTING.most),
            NESTING.unit,
        )
        hint = say("Write the whole value as one default, or none.")
        yield Finding("catalog-schema", "error", message, place.child("default").value_span(), hint)
