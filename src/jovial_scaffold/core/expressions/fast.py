"""What generated code calls: the operators and functions for plain values of the usual types, each right or raising.

`NotPlain` means "ask the careful evaluator": the operands are marks, records, optionals, or of types that rarely meet.
"""

import operator
from collections.abc import Callable, Sequence
from functools import cache
from typing import Any, Final

from jovial_scaffold.core.expressions.errors import BudgetError
from jovial_scaffold.core.expressions.functions import call
from jovial_scaffold.core.expressions.library.entries import Function
from jovial_scaffold.core.expressions.library.strings import join, scalar_text
from jovial_scaffold.core.expressions.operators import BINARY
from jovial_scaffold.core.expressions.times import Duration, Timestamp
from jovial_scaffold.core.expressions.values import NONE, Optional, TypeValue, UInt, deep_marks, equal
from jovial_scaffold.core.limits import LOOP_ROUNDS, RUN_ROUNDS
from jovial_scaffold.core.meter import Meter
from jovial_scaffold.core.words import Amount, say


class NotPlain(Exception):
    """The careful evaluator is to decide."""


_SAME_ORDER: Final = frozenset((int, str, float))
_TYPES: Final = {
    "bool": bool,
    "int": int,
    "uint": UInt,
    "double": float,
    "string": str,
    "bytes": bytes,
    "list": list,
    "map": dict,
    "null_type": type(None),
    "timestamp": Timestamp,
    "duration": Duration,
    "optional_type": Optional,
    "type": TypeValue,
}


def not_plain() -> Any:
    """Always raises: what was found is not what generated code knows."""
    raise NotPlain


def equals(a: Any, b: Any) -> bool:
    """`==`. Marks raise by themselves when they are compared."""
    kind = type(a)
    if kind is str and type(b) is str:
        return bool(a == b)
    return equal(a, b) if a == b else False


def differs(a: Any, b: Any) -> bool:
    """`!=`."""
    return not equals(a, b)


def contains(item: Any, container: Any) -> bool:
    """`in`, for a text in a list or among the keys of a map."""
    if type(item) is str:
        kind = type(container)
        if kind is list or kind is dict:
            return item in container
    elif type(item) is int and type(container) is list:
        # Python takes true for 1 and false for 0; any other integer it finds as the language does.
        return item in container if item not in (0, 1) else any(equal(item, other) for other in container)
    raise NotPlain


class Spent:
    """The rounds that one evaluation has taken, and the meter of the run that they count for."""

    __slots__ = ("meter", "rounds")

    def __init__(self, meter: Meter | None) -> None:
        self.rounds = 0
        self.meter = meter


def begun(names: Any) -> Spent:
    """The count of an evaluation that begins; the names know the meter of their run, where there is one."""
    return Spent(getattr(names, "meter", None))


