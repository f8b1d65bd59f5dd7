"""What is wrong with a catalog beyond each schema being one: defaults that their own schema refuses, and names that name nothing."""

from collections.abc import Iterator, Mapping
from typing import Any

from jovial_scaffold.core.expressions.checking import Checker
from jovial_scaffold.core.expressions.errors import BudgetError, EvaluationError, SyntaxProblem
from jovial_scaffold.core.expressions.scopes import MapScope
from jovial_scaffold.core.expressions.syntax import Node
from jovial_scaffold.core.expressions.types import Abstract, Type, settled, type_of_value
from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.limits import FILLED_VALUES, NESTING
from jovial_scaffold.core.schemas.annotations import CHANGE_EFFECTS
from jovial_scaffold.core.schemas.catalog import ResourceType
from jovial_scaffold.core.schemas.keywords import BOUNDS, contradictions, in_place, parts
from jovial_scaffold.core.schemas.navigation import by_itself, subschema
from jovial_scaffold.core.schemas.shapes import is_endless
from jovial_scaffold.core.schemas.types import type_of_schema
from jovial_scaffold.core.schemas.validation import SchemaError, Validator
from jovial_scaffold.core.text.source import Origin, Pointer
from jovial_scaffold.core.words import NOTHING, Amount, Value, listed, nearest, say


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
    yield from _of_whole(kind, origin)
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
        if part.get("additionalProperties") is False and "patternProperties" not in part:
            yield from _required_inside(kind, part, place)
        yield from _of_lists(part, place, kind)
        yield from _effect(part, place, kind, place.pointer[len(origin.pointer) :])
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
            kind.forgive(part, (*JUDGING, "enum", "const", *(each for bounds in BOUNDS for each in bounds)))
        kinds = part.get("type", "number")
        if part.get("adds") is True and not {"integer", "number"} & set(kinds if isinstance(kinds, list) else (kinds,)):
            message = say("`adds` is said of numbers, and this takes {}.", listed(kinds if isinstance(kinds, list) else (kinds,), "or"))
            yield Finding("catalog-schema", "error", message, place.child("adds").key_span(), say("Take it out."))
        if isinstance(part.get("refersTo"), list):
            for index, target in enumerate(part["refersTo"]):
                found = _target(str(target), kind.name.partition(".")[0], types, place.child("refersTo", index))
                yield from (each for each in found if whole or str(target).partition(":")[0].rpartition(".")[2] in bare)
        for name, each in part.get("properties", {}).items():
            if isinstance(each, dict) and "description" not in each:
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
    rest = {key: value for key, value in part.items() if key in JUDGING}
    options = [(place.child("enum", index), option) for index, option in enumerate(part.get("enum", ()))]
    if part.get("enum") == []:
        message = say("`enum` lists nothing, so that no value fits.")
        yield Finding("catalog-schema", "error", message, place.child("enum").value_span(), say("List the values that it takes."))
    if "const" in part:
        options.append((place.child("const"), part["const"]))
    if not options or not rest:
        return
    try:
        validator = Validator(rest)
    except SchemaError:
        return
    for at, option in options:
        for violation in validator.violations(option)[:1]:
            message = violation.message.about(say("A value of `enum`") if at.pointer[-1] != "const" else say("`const`"))
            yield Finding("catalog-schema", "warning", message, at.value_span(), violation.hint)


def _of_whole(kind: ResourceType, origin: Origin) -> Iterator[Finding]:
    """What is said of a type that can only be said of its properties."""
    if any(part.get("writeOnly") is True for part in subschema(kind.schema, ())):
        place = origin.child("writeOnly").key_span() if "writeOnly" in kind.written else origin.value_span()
        message = say("`writeOnly` is said of properties, and this is a whole type.")
        yield Finding("catalog-schema", "error", message, place, say("Say it of the properties that are secret."))
    for index, name in enumerate(kind.schema.get("apart", ())):
        found = subschema(kind.schema, (name,)) if isinstance(name, str) else []
        taken = [wanted for each in found for wanted in _kinds(each)]
        if taken and "string" not in taken:
            message = say("`apart` is said of ranges, and `{}` takes {}.", name, listed(taken, "or"))
            yield Finding(
                "catalog-schema", "error", message, origin.child("apart", index).value_span(), say("Name one with `format: cidr`.")
            )


def _kinds(part: dict[str, Any]) -> list[str]:
    """The types that a schema names."""
    kinds = part.get("type", ())
    return [str(each) for each in kinds] if isinstance(kinds, list | tuple) else [str(kinds)]


def _of_lists(part: dict[str, Any], place: Origin, kind: ResourceType) -> Iterator[Finding]:
    """What is said of lists where there is none, and keys that no item of one has."""
    kinds = _kinds(part)
    for keyword in ("listKey", "anyOrder"):
        if part.get(keyword) and kinds and "array" not in kinds:
            message = say("`{}` is said of lists, and this takes {}.", keyword, listed(kinds, "or"))
            yield Finding("catalog-schema", "error", message, place.child(keyword).key_span(), say("Take it out."))
    if isinstance(part.get("listKey"), str) and isinstance(part.get("items"), dict):
        items = [_kinds(each) for each in subschema(part["items"], (), kind.schema) if "type" in each]
        if items and not any("object" in each for each in items):
            message = say("`listKey` names a property of the items, and these take {}.", listed(items[0], "or"))
            hint = say("Write anyOrder: true where the order of a list of plain values means nothing.")
            yield Finding("catalog-schema", "error", message, place.child("listKey").key_span(), hint)


