"""The function library as a table of values: name, argument types, result type, implementation, documentation, example.

Standard functions follow the CEL language definition, the string functions its public strings extension (version 4);
`carve` to `as_yaml` are our own (docs/expressions.md).
"""

import json
from collections.abc import Callable
from typing import Any, NamedTuple

from jovial_scaffold.core.expressions import networks, texts
from jovial_scaffold.core.expressions.errors import EvaluationError
from jovial_scaffold.core.expressions.operators import bounded
from jovial_scaffold.core.expressions.values import NONE, Optional, TypeValue, UInt, type_name
from jovial_scaffold.core.limits import INT64_MAX, INT64_MIN, UINT64_MAX


class Overload(NamedTuple):
    """One signature of a function: `takes` begins with the target's type where it is a method."""

    takes: tuple[str, ...]
    gives: str
    run: Callable[..., Any]


class Function(NamedTuple):
    """A function with all its signatures; `shallow` ones may be given lists and maps that hold pending or secret leaves."""

    name: str
    method: bool
    overloads: tuple[Overload, ...]
    about: str
    example: str
    shallow: bool = False


def _out_of_range(value: Any, target: str) -> EvaluationError:
    return EvaluationError(f"{{}} does not fit into {target}.", value, id="conversion-fails")


def to_int(value: Any) -> int:
    """int(x): truncates a double, reads a decimal text."""
    if type(value) is float:
        if not -9223372036854775808.0 < value < 9223372036854775808.0:
            raise _out_of_range(value, "an int")
        return int(value)
    if type(value) is str:
        if not texts.INTEGER.match(value):
            raise EvaluationError("The text {} is not an integer.", value, id="conversion-fails")
        value = int(value)
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
        if not texts.INTEGER.match(value):
            raise EvaluationError("The text {} is not an integer.", value, id="conversion-fails")
        value = int(value)
    if not 0 <= value <= UINT64_MAX:
        raise _out_of_range(value, "a uint")
    return UInt(value)


def to_double(value: Any) -> float:
    """double(x)."""
    if type(value) is str and not texts.NUMBER.match(value):
        raise EvaluationError("The text {} is not a number.", value, id="conversion-fails")
    return float(value)


def to_bool(value: Any) -> bool:
    """bool(x): reads 1, t, true, TRUE, True and their opposites."""
    if type(value) is bool:
        return value
    if value in ("1", "t", "true", "TRUE", "True"):
        return True
    if value in ("0", "f", "false", "FALSE", "False"):
        return False
    raise EvaluationError("The text {} is not a boolean.", value, id="conversion-fails")


def to_string(value: Any) -> str:
    """string(x)."""
    if type(value) is bytes:
        try:
            return value.decode("utf-8")
        except UnicodeDecodeError:
            raise EvaluationError("The bytes are not UTF-8 text.", id="conversion-fails") from None
    return texts.scalar_text(value)


def patched(base: Any, patch: Any) -> Any:
    """RFC 7396: objects merge, null removes, all else replaces."""
    if type(patch) is not dict:
        return patch
    result = dict(base) if type(base) is dict else {}
    for key, value in patch.items():
        if value is None:
            result.pop(key, None)
        else:
            result[key] = patched(result.get(key), value)
    return result


def as_json(value: Any) -> str:
    """Compact JSON with sorted keys, so that equal values give equal texts."""
    try:
        return json.dumps(value, ensure_ascii=False, separators=(",", ":"), sort_keys=True, allow_nan=False)
    except (TypeError, ValueError):
        raise EvaluationError("{} cannot be written as JSON.", value, id="conversion-fails") from None


def from_json(text: str) -> Any:
    """The value of a JSON text."""
    from jovial_scaffold.core.text.json_reader import read_json

    value, problems = read_json(text)
    if problems:
        raise EvaluationError(f"The text {{}} cannot be read as JSON: {problems[0].message}", text, id="conversion-fails")
    return value


def as_yaml(value: Any) -> str:
    """Block-style YAML with sorted keys."""
    import yaml

    as_json(value)  # what JSON cannot hold, our YAML cannot either
    return yaml.dump(value, allow_unicode=True, sort_keys=True, default_flow_style=False, width=10_000)


def _greatest(*values: Any) -> Any:
    items = values[0] if len(values) == 1 and type(values[0]) is list else values
    return max(items) if items else _no_numbers()


