"""The functions of the CEL language definition (section "List of Standard Definitions")."""

from typing import Any

from jovial_scaffold.core.expressions import times
from jovial_scaffold.core.expressions.errors import EvaluationError
from jovial_scaffold.core.expressions.library import strings
from jovial_scaffold.core.expressions.library.entries import GLOBAL, METHOD, Function, Signature, entry
from jovial_scaffold.core.expressions.values import TypeValue, UInt, type_name
from jovial_scaffold.core.limits import INT64_MAX, INT64_MIN, UINT64_MAX
from jovial_scaffold.core.words import Value, say

_NANO = 1_000_000_000
_OFFICIAL = {"timestamp": "google.protobuf.Timestamp", "duration": "google.protobuf.Duration"}


def _out_of_range(value: Any, target: str) -> EvaluationError:
    return EvaluationError(say("{} does not fit into {}.", Value(value), target), id="conversion-fails")


def to_int(value: Any) -> int:
    """int(x): truncates a double, reads a decimal text, counts a timestamp's seconds."""
    if type(value) is float:
        if not -9223372036854775808.0 < value < 9223372036854775808.0:
            raise _out_of_range(value, "an int")
        return int(value)
    if type(value) is str:
        if not strings.INTEGER.match(value):
            raise EvaluationError(say("The text {} is not an integer.", Value(value)), id="conversion-fails")
        value = int(value)
    elif type(value) is times.Timestamp:
        value = value.nanos // _NANO
    if not INT64_MIN <= value <= INT64_MAX:
        raise _out_of_range(value, "an int")
    return int(value)


def to_uint(value: Any) -> UInt:
    """uint(x): truncates a double, reads a decimal text."""
    if type(value) is float:
        if not -1.0 < value < 18446744073709551616.0:
            raise _out_of_range(value, "a uint")
        return UInt(int(value))
    if type(value) is str:
        if not strings.INTEGER.match(value):
            raise EvaluationError(say("The text {} is not an integer.", Value(value)), id="conversion-fails")
        value = int(value)
    if not 0 <= value <= UINT64_MAX:
        raise _out_of_range(value, "a uint")
    return UInt(value)


def to_double(value: Any) -> float:
    """double(x)."""
    if type(value) is str and not strings.NUMBER.match(value):
        raise EvaluationError(say("The text {} is not a number.", Value(value)), id="conversion-fails")
    return float(value)


def to_bool(value: Any) -> bool:
    """bool(x): reads 1, t, true, TRUE, True and their opposites."""
    if type(value) is bool:
        return value
    if value in ("1", "t", "true", "TRUE", "True"):
        return True
    if value in ("0", "f", "false", "FALSE", "False"):
        return False
    raise EvaluationError(say("The text {} is not a boolean.", Value(value)), id="conversion-fails")


def to_string(value: Any) -> str:
    """string(x)."""
    if type(value) is bytes:
        try:
            return value.decode("utf-8")
        except UnicodeDecodeError:
            raise EvaluationError(say("The bytes are not UTF-8 text."), id="conversion-fails") from None
    if isinstance(value, times.Timestamp | times.Duration):
        return repr(value)
    return strings.scalar_text(value)


def type_of(value: Any) -> TypeValue:
    """type(x)."""
    name = type_name(value)
    return TypeValue(_OFFICIAL.get(name, name))


def _length(value: Any) -> int:
    return len(value)


def _from_seconds(value: int) -> times.Timestamp:
    return times.timestamp(value * _NANO)


def _same(value: Any) -> Any:
    return value


def _entry(name: str, method: bool, about: str, example: str, *overloads: Signature, shallow: bool = False, cost: int = 1) -> Function:
    return entry("standard", name, method, about, example, *overloads, shallow=shallow, cost=cost)


_SIZES: tuple[Signature, ...] = (("string", "int", _length), ("bytes", "int", _length), ("list", "int", _length), ("map", "int", _length))
_ABOUT_SIZE = "Length of a text in characters, of bytes, of a list or of a map."
_PART_ABOUT = {
    "getFullYear": ("year", 2026),
    "getMonth": ("month (from 0)", 10),
    "getDate": ("day of the month (from 1)", 23),
    "getDayOfMonth": ("day of the month (from 0)", 22),
    "getDayOfWeek": ("day of the week (0 is Sunday)", 1),
    "getDayOfYear": ("day of the year (from 0)", 326),
    "getHours": ("hours", 6),
    "getMinutes": ("minutes", 20),
    "getSeconds": ("seconds", 5),
    "getMilliseconds": ("milliseconds", 0),
}