def _required_inside(kind: ResourceType, part: dict[str, Any], place: Origin) -> Iterator[Finding]:
    """Names that the conditions and forms of a closed map require, and that it does not have."""
    waiting = [(part, place, part, "")]  # each with what would mean something else without the name: the part, and its keyword
    while waiting:
        inner, at, owner, keyword = waiting.pop()
        unknown = [name for name in inner.get("required", ()) if name not in part.get("properties", {})] if inner is not part else []
        for name in unknown:
            yield from _named(name, part, at.child("required", inner["required"].index(name)), "`required`")
        if unknown and keyword:
            kind.forgive(owner, ("if", "then", "else") if keyword == "if" else (keyword,))
        elif unknown:
            kind.forgive_required(inner, unknown)
        for pointer, each in in_place(inner):
            if isinstance(each, dict):
                turns = pointer[0] in ("if", "not") and not keyword
                waiting.append((each, at.child(*pointer), *((inner, str(pointer[0])) if turns else (owner, keyword))))


def _effect(part: dict[str, Any], place: Origin, kind: ResourceType, steps: Pointer) -> Iterator[Finding]:
    """What an expression for the effect of a change gets wrong, by the type of its property."""
    written = part.get("changeEffect")
    if not isinstance(written, str) or written in CHANGE_EFFECTS:
        return
    try:
        node = kind.program(written).node
    except (SyntaxProblem, EvaluationError):
        return  # which was said when it was read
    known = type_of_schema(by_itself(part, kind.schema))
    pointer = _of_property(steps)
    as_value = _effect_error(node, settled(known))
    as_optional = _effect_error(node, Abstract(Type(frozenset(("optional_type",)), items=known)))
    if pointer is None:  # a part that may be either
        error, hint = (as_value, NOTHING) if as_optional is not None else (None, NOTHING)
    elif kind.is_always_set(pointer):
        error, hint = as_value, _IS_SET if as_optional is None else NOTHING
    else:
        error, hint = as_optional, _MAY_BE_UNSET if as_value is None else NOTHING
    if error is not None:
        at = place.child("changeEffect")
        span = at.inner_span(error.start, error.end) if error.start >= 0 else at.value_span()
        yield Finding("catalog-schema", "error", error.message, span, hint or error.hint)


def _effect_error(node: Node, side: Any) -> EvaluationError | None:
    """What goes wrong, or comes of it that is no effect, where both sides are of a type."""
    try:
        result = type_of_value(Checker(MapScope({"was": side, "becomes": side})).check(node, {}))
    except BudgetError:
        return None
    except EvaluationError as error:
        return error
    strange = [each for each in result.options or () if each not in CHANGE_EFFECTS]
    if result.may_be("string") and not strange:
        return None
    given = Value(strange[0]) if strange else result.text()
    hint = nearest(str(strange[0]), CHANGE_EFFECTS) if strange else NOTHING
    return EvaluationError(say("`changeEffect` is one of {}, and this may give {}.", listed(CHANGE_EFFECTS, "or"), given), hint=hint)


_IS_SET = say("A property that is required or has a default is a value: write was and becomes by themselves.")
_MAY_BE_UNSET = say("A property that is neither required nor has a default may not be set: write was.orValue(…) and becomes.orValue(…).")


def _of_property(steps: Pointer) -> Pointer | None:
    """Where the values are that a part of a schema speaks of; None where that is not told by its place."""
    found: list[str | int] = []
    waiting = iter(steps)
    for step in waiting:
        if step == "items":
            found.append(0)
        elif step == "properties":
            found.append(next(waiting))
        else:
            return None
    return tuple(found)


JUDGING = frozenset(
    ("type", "minimum", "maximum", "exclusiveMinimum", "exclusiveMaximum", "multipleOf", "minLength", "maxLength", "pattern")
)


def _default(part: dict[str, Any], place: Origin, whole: dict[str, Any]) -> Iterator[Finding]:
    try:
        violations = Validator(by_itself(part, whole)).violations(part["default"])
    except SchemaError:
        return
    for violation in violations[:1]:
        message = violation.message.about(say("The default"))
        yield Finding(f"default-{violation.id}", "error", message, place.child("default").value_span(), violation.hint)
    if isinstance(part["default"], dict | list) and is_endless(part, whole):
        message = say(
            "This default takes in the defaults of what is below of it, and these again theirs: more than {} {}, or {} {}.",
            Amount(FILLED_VALUES.most),
            FILLED_VALUES.unit,
            Amount(NESTING.most),
            NESTING.unit,
        )
        hint = say("Write the whole value as one default, or none.")
        yield Finding("catalog-schema", "error", message, place.child("default").value_span(), hint)