def _least(*values: Any) -> Any:
    items = values[0] if len(values) == 1 and type(values[0]) is list else values
    return min(items) if items else _no_numbers()


def _no_numbers() -> Any:
    raise EvaluationError("There is no number among which to choose.")


def _size(value: Any) -> int:
    return len(value)


def _slice(items: list[Any], start: int, end: int) -> list[Any]:
    if not 0 <= start <= end <= len(items):
        raise EvaluationError(f"slice({start}, {end}) does not lie within a list of {len(items)}.", id="index-range")
    return items[start:end]


def _distinct(items: list[Any]) -> list[Any]:
    from jovial_scaffold.core.expressions.values import equal

    result: list[Any] = []
    for item in items:
        if not any(equal(item, other) for other in result):
            result.append(item)
    return result


def _sort(items: list[Any]) -> list[Any]:
    kinds = {type_name(item) for item in items}
    if len(kinds) > 1 or kinds - {"int", "uint", "double", "string", "bool", "bytes"}:
        raise EvaluationError("Only items of one simple type can be sorted; these are {}.", sorted(kinds), id="type-mismatch")
    return sorted(items)


def _range(count: int) -> list[int]:
    if count < 0:
        raise EvaluationError("lists.range() takes a count, and {} is negative.", count)
    return list(bounded(range(count)))


def _or_value(optional: Any, otherwise: Any) -> Any:
    return otherwise if optional is NONE else optional.value


def _value(optional: Any) -> Any:
    if optional is NONE:
        raise EvaluationError("The optional holds no value.", hint="Write .orValue(…) to say what holds instead.")
    return optional.value


_METHOD, _GLOBAL = True, False


def _entry(
    name: str, method: bool, about: str, example: str, *overloads: tuple[str, str, Callable[..., Any]], shallow: bool = False
) -> Function:
    return Function(
        name, method, tuple(Overload(tuple(takes.split()), gives, run) for takes, gives, run in overloads), about, example, shallow
    )