def contains_in_loop(item: Any, container: Any, spent: Spent) -> bool:
    """`in` inside of a loop, where looking through a long list counts."""
    if type(container) is list:
        _spend(len(container) // 16, spent)
    return contains(item, container)


def counted(made: Any, spent: Spent) -> Any:
    """A list that a function made inside of a loop: its length counts."""
    _spend(len(made) // 16, spent)
    return made


def _ordering(sign: str, test: Callable[[Any, Any], bool]) -> Callable[[Any, Any], bool]:
    careful = BINARY[sign]

    def compare(a: Any, b: Any) -> bool:
        kind = type(a)
        if kind is type(b) and kind in _SAME_ORDER:
            return test(a, b)
        if kind not in _SAME_ORDER or type(b) not in _SAME_ORDER:
            raise NotPlain  # marks are many where much is wrong, and an error is dear
        return bool(careful(a, b))

    return compare


ORDER: Final = {
    "<": _ordering("<", operator.lt),
    "<=": _ordering("<=", operator.le),
    ">": _ordering(">", operator.gt),
    ">=": _ordering(">=", operator.ge),
}


def optional_field(whole: Any, field: str) -> Optional:
    """`whole.?field` of a map."""
    if type(whole) is dict:
        return Optional(whole[field]) if field in whole else NONE
    raise NotPlain


def field_or(whole: Any, field: str, default: Any) -> Any:
    """`whole.?field.orValue(default)` of a map."""
    if type(whole) is dict:
        return whole.get(field, default)
    raise NotPlain


def index(whole: Any, key: Any) -> Any:
    """`whole[key]` of a map by a text, or of a list by an integer."""
    if type(whole) is dict:
        if type(key) is str:
            return whole[key]
    elif type(whole) is list and type(key) is int and key >= 0:
        return whole[key]
    raise NotPlain


def run_over() -> BudgetError:
    """The error of an evaluation that the run has no rounds left for."""
    message = say("All expressions together take more than {} {}, and this one is left out.", Amount(RUN_ROUNDS.most), RUN_ROUNDS.unit)
    return BudgetError(message, hint=say("Loop over fewer items, or name the value that is computed many times."), id=RUN_ROUNDS.finding)


def _spend(rounds: int, spent: Spent) -> None:
    spent.rounds += rounds
    if spent.meter is not None and not spent.meter.spend(rounds):
        raise run_over()
    if spent.rounds > LOOP_ROUNDS.most:
        raise BudgetError(
            say("The evaluation takes more than {} {}.", Amount(LOOP_ROUNDS.most), LOOP_ROUNDS.unit), hint=say("Loop over fewer items.")
        )


def items(whole: Any, spent: Spent) -> Sequence[Any]:
    """What a macro with one variable goes over: items of a list, or keys of a map in order."""
    _spend(len(whole), spent)
    if type(whole) is list:
        return whole
    if type(whole) is dict:
        return sorted(whole)  # keys that are not all of one type raise
    raise NotPlain


def pairs(whole: Any, spent: Spent) -> Sequence[tuple[Any, Any]]:
    """What a macro with two variables goes over."""
    _spend(len(whole), spent)
    if type(whole) is list:
        return list(enumerate(whole))
    if type(whole) is dict:
        return sorted(whole.items(), key=operator.itemgetter(0))
    raise NotPlain


def exactly_one(tests: list[bool]) -> bool:
    """Whether one test holds and all others do not."""
    return tests.count(True) == 1


def _size(value: Any) -> int:
    kind = type(value)
    if kind is list or kind is str or kind is dict or kind is bytes:
        return len(value)
    raise NotPlain


def _string(value: Any) -> str:
    kind = type(value)
    if kind is int or kind is str or kind is bool or kind is float:
        return scalar_text(value)
    raise NotPlain


def _join(parts: Any, separator: str) -> str:
    if type(parts) is list and type(separator) is str:
        return join(parts, separator)
    raise NotPlain


# name, whether a method, number of operands; Python's own methods of texts raise for anything that is none
DIRECT: Final[dict[tuple[str, bool, int], Callable[..., Any]]] = {
    ("size", False, 1): _size,
    ("size", True, 1): _size,
    ("string", False, 1): _string,
    ("join", True, 2): _join,
    ("startsWith", True, 2): str.startswith,
    ("endsWith", True, 2): str.endswith,
    ("contains", True, 2): str.__contains__,
}


@cache
def dispatcher(function: Function) -> Callable[..., Any]:
    """The function with its overload chosen by the exact types of its operands; others raise."""
    if any("any" in each or each == "any..." for overload in function.overloads for each in overload.takes):
        return lambda *operands: _generic(function, operands)
    table = {tuple(_TYPES[each] for each in overload.takes): overload.run for overload in function.overloads}
    counts = {len(types) for types in table}
    if counts == {1}:
        single = {types[0]: run for types, run in table.items()}
        return lambda a: single[type(a)](_unmarked(a))
    if counts == {2}:
        return lambda a, b: table[type(a), type(b)](_unmarked(a), _unmarked(b))
    return lambda *operands: table[tuple(map(type, operands))](*map(_unmarked, operands))


def _unmarked(value: Any) -> Any:
    """A value in which nothing is secret, pending or unknown: of others the careful evaluator says what comes of them."""
    if type(value) in _CONTAINERS and any(deep_marks(value)):
        raise NotPlain
    return value


_CONTAINERS = frozenset((list, dict, Optional))


_PLAIN_TYPES = frozenset(_TYPES.values())


def _generic(function: Function, operands: tuple[Any, ...]) -> Any:
    if all(type(operand) in _PLAIN_TYPES for operand in operands):
        return call(function, [_unmarked(operand) for operand in operands])
    raise NotPlain
