"""What is known of a value before it is there: its possible kinds, bounds, fields, and the set of values it can be.

A `Type` is a union of kinds. Bounds and parts speak of the kinds they make sense for; a type without kinds can be anything.
"""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from typing import Any, NamedTuple

from jovial_scaffold.core.expressions.pending import Pending
from jovial_scaffold.core.expressions.values import Optional, Secret, equal, is_bearable, type_name
from jovial_scaffold.core.limits import STATIC_VALUES
from jovial_scaffold.core.records import replace
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.words import Operand, Value, listed, say

MOST_OPTIONS = 64
_TOLD_ONE_BY_ONE = 8
_NUMBERS = frozenset(("int", "double", "uint"))
_SIZED = frozenset(("string", "list", "map", "bytes"))


@dataclass(frozen=True, slots=True)
class Field:
    """A field of an object; one that is not required may be absent."""

    type: "Type"
    required: bool


class Owner(NamedTuple):
    """Whose the fields of a map are, for what is said of one that it does not have."""

    id: str  #: of the finding
    name: str  #: of the type of resource, the module or the table; empty for what is declared


DECLARED = Owner("field-unknown", "")


@dataclass(frozen=True, slots=True)
class Type:
    """`kinds` are CEL's names of types; empty means anything. `options` are all possible values, where they are few.

    `low` and `high` bound a number, `shortest` and `longest` a length. `items` is the type of a list's items or of what an optional
    holds; `fields` are the known fields of a map, `others` the type of further ones (None: there are none, once `fields` is given).
    """

    kinds: frozenset[str] = frozenset()
    options: tuple[Any, ...] | None = None
    low: float | None = None
    high: float | None = None
    shortest: int = 0
    longest: int | None = None
    items: "Type | None" = None
    fields: dict[str, Field] | None = field(default=None, hash=False)
    others: "Type | None" = None
    refers: frozenset[str] | None = None  #: properties of types (`network:id`) of which it is the value of one, where that is known
    owner: Owner = DECLARED  #: whose fields they are
    format: str | None = None  #: of JSON Schema, that every text of the type has

    def may_be(self, *kinds: str) -> bool:
        """Whether a value of the type can be of one of these kinds."""
        return not self.kinds or not self.kinds.isdisjoint(kinds)

    def is_only(self, *kinds: str) -> bool:
        """Whether every value of the type is of one of these kinds."""
        return bool(self.kinds) and self.kinds <= set(kinds)

    def text(self) -> Operand:
        """The type as people read it."""
        if self.options is not None and not self._is_range():
            return (
                say("one of {}", listed((Value(option) for option in self.options), "or"))
                if len(self.options) != 1
                else Value(self.options[0])
            )
        if not self.kinds:
            return "anything"
        return listed((self._part(kind) for kind in sorted(self.kinds)), "or")

    def _is_range(self) -> bool:
        """Whether the options are many integers, or all those between the bounds, which say the same in fewer words."""
        options = self.options or ()
        if len(options) < 3 or not self.is_only("int") or self.low is None or self.high is None:
            return False
        return len(options) > _TOLD_ONE_BY_ONE or sorted(options) == [*range(min(options), min(options) + len(options))]

    def _part(self, kind: str) -> Operand:
        if kind == "list" and self.items is not None and self.items.kinds:
            return say("list of {}", self.items.text())
        if kind == "map" and self.fields:
            return say("map with {}", listed(sorted(self.fields)[:8]))
        if kind == "optional_type" and self.items is not None:
            return say("optional {}", self.items.text())
        if kind in _NUMBERS and (self.low is not None or self.high is not None):
            low = f" from {_number(self.low)}" if self.low is not None else ""
            return f"{kind}{low}{f' to {_number(self.high)}' if self.high is not None else ''}"
        return "null" if kind == "null_type" else kind


def _number(value: float) -> str:
    return str(int(value)) if value == int(value) else str(value)


ANY = Type()
BOOL, INT, STRING = (Type(frozenset((kind,))) for kind in ("bool", "int", "string"))
LIST, MAP = (Type(frozenset((kind,))) for kind in ("list", "map"))


class Abstract:
    """A mark: a value of which only the type is known."""

    __slots__ = ("type",)

    def __init__(self, known: Type) -> None:
        self.type = known

    def __repr__(self) -> str:
        return f"({self.type.text()})"


def settled(known: Type) -> Any:
    """The value itself where only one is possible, else the mark."""
    if known.options is not None and len(known.options) == 1:
        return known.options[0]
    return Abstract(known)


_CONCRETE = frozenset((str, int, bool, float, type(None)))


def has_abstract(value: Any) -> bool:
    """Whether a mark of any kind stands in a value, at any depth."""
    kind = type(value)
    if kind in _CONCRETE:
        return False
    if isinstance(value, Abstract | Pending | Secret) or value is UNKNOWN:
        return True
    if type(value) is list:
        return any(map(has_abstract, value))
    if type(value) is dict:
        return any(map(has_abstract, value.values()))
    return type(value) is Optional and has_abstract(value.value)


def type_of_value(value: Any) -> Type:
    """The type of a value, with marks inside taken for what they stand for; of a very large one, no more than its kind and length."""
    if type(value) in _CONTAINERS and not is_bearable(value, STATIC_VALUES.most):
        return Type(frozenset((type_name(value),)), shortest=len(value), longest=len(value))
    return _type_of(value)


_CONTAINERS = frozenset((list, dict))


