"""Values that a schema accepts, made up: unlike each other, and as plain as it lets them be."""

from typing import Any

from jovial_scaffold.core.expressions.types import ANY, Type
from jovial_scaffold.core.schemas.navigation import subschema
from jovial_scaffold.core.schemas.types import type_of_schema
from jovial_scaffold.core.schemas.validation import SchemaError, Validator
from jovial_scaffold.core.text.source import Pointer
from jovial_scaffold.core.text.unknown import UNKNOWN

_WORDS = ("abc", "kes", "north", "b-7", "gate-keeper", "x1", "ab", "q", "ABC", "Ab", "a_b", "12", "1.2.3", "/a/b", "a.b", "")
_OF_FORMAT: dict[str, tuple[str, ...]] = {
    "cidr": ("10.{}.0.0/16", "10.{}.0.0/20", "172.16.{}.0/24", "10.{}.0.0/18"),
    "address": ("10.0.{}.4", "192.168.7.{}"),
}
_NUMBERS = (1, 2, 3, 7, 12, 40, 0, 100, 1_000, -1)
_SIZES = (1, 2, 3, 0, 5)
_DEPTH = 6  # parts of parts, for a schema may hold itself
_STEP = 31  # between the numbers of values side by side, so that they differ
_TRIES = 4


def sampled(schema: Any, number: int) -> Any:
    """One of the values that a schema accepts: another one for another number, where that is found easily; unknown where none is."""
    try:
        validator = Validator(schema)
    except SchemaError:
        return UNKNOWN
    for attempt in range(_TRIES):
        value = _Sampler(schema).value(type_of_schema(schema), (), number + attempt * _STEP)
        if value is not UNKNOWN and validator.is_valid(value):
            return value
    return UNKNOWN


def leanest(schema: Any, items: int, number: int = 0) -> Any:
    """A value that a schema accepts, without all that need not be there, and with no more than some `items` in lists that may be shorter:
    another one for another number, where there is one; unknown where none is found easily."""
    try:
        validator = Validator(schema)
    except SchemaError:
        return UNKNOWN
    value = _Leanest(schema, items).value(type_of_schema(schema), (), number)
    return value if value is not UNKNOWN and validator.is_valid(value) else UNKNOWN


class _Sampler:
    def __init__(self, schema: Any) -> None:
        self.schema = schema

    def value(self, known: Type, pointer: Pointer, number: int) -> Any:
        if known.options is not None:
            return known.options[number % len(known.options)] if known.options else UNKNOWN
        if len(pointer) > _DEPTH:
            return UNKNOWN
        if known.may_be("string"):
            return self.text(known, pointer, number)
        if known.may_be("int", "double"):
            return self.number(known, pointer, number)
        if known.may_be("bool"):
            return number % 2 == 0
        if known.may_be("list"):
            count = self.count(known, number)
            return self.whole([self.value(known.items or ANY, (*pointer, 0), number + _STEP * index) for index in range(count)])
        return self.map(known, pointer, number) if known.may_be("map") else None

    def count(self, known: Type, number: int) -> int:
        """How many items a list gets."""
        sizes = [size for size in (*_SIZES, known.shortest) if known.shortest <= size and (known.longest is None or size <= known.longest)]
        return sizes[number % len(sizes)] if sizes else 0

    def map(self, known: Type, pointer: Pointer, number: int) -> Any:
        fields = known.fields or {}
        names = [name for name in sorted(fields) if fields[name].required or number % 2 == 0]
        found = {name: self.value(fields[name].type, (*pointer, name), number + index * 3) for index, name in enumerate(names)}
        if not fields and known.others is not None:
            found = {
                name: self.value(known.others, (*pointer, name), number + index)
                for index, name in enumerate(("abc", "kes")[: 1 + number % 2])
            }
        return self.whole(found)

    def whole(self, value: Any) -> Any:
        parts = value.values() if isinstance(value, dict) else value
        return UNKNOWN if any(part is UNKNOWN for part in parts) else value

    def text(self, known: Type, pointer: Pointer, number: int) -> Any:
        parts = subschema(self.schema, pointer)
        formats = [part["format"] for part in parts if part.get("format") in _OF_FORMAT]
        words = [each.format(number % 200) for each in _OF_FORMAT[formats[0]]] if formats else [*_WORDS]
        words += [(word * (known.shortest // len(word) + 1))[: known.shortest] for word in _WORDS if word and known.shortest > len(word)]
        return self.fitting(words, parts, number)

    def number(self, known: Type, pointer: Pointer, number: int) -> Any:
        bounds = [int(bound) for bound in (known.low, known.high) if bound is not None]
        between = [(bounds[0] + bounds[1]) // 2] if len(bounds) > 1 else [bound + 1 for bound in bounds]
        return self.fitting([*dict.fromkeys((*bounds, *between, *_NUMBERS))], subschema(self.schema, pointer), number)

    def fitting(self, values: list[Any], parts: list[dict[str, Any]], number: int) -> Any:
        """One of those that all parts of the schema accept, which have no parts of their own."""
        try:
            validators = [Validator({key: word for key, word in part.items() if key != "$ref"}) for part in parts]
        except SchemaError:
            return UNKNOWN
        found = [value for value in values if all(each.is_valid(value) for each in validators)]
        return found[number % len(found)] if found else UNKNOWN


class _Leanest(_Sampler):
    def __init__(self, schema: Any, items: int) -> None:
        super().__init__(schema)
        self.items = items

    def count(self, known: Type, number: int) -> int:
        return max(known.shortest, self.items if known.longest is None else min(self.items, known.longest))

    def map(self, known: Type, pointer: Pointer, number: int) -> Any:
        fields = known.fields or {}
        names = [name for name in sorted(fields) if fields[name].required]
        return self.whole({name: self.value(fields[name].type, (*pointer, name), number) for name in names})