def _parts() -> list[Function]:
    found = []
    for name, (what, value) in _PART_ABOUT.items():
        read = times.accessor(name)
        overloads: list[Signature] = [("timestamp", "int", read), ("timestamp string", "int", read)]
        if name in times.DURATION_PARTS:
            overloads.append(("duration", "int", times.DURATION_PARTS[name]))
        about = f"The {what} of a moment in UTC, or in a zone that is named{'; of a duration' if name in times.DURATION_PARTS else ''}."
        found.append(_entry(name, METHOD, about, f"timestamp('2026-11-23T06:20:05Z').{name}() == {value}", *overloads))
    return found


ENTRIES: tuple[Function, ...] = (
    _entry("size", GLOBAL, _ABOUT_SIZE, "size([1, 2]) == 2", *_SIZES, shallow=True),
    _entry("size", METHOD, _ABOUT_SIZE, "'kes'.size() == 3", *_SIZES, shallow=True),
    _entry("int", GLOBAL, "Converts to a 64-bit integer; a double is cut towards zero, a moment gives its seconds since 1970.", "int('42') == 42",
           ("int", "int", to_int), ("uint", "int", to_int), ("double", "int", to_int), ("string", "int", to_int), ("timestamp", "int", to_int)),
    _entry("uint", GLOBAL, "Converts to an unsigned 64-bit integer.", "uint(42) == 42u",
           ("int", "uint", to_uint), ("uint", "uint", to_uint), ("double", "uint", to_uint), ("string", "uint", to_uint)),
    _entry("double", GLOBAL, "Converts to a floating-point number.", "double(2) == 2.0",
           ("int", "double", to_double), ("uint", "double", to_double), ("double", "double", to_double), ("string", "double", to_double)),
    _entry("string", GLOBAL, "Converts to text.", "string(3) == '3'",
           ("string", "string", to_string), ("int", "string", to_string), ("uint", "string", to_string), ("double", "string", to_string),
           ("bool", "string", to_string), ("bytes", "string", to_string), ("timestamp", "string", to_string), ("duration", "string", to_string)),
    _entry("bool", GLOBAL, "Converts the texts true and false, and their usual spellings.", "bool('true')",
           ("bool", "bool", to_bool), ("string", "bool", to_bool)),
    _entry("bytes", GLOBAL, "Converts text to its UTF-8 bytes.", "bytes('abc') == b'abc'", ("string", "bytes", str.encode), ("bytes", "bytes", bytes)),
    _entry("timestamp", GLOBAL, "A moment, from a text of RFC 3339 or the seconds since 1970.", "timestamp(0) == timestamp('1970-01-01T00:00:00Z')",
           ("string", "timestamp", times.read_timestamp), ("int", "timestamp", _from_seconds), ("timestamp", "timestamp", _same)),
    _entry("duration", GLOBAL, "A length of time, from a text such as 1h30m.", "duration('1h30m') == duration('90m')",
           ("string", "duration", times.read_duration), ("duration", "duration", _same)),
    _entry("dyn", GLOBAL, "The value itself, with its type forgotten.", "dyn(1) == 1.0", ("any", "any", _same), shallow=True),
    _entry("type", GLOBAL, "The type of a value.", "type(1) == int", ("any", "type", type_of), shallow=True),
    _entry("contains", METHOD, "Whether a text holds another.", "'platform'.contains('form')", ("string string", "bool", str.__contains__)),
    _entry("startsWith", METHOD, "Whether a text begins with another.", "'alp-live'.startsWith('alp')", ("string string", "bool", str.startswith)),
    _entry("endsWith", METHOD, "Whether a text ends with another.", "'alp-live'.endsWith('live')", ("string string", "bool", str.endswith)),
    _entry("matches", METHOD, "Whether a part of a text matches a regular expression (RE2).", "'kes2'.matches('^[a-z]+[0-9]$')",
           ("string string", "bool", strings.matches), cost=5),
    _entry("matches", GLOBAL, "Whether a part of a text matches a regular expression (RE2).", "matches('kes2', '[0-9]')",
           ("string string", "bool", strings.matches), cost=5),
    *_parts(),
)  # fmt: skip
