"""What operators and functions give when only the types of their operands are known."""

from typing import Any

from jovial_scaffold.core.expressions.errors import EvaluationError
from jovial_scaffold.core.expressions.library.entries import Function
from jovial_scaffold.core.expressions.types import ANY, STRING, Abstract, Type, joined, settled, with_length
from jovial_scaffold.core.expressions.values import Optional
from jovial_scaffold.core.records import replace
from jovial_scaffold.core.words import NOTHING, say

NUMBERS = ("int", "uint", "double")
_ADDITIONS = {("string", "string"): "string", ("bytes", "bytes"): "bytes", ("list", "list"): "list", ("timestamp", "duration"): "timestamp",
              ("duration", "timestamp"): "timestamp", ("duration", "duration"): "duration"}  # fmt: skip
_SUBTRACTIONS = {("timestamp", "timestamp"): "duration", ("timestamp", "duration"): "timestamp", ("duration", "duration"): "duration"}


def result_kinds(operator: str, left: Type, right: Type) -> frozenset[str]:
    table = {(kind, kind): kind for kind in (NUMBERS if operator != "%" else ("int", "uint"))}
    table |= _ADDITIONS if operator == "+" else (_SUBTRACTIONS if operator == "-" else {})
    return frozenset(gives for (a, b), gives in table.items() if left.may_be(a) and right.may_be(b))


def arithmetic(operator: str, left: Type, right: Type, kinds: frozenset[str]) -> Type:
    low = high = None
    bounds = (left.low, left.high, right.low, right.high)
    if kinds <= {"int", "double", "uint"}:
        if operator == "+":
            low, high = _sum(left.low, right.low), _sum(left.high, right.high)
        elif operator == "-":
            low, high = _difference(left.low, right.high), _difference(left.high, right.low)
        elif operator == "*" and None not in bounds:
            corners = [a * b for a in (left.low, left.high) for b in (right.low, right.high) if a is not None and b is not None]
            low, high = min(corners), max(corners)
        elif operator == "%":
            low, high = _remainder(left, right)
    known = Type(kinds, low=low, high=high)
    if operator == "+" and kinds <= {"string", "list", "bytes"}:
        longest = left.longest + right.longest if left.longest is not None and right.longest is not None else None
        known = with_length(known, left.shortest + right.shortest, longest)
        if kinds == {"list"}:
            known = replace(known, items=joined([left.items or ANY, right.items or ANY]))
    return known


def _sum(a: float | None, b: float | None) -> float | None:
    return None if a is None or b is None else a + b


def _difference(a: float | None, b: float | None) -> float | None:
    return None if a is None or b is None else a - b


def _remainder(left: Type, right: Type) -> tuple[float | None, float | None]:
    """The bounds of what is left of a division, which has the sign of what is divided."""
    if right.low is None or right.high is None:
        return (0 if left.low is not None and left.low >= 0 else None), (0 if left.high is not None and left.high <= 0 else None)
    most = max(abs(right.low), abs(right.high), 1) - 1
    low = 0 if left.low is not None and left.low >= 0 else -most if left.low is None else max(-most, left.low)
    high = 0 if left.high is not None and left.high <= 0 else most if left.high is None else min(most, left.high)
    return low, high


def ranges_apart(a: Type, b: Type) -> bool:
    return (a.high is not None and b.low is not None and a.high < b.low) or (a.low is not None and b.high is not None and a.low > b.high)


def lengths_apart(a: Type, b: Type) -> bool:
    return (a.longest is not None and a.longest < b.shortest) or (b.longest is not None and b.longest < a.shortest)


def mismatch_of_types(operator: str, left: Type, right: Type) -> EvaluationError:
    hint = NOTHING
    if left.is_only(*NUMBERS) and right.is_only(*NUMBERS):
        hint = say("Numbers of two types do not mix: write double(…) or int(…) around one of them.")
    elif operator == "+" and (left.is_only("string") or right.is_only("string")):
        hint = say("Write string(…) around what is no text, or put it into a text with ${…}.")
    return EvaluationError(say("`{}` does not take {} and {}.", operator, left.text(), right.text()), hint=hint, id="type-mismatch")


def may_fit(takes: tuple[str, ...], types: list[Type]) -> bool:
    if takes == ("any...",):
        return bool(types)
    return len(takes) == len(types) and all(want == "any" or known.may_be(want) for want, known in zip(takes, types, strict=True))


def _as_text(known: Type) -> Type:
    """What `string()` makes of a value of a type: a text is itself, an integer has as many digits as its bounds."""
    if known.is_only("string"):
        return known
    if known.is_only("int", "uint") and known.low is not None and known.high is not None:
        digits = [len(str(int(bound))) for bound in (known.low, known.high)]
        return Type(frozenset(("string",)), shortest=1 if known.low <= 0 <= known.high else min(digits), longest=max(digits))
    return STRING


def result_of_call(function: Function, arguments: list[Any], types: list[Type], gives: set[str]) -> Any:
    if function.name == "dyn":
        return arguments[0]
    if function.name == "string":
        return settled(_as_text(types[0]))
    if function.name == "size":
        return (
            settled(Type(frozenset(("int",)), low=types[0].shortest, high=types[0].longest))
            if types[0].longest != types[0].shortest
            else types[0].shortest
        )
    if function.name == "orValue":
        return settled(joined([types[0].items or ANY, types[1]]))
    if function.name in ("value", "optional.of"):
        held = types[0] if function.name == "optional.of" else (types[0].items or ANY)
        return Optional(arguments[0]) if function.name == "optional.of" else settled(held)
    if function.name in ("slug", "digest") and type(arguments[1]) is int:
        return Abstract(Type(frozenset(("string",)), shortest=1 if function.name == "slug" else arguments[1], longest=arguments[1]))
    if function.name in ("slice", "distinct", "sort", "reverse") and gives == {"list"}:
        shortest, longest = types[0].shortest, types[0].longest
        if function.name == "distinct":
            shortest = min(shortest, 1)
        if function.name == "slice":
            ends = arguments[1:3]
            shortest, longest = (ends[1] - ends[0],) * 2 if all(type(each) is int for each in ends) and ends[1] >= ends[0] else (0, longest)
        return Abstract(Type(frozenset(("list",)), shortest=shortest, longest=longest, items=types[0].items))
    if function.name in ("first", "last"):
        return Abstract(Type(frozenset(("optional_type",)), items=types[0].items or ANY))
    if function.name == "carve":
        return Abstract(Type(frozenset(("string",)), format="cidr"))
    if "any" in gives:
        return Abstract(ANY)
    if gives == {"list"} and function.name in ("split", "regex.extractAll"):
        return Abstract(Type(frozenset(("list",)), items=STRING))
    return Abstract(Type(frozenset(gives)))
