"""Plain text to values as the YAML 1.2.2 core schema (chapter 10.3) reads it, and no other way.

`no`, `on`, `1:20` and `2026-11-23` are text; `012` is the integer 12.
"""

from typing import Any

from jovial_scaffold.core.limits import INT64_MAX, INT64_MIN, INTEGER_DIGITS
from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.words import Sentence, say

WORDS: dict[str, Any] = {
    **dict.fromkeys(("", "~", "null", "Null", "NULL")),
    **dict.fromkeys(("true", "True", "TRUE"), True),
    **dict.fromkeys(("false", "False", "FALSE"), False),
    **dict.fromkeys((".inf", ".Inf", ".INF", "+.inf", "+.Inf", "+.INF"), float("inf")),
    **dict.fromkeys(("-.inf", "-.Inf", "-.INF"), float("-inf")),
    **dict.fromkeys((".nan", ".NaN", ".NAN"), float("nan")),
}
NUMBER_START = frozenset("0123456789+-.")
_INTEGER = regex(r"[-+]?[0-9]+\Z")
_FLOAT = regex(r"[-+]?(?:\.[0-9]+|[0-9]+(?:\.[0-9]*)?)(?:[eE][-+]?[0-9]+)?\Z")
_RADIX = regex(r"0(?:o(?P<octal>[0-7]+)|x(?P<hex>[0-9a-fA-F]+))\Z")


class NumberRangeError(ValueError):
    """An integer outside 64 bits, or a float outside a double."""


def core_schema_value(text: str) -> Any:
    """The value of a plain scalar. Raises NumberRangeError."""
    if text in WORDS:
        return WORDS[text]
    if text[0] not in NUMBER_START:
        return text
    if _INTEGER.match(text):
        return bounded_integer(text)
    if _FLOAT.match(text):
        return bounded_float(text)
    radix = _RADIX.match(text)
    if radix:
        digits, base = (radix["octal"], 8) if radix["octal"] else (radix["hex"], 16)
        return bounded_integer(digits, base)
    return text


def bounded_integer(digits: str, base: int = 10) -> int:
    """An integer within 64 bits. Raises NumberRangeError before a number of absurd length is even read."""
    if len(digits) > INTEGER_DIGITS.most:
        raise NumberRangeError(digits)
    number = int(digits, base)
    if not INT64_MIN <= number <= INT64_MAX:
        raise NumberRangeError(digits)
    return number


def bounded_float(digits: str) -> float:
    """A finite double. Raises NumberRangeError where the text is too large for one."""
    number = float(digits)
    if number in (float("inf"), float("-inf")):
        raise NumberRangeError(digits)
    return number


def quoted(value: str) -> str:
    """A text in quotes as YAML reads it, with as little escaped as possible."""
    if '"' in value and "'" not in value:
        return f"'{value}'"
    escaped = value.replace("\\", "\\\\").replace('"', '\\"')
    return f'"{escaped}"'


def quote_hint(entry: str) -> Sentence:
    """What to write instead of a value that YAML cuts."""
    return say("Put the whole value in quotes: `{}`", entry)