_TABLE = (
    _entry("size", _GLOBAL, "Length of a text in characters, of bytes, of a list or of a map.", "size([1, 2]) == 2",
           ("string", "int", _size), ("bytes", "int", _size), ("list", "int", _size), ("map", "int", _size), shallow=True),
    _entry("size", _METHOD, "Length of a text in characters, of bytes, of a list or of a map.", "'kes'.size() == 3",
           ("string", "int", _size), ("bytes", "int", _size), ("list", "int", _size), ("map", "int", _size), shallow=True),
    _entry("int", _GLOBAL, "Converts to a 64-bit integer; a double is cut towards zero.", "int('42') == 42",
           ("int", "int", to_int), ("uint", "int", to_int), ("double", "int", to_int), ("string", "int", to_int)),
    _entry("uint", _GLOBAL, "Converts to an unsigned 64-bit integer.", "uint(42) == 42u",
           ("int", "uint", to_uint), ("uint", "uint", to_uint), ("double", "uint", to_uint), ("string", "uint", to_uint)),
    _entry("double", _GLOBAL, "Converts to a floating-point number.", "double(2) == 2.0",
           ("int", "double", to_double), ("uint", "double", to_double), ("double", "double", to_double), ("string", "double", to_double)),
    _entry("string", _GLOBAL, "Converts to text.", "string(3) == '3'",
           ("string", "string", to_string), ("int", "string", to_string), ("uint", "string", to_string), ("double", "string", to_string),
           ("bool", "string", to_string), ("bytes", "string", to_string)),
    _entry("bool", _GLOBAL, "Converts the texts true and false, and their usual spellings.", "bool('true')",
           ("bool", "bool", to_bool), ("string", "bool", to_bool)),
    _entry("bytes", _GLOBAL, "Converts text to its UTF-8 bytes.", "bytes('abc') == b'abc'",
           ("string", "bytes", str.encode), ("bytes", "bytes", bytes)),
    _entry("dyn", _GLOBAL, "The value itself, with its type forgotten.", "dyn(1) == 1.0", ("any", "any", lambda v: v), shallow=True),
    _entry("type", _GLOBAL, "The type of a value.", "type(1) == int", ("any", "type", lambda v: TypeValue(type_name(v))), shallow=True),
    _entry("contains", _METHOD, "Whether a text holds another.", "'platform'.contains('form')", ("string string", "bool", str.__contains__)),
    _entry("startsWith", _METHOD, "Whether a text begins with another.", "'alp-live'.startsWith('alp')", ("string string", "bool", str.startswith)),
    _entry("endsWith", _METHOD, "Whether a text ends with another.", "'alp-live'.endsWith('live')", ("string string", "bool", str.endswith)),
    _entry("matches", _METHOD, "Whether a part of a text matches a regular expression (RE2).", "'kes2'.matches('^[a-z]+[0-9]$')", ("string string", "bool", texts.matches)),
    _entry("matches", _GLOBAL, "Whether a part of a text matches a regular expression (RE2).", "matches('kes2', '[0-9]')", ("string string", "bool", texts.matches)),
    _entry("charAt", _METHOD, "The character at a position, from 0.", "'abc'.charAt(1) == 'b'", ("string int", "string", texts.char_at)),
    _entry("indexOf", _METHOD, "The position of a text in another, from 0; -1 where it is not there.", "'a-b'.indexOf('-') == 1",
           ("string string", "int", texts.index_of), ("string string int", "int", texts.index_of)),
    _entry("lastIndexOf", _METHOD, "The last position of a text in another; -1 where it is not there.", "'a-b-c'.lastIndexOf('-') == 3",
           ("string string", "int", texts.last_index_of), ("string string int", "int", texts.last_index_of)),
    _entry("join", _METHOD, "The texts of a list in one, with a separator between them.", "['a', 'b'].join('-') == 'a-b'",
           ("list", "string", texts.join), ("list string", "string", texts.join)),
    _entry("split", _METHOD, "The parts of a text between separators; with a count, at most that many.", "'a,b'.split(',') == ['a', 'b']",
           ("string string", "list", texts.split), ("string string int", "list", texts.split)),
    _entry("substring", _METHOD, "The part of a text from a position up to another, which is left out.", "'summit'.substring(0, 3) == 'sum'",
           ("string int", "string", texts.substring), ("string int int", "string", texts.substring)),
    _entry("replace", _METHOD, "The text with each occurrence replaced; with a count, the first that many.", "'a.b'.replace('.', '-') == 'a-b'",
           ("string string string", "string", texts.replace), ("string string string int", "string", texts.replace)),
    _entry("trim", _METHOD, "The text without white space around it.", "' a '.trim() == 'a'", ("string", "string", texts.trim)),
    _entry("lowerAscii", _METHOD, "The text with A to Z in lower case.", "'KES'.lowerAscii() == 'kes'", ("string", "string", texts.lower_ascii)),
    _entry("upperAscii", _METHOD, "The text with a to z in upper case.", "'kes'.upperAscii() == 'KES'", ("string", "string", texts.upper_ascii)),
    _entry("reverse", _METHOD, "The text or list from the end to the beginning.", "'abc'.reverse() == 'cba'",
           ("string", "string", lambda v: v[::-1]), ("list", "list", lambda v: v[::-1]), shallow=True),
    _entry("slice", _METHOD, "The items from a position up to another, which is left out.", "[1, 2, 3].slice(0, 2) == [1, 2]", ("list int int", "list", _slice), shallow=True),
    _entry("distinct", _METHOD, "The list with each value once.", "[1, 1, 2].distinct() == [1, 2]", ("list", "list", _distinct)),
    _entry("sort", _METHOD, "The list in ascending order.", "[2, 1].sort() == [1, 2]", ("list", "list", _sort)),
    _entry("lists.range", _GLOBAL, "The integers from 0 up to a count.", "lists.range(3) == [0, 1, 2]", ("int", "list", _range)),
    _entry("math.greatest", _GLOBAL, "The greatest of the numbers.", "math.greatest(1, 2) == 2", ("any...", "any", _greatest)),
    _entry("math.least", _GLOBAL, "The least of the numbers.", "math.least(1, 2) == 1", ("any...", "any", _least)),
    _entry("optional.of", _GLOBAL, "An optional that holds the value.", "optional.of(1).hasValue()", ("any", "optional_type", Optional), shallow=True),
    _entry("optional.none", _GLOBAL, "The optional that holds nothing.", "!optional.none().hasValue()", ("", "optional_type", lambda: NONE)),
    _entry("hasValue", _METHOD, "Whether an optional holds a value.", "optional.of(1).hasValue()", ("optional_type", "bool", lambda v: v is not NONE), shallow=True),
    _entry("value", _METHOD, "The value of an optional; an error where it holds none.", "optional.of(1).value() == 1", ("optional_type", "any", _value), shallow=True),
    _entry("orValue", _METHOD, "The value of an optional, or another where it holds none.", "optional.none().orValue(2) == 2", ("optional_type any", "any", _or_value), shallow=True),
    _entry("or", _METHOD, "The optional itself, or another where it holds nothing.", "optional.none().or(optional.of(2)).value() == 2",
           ("optional_type optional_type", "optional_type", lambda a, b: b if a is NONE else a), shallow=True),
    _entry("carve", _GLOBAL, "Block number `index`, from 0, of a prefix length inside an address range.", "carve('10.20.0.0/16', 24, 2) == '10.20.2.0/24'", ("string int int", "string", networks.carve)),
    _entry("within", _GLOBAL, "Whether an address or range lies inside a range.", "within('10.20.1.0/24', '10.20.0.0/16')", ("string string", "bool", networks.within)),
    _entry("overlaps", _GLOBAL, "Whether two address ranges share an address.", "!overlaps('10.1.0.0/16', '10.2.0.0/16')", ("string string", "bool", networks.overlaps)),
    _entry("digest", _GLOBAL, "The first characters (4 to 52) of the lower-case Base32 form of a text's SHA-256, for names that are stable and unique.", "size(digest('alp', 8)) == 8", ("string int", "string", texts.digest)),
    _entry("slug", _GLOBAL, "The text in lower-case letters, digits and single hyphens, cut to a length.", "slug('Upper Valley!', 40) == 'upper-valley'", ("string int", "string", texts.slug)),
    _entry("patched", _GLOBAL, "A map with another merged over it (RFC 7396): maps merge, null removes, all else replaces.", "patched({'a': 1}, {'b': 2}) == {'a': 1, 'b': 2}", ("map map", "map", patched), shallow=True),
    _entry("as_json", _GLOBAL, "The value as compact JSON with sorted keys.", """as_json({'a': 1}) == '{"a":1}'""", ("any", "string", as_json)),
    _entry("from_json", _GLOBAL, "The value of a JSON text.", """from_json('[1, 2]') == [1, 2]""", ("string", "any", from_json)),
    _entry("as_yaml", _GLOBAL, "The value as YAML with sorted keys.", "as_yaml({'a': 1}) == 'a: 1\\n'", ("any", "string", as_yaml)),
)  # fmt: skip