def _type_of(value: Any) -> Type:
    """The same of a value that is not too large."""
    if isinstance(value, Abstract):
        return value.type
    if isinstance(value, Pending | Secret) or value is UNKNOWN:
        return ANY
    kind = frozenset((type_name(value),))
    if type(value) is list:
        items = [_type_of(item) for item in value]
        return Type(kind, shortest=len(value), longest=len(value), items=joined(items) if items else ANY)
    if type(value) is dict:
        fields = {key: Field(_type_of(item), True) for key, item in value.items() if type(key) is str}
        return Type(kind, shortest=len(value), longest=len(value), fields=fields)
    if type(value) is Optional:
        return Type(kind, items=_type_of(value.value))
    length = len(value) if isinstance(value, str | bytes) else 0
    number = value if isinstance(value, int | float) and not isinstance(value, bool) and value == value else None
    return Type(kind, (value,), number, number, length, length or None if not isinstance(value, str | bytes) else length)


def type_of_values(values: Sequence[Any]) -> Type:
    """The union of the types of some values, which are mostly all texts or all integers."""
    kinds = set(map(type, values))
    if kinds == {str} or kinds == {int}:
        unique = tuple(dict.fromkeys(values))
        options = unique if len(unique) <= MOST_OPTIONS else None
        if kinds == {int}:
            return Type(INT.kinds, options, min(unique), max(unique))
        lengths = list(map(len, unique))
        return Type(STRING.kinds, options, shortest=min(lengths), longest=max(lengths))
    return joined(map(type_of_value, values))


def joined(types: Iterable[Type]) -> Type:
    """The union: what a value can be that is of one of the types."""
    result: Type | None = None
    for each in types:
        result = each if result is None else _pair(result, each)
    return result or ANY


def _pair(a: Type, b: Type) -> Type:
    if a is b:
        return a
    if not a.kinds or not b.kinds:
        return ANY
    options = None
    if a.options is not None and b.options is not None:
        merged = list(a.options) + [
            value for value in b.options if not any(equal(value, other) and type(value) is type(other) for other in a.options)
        ]
        options = tuple(merged) if len(merged) <= MOST_OPTIONS else None
    fields, others = _joined_fields(a, b)
    return Type(
        a.kinds | b.kinds,
        options,
        _bound(min, a, b, "low", _NUMBERS),
        _bound(max, a, b, "high", _NUMBERS),
        min((each.shortest for each in (a, b) if each.kinds & _SIZED), default=0),
        _bound(max, a, b, "longest", _SIZED),
        joined(each.items or ANY for each in (a, b) if each.kinds & {"list", "optional_type"}) if (a.items or b.items) else None,
        fields,
        others,
        a.refers | b.refers if a.refers is not None and b.refers is not None else None,
        format=a.format if a.format == b.format else None,
    )


def met(types: Iterable[Type]) -> Type:
    """What a value can be that is of all of some types, or more than that."""
    result = ANY
    for each in types:
        result = _met(result, each)
    return result


def _met(a: Type, b: Type) -> Type:
    lows, highs = [x.low for x in (a, b) if x.low is not None], [x.high for x in (a, b) if x.high is not None]
    lengths = [x.longest for x in (a, b) if x.longest is not None]
    options = a.options if b.options is None else b.options
    if a.options is not None and b.options is not None:
        options = tuple(value for value in a.options if any(equal(value, other) and type(value) is type(other) for other in b.options))
    kinds = (a.kinds & b.kinds or a.kinds) if a.kinds and b.kinds else a.kinds or b.kinds  # what contradicts itself is said elsewhere
    refers = a.refers & b.refers if a.refers is not None and b.refers is not None else a.refers if b.refers is None else b.refers
    return Type(
        kinds,
        options,
        max(lows, default=None),
        min(highs, default=None),
        max(a.shortest, b.shortest),
        min(lengths, default=None),
        a.items or b.items,
        *_met_fields(a, b),
        refers=refers,
        format=a.format or b.format,
    )


def _met_fields(a: Type, b: Type) -> tuple[dict[str, Field] | None, Type | None]:
    if a.fields is None or b.fields is None:
        one = a if b.fields is None else b
        return one.fields, one.others
    fields = {}
    for name in a.fields.keys() | b.fields.keys():
        found = [each.fields.get(name) for each in (a, b) if each.fields is not None]
        types = [each.others if own is None else own.type for each, own in zip((a, b), found, strict=True)]
        if all(each is not None for each in types):  # else one of them does not let it be there
            fields[name] = Field(met(each for each in types if each is not None), any(own is not None and own.required for own in found))
    return fields, met((a.others, b.others)) if a.others is not None and b.others is not None else None


def _bound(choose: Any, a: Type, b: Type, name: str, kinds: frozenset[str]) -> Any:
    """The outer of two bounds; none where one of the types that it speaks of has none."""
    bounds = [getattr(each, name) for each in (a, b) if each.kinds & kinds]
    return None if not bounds or None in bounds else choose(bounds)


def _joined_fields(a: Type, b: Type) -> tuple[dict[str, Field] | None, Type | None]:
    maps = [each for each in (a, b) if "map" in each.kinds]
    if len(maps) == 1:
        return maps[0].fields, maps[0].others
    if a.fields is None or b.fields is None:
        return None, None
    fields = {}
    for name in a.fields.keys() | b.fields.keys():
        found = [each[name] for each in (a.fields, b.fields) if name in each]
        # A field that only one of them knows may be anything in the other where that one is open.
        types = [each.type for each in found] + [
            each.others for each in (a, b) if each.fields is not None and name not in each.fields and each.others
        ]
        fields[name] = Field(joined(types), len(found) == 2 and all(each.required for each in found))
    others = [each.others for each in (a, b) if each.others is not None]
    return fields, joined(others) if others else None


def with_length(known: Type, shortest: int, longest: int | None) -> Type:
    """The type with other bounds of its length."""
    return replace(known, options=None, shortest=shortest, longest=longest)
