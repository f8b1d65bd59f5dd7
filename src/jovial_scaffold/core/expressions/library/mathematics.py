"""CEL's public math extension (version 2)."""

import math
from collections.abc import Callable
from typing import Any

from jovial_scaffold.core.expressions.errors import EvaluationError
from jovial_scaffold.core.expressions.library.entries import GLOBAL, Function, Signature, entry
from jovial_scaffold.core.expressions.values import UInt, type_name
from jovial_scaffold.core.limits import INT64_MIN
from jovial_scaffold.core.words import Value, say

_BITS = 64
_MASK = 2**_BITS - 1
_NUMERIC = frozenset(("int", "uint", "double"))


def _signed(bits: int) -> int:
    bits &= _MASK
    return bits - 2**_BITS if bits >> (_BITS - 1) else bits


def _chosen(choose: Callable[..., Any]) -> Callable[..., Any]:
    def run(*values: Any) -> Any:
        items = values[0] if len(values) == 1 and type(values[0]) is list else values
        if not items:
            raise EvaluationError(say("There is no number among which to choose."))
        for item in items:
            if type_name(item) not in _NUMERIC:
                raise EvaluationError(say("Only numbers can be chosen from, and {} is none.", Value(item)), id="type-mismatch")
        return choose(items, key=float)

    return run


def _absolute(value: Any) -> Any:
    if type(value) is int and value == INT64_MIN:
        raise EvaluationError(say("The result is outside the 64 bits of an integer."), id="integer-overflow")
    return value if type(value) is UInt else abs(value)


def _sign(value: Any) -> Any:
    if value != value:
        return value
    return type(value)((value > 0) - (value < 0))


def _round(value: float) -> float:
    """Halves go away from zero."""
    if not math.isfinite(value):
        return value
    whole = math.floor(abs(value))
    return math.copysign(whole + (abs(value) - whole >= 0.5), value)


def _whole(function: Callable[[float], float]) -> Callable[[float], float]:
    return lambda value: float(function(value)) if math.isfinite(value) else value


def _shift(left: bool) -> Callable[[Any, int], Any]:
    def run(value: Any, count: int) -> Any:
        if count < 0:
            raise EvaluationError(say("A shift goes by at least 0 bits, and {} are asked for.", Value(count)))
        bits = int(value) & _MASK
        bits = 0 if count >= _BITS else (bits << count if left else bits >> count) & _MASK
        return UInt(bits) if type(value) is UInt else _signed(bits)

    return run


def _bitwise(operation: Callable[[int, int], int]) -> tuple[Signature, ...]:
    return (
        ("int int", "int", lambda a, b: _signed(operation(a, b))),
        ("uint uint", "uint", lambda a, b: UInt(operation(int(a), int(b)))),
    )


def _square_root(value: Any) -> float:
    return math.sqrt(value) if value >= 0 else math.nan


def _entry(name: str, about: str, example: str, *overloads: Signature) -> Function:
    return entry("math", f"math.{name}", GLOBAL, about, example, *overloads)


def _doubles(run: Callable[[float], Any], gives: str = "double") -> Signature:
    return ("double", gives, run)


def _numbers(run: Callable[[Any], Any]) -> tuple[Signature, ...]:
    return (("int", "int", run), ("uint", "uint", run), ("double", "double", run))


ENTRIES: tuple[Function, ...] = (
    _entry("greatest", "The greatest of the numbers, or of a list of them.", "math.greatest(1, 2.5, 2) == 2.5", ("any...", "any", _chosen(max))),
    _entry("least", "The least of the numbers, or of a list of them.", "math.least([3, 1, 2]) == 1", ("any...", "any", _chosen(min))),
    _entry("ceil", "The next whole number upwards.", "math.ceil(1.2) == 2.0", _doubles(_whole(math.ceil))),
    _entry("floor", "The next whole number downwards.", "math.floor(1.8) == 1.0", _doubles(_whole(math.floor))),
    _entry("round", "The nearest whole number; halves go away from zero.", "math.round(-1.5) == -2.0", _doubles(_round)),
    _entry("trunc", "The number without its fraction.", "math.trunc(-1.8) == -1.0", _doubles(_whole(math.trunc))),
    _entry("abs", "The number without its sign.", "math.abs(-3) == 3", *_numbers(_absolute)),
    _entry("sign", "-1, 0 or 1.", "math.sign(-3.5) == -1.0", *_numbers(_sign)),
    _entry("sqrt", "The square root; NaN of a negative number.", "math.sqrt(9) == 3.0",
           ("int", "double", _square_root), ("uint", "double", _square_root), ("double", "double", _square_root)),
    _entry("isNaN", "Whether a double is not a number.", "math.isNaN(0.0 / 0.0)", _doubles(math.isnan, "bool")),
    _entry("isInf", "Whether a double is infinite.", "math.isInf(1.0 / 0.0)", _doubles(math.isinf, "bool")),
    _entry("isFinite", "Whether a double is neither infinite nor NaN.", "math.isFinite(1.5)", _doubles(math.isfinite, "bool")),
    _entry("bitAnd", "The bits that both have.", "math.bitAnd(6, 3) == 2", *_bitwise(lambda a, b: a & b)),
    _entry("bitOr", "The bits that either has.", "math.bitOr(4, 1) == 5", *_bitwise(lambda a, b: a | b)),
    _entry("bitXor", "The bits that only one has.", "math.bitXor(6, 3) == 5", *_bitwise(lambda a, b: a ^ b)),
    _entry("bitNot", "The bits that it has not.", "math.bitNot(0) == -1",
           ("int", "int", lambda a: ~a), ("uint", "uint", lambda a: UInt(~int(a) & _MASK))),
    _entry("bitShiftLeft", "The bits moved to the left.", "math.bitShiftLeft(1, 4) == 16", ("int int", "int", _shift(True)), ("uint int", "uint", _shift(True))),
    _entry("bitShiftRight", "The bits moved to the right, zeros coming in.", "math.bitShiftRight(16, 4) == 1",
           ("int int", "int", _shift(False)), ("uint int", "uint", _shift(False))),
)  # fmt: skip
