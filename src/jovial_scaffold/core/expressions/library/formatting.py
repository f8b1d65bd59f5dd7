"""`format` and `strings.quote` of CEL's public strings extension (version 4)."""

import math
import re
from collections.abc import Callable
from typing import Any

from jovial_scaffold.core.expressions.errors import EvaluationError
from jovial_scaffold.core.expressions.library.strings import scalar_text
from jovial_scaffold.core.expressions.operators import bounded
from jovial_scaffold.core.expressions.times import Duration, Timestamp
from jovial_scaffold.core.expressions.values import TypeValue, UInt, key_value, type_name
from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.words import Amount, Derived, Value, say

_CLAUSE = regex(r"%(?:%|(?:\.(\d{1,9}))?([a-zA-Z])|.?)", re.DOTALL)
_ESCAPES = {"\a": "\\a", "\b": "\\b", "\f": "\\f", "\n": "\\n", "\r": "\\r", "\t": "\\t", "\v": "\\v", "\\": "\\\\", '"': '\\"'}
_DEFAULT_PRECISION = 6
_MOST_PRECISION = 1000


def quoted(text: str) -> str:
    """A text in double quotes with its control characters escaped."""
    return '"' + "".join(_ESCAPES.get(char, char) for char in text) + '"'


def formatted(template: str, arguments: list[Any]) -> str:
    """The template with each clause replaced by its argument. Raises EvaluationError."""
    parts: list[str] = []
    at = used = 0
    for match in _CLAUSE.finditer(template):
        parts.append(template[at : match.start()])
        at = match.end()
        if match.group() == "%%":
            parts.append("%")
            continue
        verb = match[2]
        if verb is None or verb not in _VERBS:
            raise EvaluationError(
                say("`{}` is no clause of format().", Derived(match.group())), hint=say("Clauses are %s %d %f %e %b %o %x %X and %%.")
            )
        if used >= len(arguments):
            raise EvaluationError(say("format() has more clauses than its {} values.", len(arguments)))
        precision = int(match[1]) if match[1] else _DEFAULT_PRECISION
        if precision > _MOST_PRECISION:
            raise EvaluationError(say("format() gives at most {} decimals.", Amount(_MOST_PRECISION)))
        parts.append(_VERBS[verb](arguments[used], precision))
        used += 1
    parts.append(template[at:])
    return str(bounded("".join(parts)))


def _wrong(verb: str, value: Any) -> EvaluationError:
    return EvaluationError(
        say("`%{}` of format() does not take a value of type {}: {}.", Derived(verb), Derived(type_name(value)), Value(value)),
        id="type-mismatch",
    )


def _special(value: Any) -> str:
    """NaN and infinities in words; nothing for other values."""
    if type(value) is float and not math.isfinite(value):
        return "NaN" if value != value else ("Infinity" if value > 0 else "-Infinity")
    return ""


def _text(value: Any, precision: int = 0) -> str:
    kind = type(value)
    if kind is str:
        return str(value)
    if value is None:
        return "null"
    if kind is float:
        return _special(value) or (scalar_text(value) if abs(value) < 1e21 else format(value, "f").rstrip("0").rstrip("."))
    if kind in (bool, int, UInt):
        return scalar_text(value)
    if kind is bytes:
        return str(value.decode("utf-8", "replace"))
    if kind in (Timestamp, Duration, TypeValue):
        return repr(value)
    if kind is list:
        return f"[{', '.join(map(_text, value))}]"
    if kind is dict:
        entries = sorted((_text(key_value(key)), _text(item)) for key, item in value.items())
        return f"{{{', '.join(f'{key}: {item}' for key, item in entries)}}}"
    raise _wrong("s", value)


def _decimal(value: Any, precision: int) -> str:
    if type(value) in (int, UInt):
        return str(int(value))
    if special := _special(value):
        return special
    raise _wrong("d", value)


def _real(verb: str) -> Callable[[Any, int], str]:
    def run(value: Any, precision: int) -> str:
        if special := _special(value):
            return special
        if type(value) in (float, int, UInt):
            return format(float(value), f".{precision}{verb}")
        raise _wrong(verb, value)

    return run


def _radix(verb: str) -> Callable[[Any, int], str]:
    def run(value: Any, precision: int) -> str:
        if type(value) in (int, UInt):
            return format(int(value), verb)
        if type(value) is bool and verb == "b":
            return "1" if value else "0"
        if type(value) in (str, bytes) and verb in "xX":
            digits = (value.encode() if type(value) is str else value).hex()
            return str(digits.upper() if verb == "X" else digits)
        raise _wrong(verb, value)

    return run


_VERBS: dict[str, Callable[[Any, int], str]] = {
    "s": _text,
    "d": _decimal,
    "f": _real("f"),
    "e": _real("e"),
    **{verb: _radix(verb) for verb in "boxX"},
}
