"""One step into a value: fields, items and keys of maps, lists and records, and comparing them part by part."""

from collections.abc import Iterable, Iterator
from typing import Any

from jovial_scaffold.core.expressions import operators
from jovial_scaffold.core.expressions.errors import EvaluationError
from jovial_scaffold.core.expressions.pending import Pending
from jovial_scaffold.core.expressions.residuals import binary
from jovial_scaffold.core.expressions.syntax import Name, Node, Select
from jovial_scaffold.core.expressions.types import Owner
from jovial_scaffold.core.expressions.values import Record, Secret, equal
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.words import NOTHING, Derived, Value, listed, nearest, say


def field_of(whole: Any, field: str) -> Any:
    if isinstance(whole, Record):
        return whole.select(field)
    if type(whole) is dict:
        if field in whole:
            return whole[field]
        raise operators.missing_key(field, whole)
    raise EvaluationError(
        say("`.{}` needs a map or resource, and this is {}: {}.", field, Derived(operators.a_type(whole)), Value(whole)), id="type-mismatch"
    )


def no_field(owner: Owner, field: Any, known: Iterable[str]) -> EvaluationError:
    """That what is read does not have a field, known or not before any environment."""
    names = sorted(known)
    if owner.id == "property-unknown":
        message = say("{} has no property `{}`.", owner.name, field)
    elif owner.id == "output-unknown":
        message = say("The module {} has no output `{}`.", owner.name, field)
    elif owner.name:
        message = say("The table `{}` has no column `{}`.", owner.name, field)
    else:
        message = say("What is declared has no field `{}`.", field)
    otherwise = say("It has {}.", listed(names[:10])) if names else say("It has none.") if owner.id == "output-unknown" else NOTHING
    return EvaluationError(message, hint=nearest(str(field), names, otherwise), id=owner.id)


def item_of(whole: Any, key: Any) -> Any:
    if not isinstance(whole, Record):
        return operators.index(whole, key)
    if type(key) is str:
        return whole.select(key)
    raise EvaluationError(
        say("What {} has is named by texts, and this is {}: {}.", Derived(repr(whole)), Derived(operators.a_type(key)), Value(key)),
        hint=say('Write ["{}"].', str(key)) if type(key) is int and whole.has(str(key)) is True else NOTHING,
        id="type-mismatch",
    )


def has_field(whole: Any, field: str) -> Any:
    if isinstance(whole, Record):
        return whole.has(field)
    if type(whole) is dict:
        return field in whole
    raise EvaluationError(
        say("has() needs a map or resource, and this is {}: {}.", Derived(operators.a_type(whole)), Value(whole)), id="type-mismatch"
    )


def has_part(whole: Any, key: Any) -> Any:
    if isinstance(whole, Record):
        return whole.has(key) if type(key) is str else False
    if type(whole) is dict:
        return operators.contains(key, whole)
    try:
        operators.index(whole, key)
    except EvaluationError as error:
        if error.id == "index-range":
            return False
        raise
    return True


def part_tests(a: Any, b: Any) -> Iterator[Any]:
    """Whether parts are equal, in an order that does not matter: a boolean, or the mark on which it depends."""
    if a is UNKNOWN or b is UNKNOWN:
        yield UNKNOWN
        return
    if type(a) is Pending or type(b) is Pending:
        yield binary("==", a, b)
        return
    if type(a) is Secret or type(b) is Secret:
        for test in part_tests(a.value if type(a) is Secret else a, b.value if type(b) is Secret else b):
            yield Secret(test) if test is not UNKNOWN and type(test) is not Secret else test
    elif type(a) is list and type(b) is list and len(a) == len(b):
        for one, other in zip(a, b, strict=True):
            yield from part_tests(one, other)
    elif type(a) is dict and type(b) is dict and a.keys() == b.keys():
        for key, one in a.items():
            yield from part_tests(one, b[key])
    elif isinstance(a, Record) or isinstance(b, Record):
        yield from part_tests(a.whole() if isinstance(a, Record) else a, b.whole() if isinstance(b, Record) else b)
    else:
        yield equal(a, b)


def dotted_name(node: Node) -> str:
    """`a.b.c` as a text; nothing for any other form."""
    fields: list[str] = []
    while isinstance(node, Select) and not node.optional:
        fields.append(node.field)
        node = node.operand
    return ".".join((node.name, *reversed(fields))) if isinstance(node, Name) else ""