FUNCTIONS: dict[tuple[str, bool], Function] = {(entry.name, entry.method): entry for entry in _TABLE}


def call(function: Function, arguments: list[Any]) -> Any:
    """Apply the overload that the arguments' types choose. Raises EvaluationError."""
    kinds = [type_name(argument) for argument in arguments]
    for overload in function.overloads:
        if _fits(overload.takes, kinds):
            return overload.run(*arguments)
    raise no_overload(function, arguments, kinds)


def _fits(takes: tuple[str, ...], kinds: list[str]) -> bool:
    if takes == ("any...",):
        return bool(kinds)
    return len(takes) == len(kinds) and all(want in (kind, "any") for want, kind in zip(takes, kinds, strict=True))


def no_overload(function: Function, arguments: list[Any], kinds: list[str]) -> EvaluationError:
    """The error of a call that fits no signature, with the signatures."""
    skip = 1 if function.method else 0
    forms = [f"{function.name}({', '.join(overload.takes[skip:])})" for overload in function.overloads]
    ways = list(
        dict.fromkeys(f"{overload.takes[0]}.{form}" if skip else form for overload, form in zip(function.overloads, forms, strict=True))
    )
    given = ", ".join(kinds[skip:])
    call_text = f"{kinds[0]}.{function.name}({given})" if skip else f"{function.name}({given})"
    values = "; ".join("{}" for _ in arguments)
    hint = f"It is written {' or '.join(ways[:4])}."
    if kinds.count("string") + kinds.count("bool") < len(kinds) and any(o.takes[0] == "string" for o in function.overloads if o.takes):
        hint += " Convert with string(…) if that is meant."
    return EvaluationError(f"There is no {call_text}; it was given {values}.", *arguments, hint=hint, id="type-mismatch")
