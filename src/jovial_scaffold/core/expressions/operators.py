"""The operators on plain values, by the CEL language definition (sections "Numeric values", "Equality", "Ordering").

Nothing here knows of marks: `evaluation` takes them off and puts them on again.
"""

import heapq
import math
from collections.abc import Callable
from typing import Any

from jovial_scaffold.core.expressions.errors import BudgetError, EvaluationError
from jovial_scaffold.core.expressions.times import Duration, Timestamp, duration, timestamp
from jovial_scaffold.core.expressions.values import UInt, equal, excess_of, key_value, map_key, type_name
from jovial_scaffold.core.limits import INT64_MAX, INT64_MIN, NESTING, RESULT_SIZE, RESULT_WEIGHT, UINT64_MAX
from jovial_scaffold.core.words import NOTHING, Amount, Derived, Sentence, Value, listed, nearest, say

_NUMERIC = ("int", "uint", "double")
_ORDERED = frozenset(("int", "double", "string", "uint", "bool", "bytes", "timestamp", "duration"))


def _int(result: int) -> int:
    if INT64_MIN <= result <= INT64_MAX:
        return result
    raise EvaluationError(say("The result is outside the 64 bits of an integer."), id="integer-overflow")


def _uint(result: int) -> UInt:
    if 0 <= result <= UINT64_MAX:
        return UInt(result)
    raise EvaluationError(say("The result is outside the 64 bits of an unsigned integer."), id="integer-overflow")


def check_size(length: int) -> None:
    """Refuse a text, bytes, list or map before it is made. Raises BudgetError."""
    if length > RESULT_SIZE.most:
        message = say("The result has more than {} {}.", Amount(RESULT_SIZE.most), RESULT_SIZE.unit)
        raise BudgetError(message, hint=say("Join fewer texts, or loop over fewer items."))


def bounded(result: Any) -> Any:
    """A text, bytes, list or map of bearable size. Raises BudgetError."""
    check_size(len(result))
    return result


def weighed(value: Any) -> Any:
    """A list or map that holds a bearable number of values at all depths, shared parts counted as often as they stand there, and that is
    not nested too deep.

    Raises BudgetError. Parts may be shared, so that a short expression could otherwise make a value of astronomical size.
    """
    excess = excess_of(value, RESULT_WEIGHT.most)
    if excess == "values":
        message = say("The result holds more than {} {}.", Amount(RESULT_WEIGHT.most), RESULT_WEIGHT.unit)
        raise BudgetError(message, hint=say("What is read twice stands there twice: take only the parts that are needed."))
    if excess == "levels":
        message = say("The result is nested deeper than {} {}.", Amount(NESTING.most), NESTING.unit)
        raise BudgetError(
            message, hint=say("Each value that stands inside of another is one level: put them side by side in one list or map.")
        )
    return value


def mismatch(operator: str, a: Any, b: Any) -> EvaluationError:
    """The error of an operator whose operands do not go together, with the conversion that would help."""
    left, right = type_name(a), type_name(b)
    hint = NOTHING
    if left in _NUMERIC and right in _NUMERIC:
        target = "double" if "double" in (left, right) else "int"
        hint = say("Numbers of two types do not mix: write {}(…) around the {}.", target, right if left == target else left)
    elif operator == "+" and "string" in (left, right):
        hint = say("Write string(…) around the {}, or put it into a text with ${…}.", right if left == "string" else left)
    return EvaluationError(
        say("`{}` does not take {} and {}: {} {} {}.", operator, Derived(_a(left)), Derived(_a(right)), Value(a), operator, Value(b)),
        hint=hint,
        id="type-mismatch",
    )


def _a(name: str) -> str:
    return f"an {name}" if name[0] in "aeiou" and name != "uint" else f"a {name}"


def a_type(value: Any) -> str:
    """What type a value has, with the article."""
    return _a(type_name(value))


def no_key(value: Any) -> Sentence:
    """That a map has no such keys."""
    return say("{} cannot be a key of a map: {}.", Derived(a_type(value).capitalize()), Value(value))


def add(a: Any, b: Any) -> Any:
    """Sum of numbers of one type, or concatenation of texts, bytes or lists."""
    kind = type(a)
    if kind is type(b):
        if kind is int:
            return _int(a + b)
        if kind is str or kind is bytes:
            return bounded(a + b)
        if kind is list:
            return weighed(bounded(a + b))
        if kind is float:
            return a + b
        if kind is UInt:
            return _uint(int(a) + int(b))
        if kind is Duration:
            return duration(a.nanos + b.nanos)
    elif (kind is Timestamp and type(b) is Duration) or (kind is Duration and type(b) is Timestamp):
        return timestamp(a.nanos + b.nanos)
    raise mismatch("+", a, b)


def subtract(a: Any, b: Any) -> Any:
    """Difference of numbers of one type."""
    kind = type(a)
    if kind is type(b):
        if kind is int:
            return _int(a - b)
        if kind is float:
            return a - b
        if kind is UInt:
            return _uint(int(a) - int(b))
        if kind is Duration or kind is Timestamp:
            return duration(a.nanos - b.nanos)
    elif kind is Timestamp and type(b) is Duration:
        return timestamp(a.nanos - b.nanos)
    raise mismatch("-", a, b)


