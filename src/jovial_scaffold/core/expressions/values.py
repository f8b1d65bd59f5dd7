"""The values of the language: plain Python data, and small classes for what Python lacks.

int is `int` (64 bits, checked), uint is `UInt`, double is `float`, string is `str`, bytes is `bytes`, bool is `bool`, null is
`None`, list is `list`, map is `dict`. Pending, secret and unknown are marks around or instead of a value.
"""

from collections.abc import Iterable
from enum import Enum
from typing import Any, Final

from jovial_scaffold.core import marks
from jovial_scaffold.core.expressions.pending import MarkCompared, Pending
from jovial_scaffold.core.limits import NESTING
from jovial_scaffold.core.text.unknown import UNKNOWN


class UInt(int):
    """An unsigned 64-bit integer."""

    __slots__ = ()


class BoolKey:
    """A boolean as a key of a map: Python's dict would take `true` and `1` for the same key."""

    __slots__ = ("value",)

    def __init__(self, value: bool) -> None:
        self.value = value

    def __repr__(self) -> str:
        return "true" if self.value else "false"


TRUE_KEY: Final = BoolKey(True)
FALSE_KEY: Final = BoolKey(False)


class Secret:
    """A value that no output may show. Its text form never holds the value."""

    __slots__ = ("value",)

    def __init__(self, value: Any) -> None:
        self.value = value

    def __repr__(self) -> str:
        return marks.SECRET

    def __eq__(self, other: object) -> bool:
        raise MarkCompared

    __hash__ = None  # type: ignore[assignment]  # what cannot be compared cannot be a key


class _Unseen(Enum):
    """What a secret holds of which nobody here knows the value; one in every process."""

    UNSEEN = "unseen"


UNSEEN: Final = _Unseen.UNSEEN


class Optional:
    """An optional value (CEL's optional types); `NONE` is the empty one."""

    __slots__ = ("value",)

    def __init__(self, value: Any) -> None:
        self.value = value

    def __eq__(self, other: object) -> bool:
        raise MarkCompared  # `equal` knows how

    __hash__ = None  # type: ignore[assignment]  # what cannot be compared cannot be a key

    def __repr__(self) -> str:
        return "optional.none()" if self is NONE else f"optional.of({self.value!r})"


NONE: Final = Optional(None)


class TypeValue:
    """A type as a value, as `type(x)` gives it."""

    __slots__ = ("name",)

    def __init__(self, name: str) -> None:
        self.name = name

    def __repr__(self) -> str:
        return self.name

    def __eq__(self, other: object) -> bool:
        return isinstance(other, TypeValue) and self.name == other.name

    def __hash__(self) -> int:
        return hash(self.name)


class Record:
    """A thing with fields that are found on demand, such as a resource; `select` may return a mark or raise EvaluationError."""

    __slots__ = ()
    type_name = "map"
    there = True  #: whether it is there at all: a resource whose `$when` is false is not

    def __eq__(self, other: object) -> bool:
        raise MarkCompared

    __hash__ = None  # type: ignore[assignment]  # what cannot be compared cannot be a key

    def __getitem__(self, field: str) -> Any:
        return self.select(field)

    def __repr__(self) -> str:
        """What people call it: it may stand in a message."""
        raise NotImplementedError

    def select(self, field: str) -> Any:
        """The value of a field. Raises EvaluationError where there is none."""
        raise NotImplementedError

    def has(self, field: str) -> Any:
        """Whether the field is there: a boolean, or a mark."""
        raise NotImplementedError

    def whole(self) -> Any:
        """The record as a map."""
        raise NotImplementedError


_TYPE_NAMES: dict[type, str] = {
    bool: "bool",
    int: "int",
    UInt: "uint",
    float: "double",
    str: "string",
    bytes: "bytes",
    list: "list",
    dict: "map",
    type(None): "null_type",
    Optional: "optional_type",
    TypeValue: "type",
}


def type_name(value: Any) -> str:
    """The CEL name of a value's type."""
    name = _TYPE_NAMES.get(type(value))
    return name if name is not None else getattr(value, "type_name", type(value).__name__)


_UNMARKED = frozenset((str, int, bool, float, type(None)))


def deep_marks(value: Any) -> tuple[frozenset[str], bool, bool]:
    """The origins of pending values inside, whether a secret is inside, and whether an unknown is."""
    if type(value) is dict:
        items: Iterable[Any] = value.values()
    elif type(value) is list:
        items = value
    elif isinstance(value, Pending):
        return value.origins, False, False
    elif isinstance(value, Secret):
        origins, _, unknown = deep_marks(value.value)
        return origins, True, unknown
    elif value is UNKNOWN:
        return frozenset(), False, True
    elif type(value) is Optional:
        return deep_marks(value.value)
    else:
        return frozenset(), False, False
    all_origins: frozenset[str] = frozenset()
    secret = unknown = False
    if _UNMARKED.issuperset(map(type, items)):
        return all_origins, False, False
    for item in items:
        kind = type(item)
        if kind is str or kind is int or kind is bool:
            continue
        more, has_secret, has_unknown = deep_marks(item)
        all_origins |= more
        secret, unknown = secret or has_secret, unknown or has_unknown
    return all_origins, secret, unknown


_DEEP = frozenset((list, dict, Secret, Optional))


def is_bearable(value: Any, most: int) -> bool:
    """Whether a value holds at most so many others at all depths, and is not nested too deep."""
    return not excess_of(value, most)


def excess_of(value: Any, most: int) -> str:
    """Of what a value holds too much: `values` at all depths, where shared parts count as often as they stand there, or `levels`; nothing
    of one that is bearable. It takes no longer than looking at `most` values."""
    level, weight = _deep_parts((value,)), 0
    for _ in range(NESTING.most + 1):
        if not level:
            return ""
        weight += sum(map(len, level))
        if weight > most:
            return "values"
        level = [part for each in level for part in _deep_parts(each.values() if type(each) is dict else each)]
    return "levels"


def _deep_parts(values: Iterable[Any]) -> list[Any]:
    """The lists and maps among some values, those that are secret or optional too."""
    parts = [part for part in values if type(part) in _DEEP]
    return [each for each in map(_bare, parts) if type(each) is list or type(each) is dict] if parts else parts


def _bare(value: Any) -> Any:
    while type(value) is Secret or (type(value) is Optional and value is not NONE):
        value = value.value
    return value


def is_mark(value: Any) -> bool:
    """Whether a value is pending, secret or unknown, and not an ordinary one."""
    return type(value) is Pending or type(value) is Secret or value is UNKNOWN


def has_pending(value: Any, through_secrets: bool = True) -> bool:
    """Whether something pending stands in a value, at any depth."""
    stack = [value]
    while stack:
        each = stack.pop()
        kind = type(each)
        if kind is Pending:
            return True
        if kind is dict:
            stack.extend(each.values())
        elif kind is list:
            stack.extend(each)
        elif kind is Optional or (kind is Secret and through_secrets):
            stack.append(each.value)
    return False


def revealed(value: Any) -> Any:
    """The value without the secret marks around or inside it. For computing only; the caller marks the result again."""
    if isinstance(value, Secret):
        return revealed(value.value)
    if type(value) is dict:
        return {key: revealed(item) for key, item in value.items()}
    if type(value) is list:
        return [revealed(item) for item in value]
    if type(value) is Optional and value is not NONE:
        return Optional(revealed(value.value))
    return value


def equal(a: Any, b: Any) -> bool:
    """CEL's equality: numbers compare across types, other types are never equal to each other, NaN is unequal to itself."""
    kind, other = type(a), type(b)
    if kind is other:
        if kind is list:
            return len(a) == len(b) and all(map(equal, a, b))
        if kind is dict:
            return len(a) == len(b) and all(key in b and equal(item, b[key]) for key, item in a.items())
        if kind is Optional:
            return a is b or (a is not NONE and b is not NONE and equal(a.value, b.value))
        return bool(a == b)
    if kind in _NUMBERS and other in _NUMBERS:
        return bool(a == b)
    return False


_NUMBERS = frozenset((int, UInt, float))


def map_key(key: Any) -> Any:
    """A key as the dict behind a map stores it. Raises TypeError for what cannot be a key."""
    kind = type(key)
    if kind is str or kind is int or kind is UInt:
        return key
    if kind is bool:
        return TRUE_KEY if key else FALSE_KEY
    if kind is float and key == int(key):
        return int(key)
    raise TypeError(key)


def key_value(key: Any) -> Any:
    """The value of a key that a dict stores."""
    return key.value if type(key) is BoolKey else key


def sorted_keys(target: dict[Any, Any]) -> list[Any]:
    """Keys in code-point order, so that the order in a file never matters."""
    return sorted(target, key=lambda key: (type_name(key), str(key)) if type(key) is not int else ("int", f"{key:+021d}"))