def multiply(a: Any, b: Any) -> Any:
    """Product of numbers of one type."""
    kind = type(a)
    if kind is type(b):
        if kind is int:
            return _int(a * b)
        if kind is float:
            return a * b
        if kind is UInt:
            return _uint(int(a) * int(b))
    raise mismatch("*", a, b)


def divide(a: Any, b: Any) -> Any:
    """Quotient; integers are cut towards zero, doubles follow IEEE 754."""
    kind = type(a)
    if kind is not type(b):
        raise mismatch("/", a, b)
    if kind is float:
        if b:
            return a / b
        if a == 0 or a != a:
            return math.nan
        return math.copysign(math.inf, a) * math.copysign(1.0, b)
    if kind is int or kind is UInt:
        if b == 0:
            raise EvaluationError(say("{} is divided by zero.", Value(a)), id="division-by-zero")
        quotient = abs(int(a)) // abs(int(b))
        return _uint(quotient) if kind is UInt else _int(quotient if (a < 0) == (b < 0) else -quotient)
    raise mismatch("/", a, b)


def remainder(a: Any, b: Any) -> Any:
    """Remainder with the sign of the dividend; of integers only."""
    kind = type(a)
    if kind is type(b) and (kind is int or kind is UInt):
        if b == 0:
            raise EvaluationError(say("The remainder of {} by zero is taken.", Value(a)), id="division-by-zero")
        result = abs(int(a)) % abs(int(b))
        return UInt(result) if kind is UInt else (result if a >= 0 else -result)
    raise mismatch("%", a, b)


def negate(a: Any) -> Any:
    """The negative of an int or double."""
    if type(a) is int:
        return _int(-a)
    if type(a) is float:
        return -a
    raise EvaluationError(say("`-` does not take {}: -{}.", Derived(a_type(a)), Value(a)), id="type-mismatch")


def compare(operator: str, test: Callable[[Any, Any], bool]) -> Callable[[Any, Any], bool]:
    """`<` and its like: numbers of any types with each other, and texts, bytes or booleans with their own."""

    def run(a: Any, b: Any) -> bool:
        left, right = type_name(a), type_name(b)
        if left == right and left in _ORDERED:
            return test(a, b)
        if left in _NUMERIC and right in _NUMERIC:
            # An int beside a double is compared as the double nearest to it, as the language defines it.
            return test(float(a), float(b)) if "double" in (left, right) else test(a, b)
        raise mismatch(operator, a, b)

    return run


def contains(item: Any, container: Any) -> bool:
    """`item in container`: an equal item of a list, or a key of a map."""
    if type(container) is list:
        return any(equal(item, other) for other in container)
    if type(container) is dict:
        if type(item) is float:
            return item.is_integer() and int(item) in container
        try:
            return map_key(item) in container
        except TypeError:
            raise EvaluationError(no_key(item), id="type-mismatch") from None
    raise EvaluationError(
        say("`in` looks into a list or map, and this is {}: {}.", Derived(a_type(container)), Value(container)), id="type-mismatch"
    )


def index(container: Any, key: Any) -> Any:
    """`container[key]`. Raises EvaluationError where there is no such item, and names what there is."""
    if type(container) is list:
        position = _position(key)
        if 0 <= position < len(container):
            return container[position]
        last = say("they go from 0 to {}", len(container) - 1) if container else say("the list is empty")
        raise EvaluationError(say("The list has no item {}; {}.", position, last), id="index-range")
    if type(container) is dict:
        if type(key) is float and not key.is_integer():
            raise missing_key(key, container)
        try:
            return container[map_key(key)]
        except KeyError:
            raise missing_key(key, container) from None
        except (TypeError, ValueError, OverflowError):
            raise EvaluationError(no_key(key), id="type-mismatch") from None
    raise EvaluationError(
        say("`[…]` needs a list or map, and this is {}: {}.", Derived(a_type(container)), Value(container)), id="type-mismatch"
    )


def _position(key: Any) -> int:
    if type(key) is int or type(key) is UInt:
        return int(key)
    if type(key) is float and key.is_integer():
        return int(key)
    raise EvaluationError(
        say("An item of a list is chosen by an int, and this is {}: {}.", Derived(a_type(key)), Value(key)), id="type-mismatch"
    )


def missing_key(key: Any, container: Any) -> EvaluationError:
    """The error of a key that is not there, with the keys that are."""
    first = heapq.nsmallest(9, (str(key_value(known)) for known in container))
    has = say("it has {}", listed(first, most=8)) if first else say("it is empty")
    hint = nearest(str(key), map(str, container), say("Add it, or read it with .?name or [?key] where it may be missing."))
    return EvaluationError(say("The map has no entry {}; {}.", Value(key), has), hint=hint, id="key-missing")


BINARY: dict[str, Callable[[Any, Any], Any]] = {
    "+": add,
    "-": subtract,
    "*": multiply,
    "/": divide,
    "%": remainder,
    "==": equal,
    "!=": lambda a, b: not equal(a, b),
    "<": compare("<", lambda a, b: a < b),
    "<=": compare("<=", lambda a, b: a <= b),
    ">": compare(">", lambda a, b: b < a),
    ">=": compare(">=", lambda a, b: b <= a),
    "in": contains,
}
