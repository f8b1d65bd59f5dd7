"""CEL's public strings, lists, sets, encoders, regex and optionals extensions."""

import re
from typing import Any

from jovial_scaffold.core.expressions.errors import BudgetError, EvaluationError
from jovial_scaffold.core.expressions.library import strings
from jovial_scaffold.core.expressions.library.entries import GLOBAL, METHOD, Function, entry
from jovial_scaffold.core.expressions.library.formatting import formatted, quoted
from jovial_scaffold.core.expressions.operators import bounded
from jovial_scaffold.core.expressions.pending import MarkMet
from jovial_scaffold.core.expressions.times import Duration, Timestamp
from jovial_scaffold.core.expressions.values import NONE, Optional, UInt, equal, is_mark, type_name
from jovial_scaffold.core.limits import COMPARISONS
from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.words import Amount, Derived, Value, say

_SORTABLE = frozenset(("int", "uint", "double", "string", "bool", "bytes", "timestamp", "duration"))
_GROUP = regex(r"\\(.?)", re.DOTALL)


def _slice(items: list[Any], start: int, end: int) -> list[Any]:
    if not 0 <= start <= end <= len(items):
        raise EvaluationError(say("slice({}, {}) does not lie within a list of {}.", start, end, len(items)), id="index-range")
    return items[start:end]


def _flatten(items: list[Any], depth: int = 1) -> list[Any]:
    if depth < 0:
        raise EvaluationError(say("flatten() goes at least 0 levels deep, and {} are asked for.", Value(depth)))
    result: list[Any] = []
    for item in items:
        if depth and is_mark(item):  # it may be a list
            raise MarkMet
        result.extend(_flatten(item, depth - 1) if type(item) is list and depth else [item])
    return list(bounded(result))


def _distinct(items: list[Any]) -> list[Any]:
    seen = _Seen()
    return [item for item in items if seen.add(item)]


def sorted_list(items: list[Any]) -> list[Any]:
    """A list in ascending order. Raises EvaluationError where its items cannot be ordered."""
    kinds = {type_name(item) for item in items}
    if len(kinds) > 1 or kinds - _SORTABLE:
        raise EvaluationError(say("Only items of one simple type can be sorted; these are {}.", Value(sorted(kinds))), id="type-mismatch")
    return sorted(items)


def _range(count: int) -> list[int]:
    if count < 0:
        raise EvaluationError(say("lists.range() takes a count, and {} is negative.", Value(count)))
    return list(bounded(range(count)))


def _first(items: list[Any]) -> Optional:
    return Optional(items[0]) if items else NONE


def _last(items: list[Any]) -> Optional:
    return Optional(items[-1]) if items else NONE


class _Seen:
    """Values that were seen: simple ones are found by hash, lists and maps by comparing, of which only so much is done."""

    def __init__(self, items: list[Any] | None = None) -> None:
        self.simple: set[Any] = set()
        self.others: list[Any] = []
        self.compared = 0
        for item in items or ():
            self.add(item)

    def __contains__(self, item: Any) -> bool:
        if type(item) in _HASHED:
            return item == item and (type(item) is bool, item) in self.simple
        self.compared += len(self.others)
        if self.compared > COMPARISONS.most:
            raise BudgetError(
                say("The evaluation takes more than {} {}.", Amount(COMPARISONS.most), COMPARISONS.unit), hint=say("Compare fewer items.")
            )
        return any(equal(item, other) for other in self.others)

    def add(self, item: Any) -> bool:
        """Whether the item is new."""
        if item in self:
            return False
        if type(item) in _HASHED:
            self.simple.add((type(item) is bool, item))  # numbers of all types hash and compare alike; a boolean is no number
        else:
            self.others.append(item)
        return True


_HASHED = frozenset((str, int, bool, float, UInt, bytes, type(None)))


def _contains_all(whole: list[Any], part: list[Any]) -> bool:
    seen = _Seen(whole)
    return all(item in seen for item in part)


def _equivalent(one: list[Any], other: list[Any]) -> bool:
    return _contains_all(one, other) and _contains_all(other, one)


def _intersects(one: list[Any], other: list[Any]) -> bool:
    seen = _Seen(one)
    return any(item in seen for item in other)


def _encode(raw: bytes) -> str:
    import base64

    return base64.b64encode(raw).decode()


def _decode(text: str) -> bytes:
    import base64
    import binascii

    try:
        return base64.b64decode(text + "=" * (-len(text) % 4), validate=True)
    except (binascii.Error, ValueError):
        raise EvaluationError(say("The text {} is not Base64.", Value(text)), id="conversion-fails") from None


def _replace(text: str, pattern: str, replacement: str, count: int = -1) -> str:
    if count == 0:
        return text
    compiled = strings.compiled_pattern(pattern)

    def expand(match: Any) -> str:
        def group(reference: Any) -> str:
            named = reference[1]
            if named == "\\":
                return "\\"
            if not named.isdigit() or int(named) > compiled.groups:
                raise EvaluationError(
                    say("`\\{}` in the replacement names no group of the pattern.", Derived(named)),
                    hint=say("Groups are \\1, \\2 and so on; a backslash is \\\\."),
                )
            return match.group(int(named)) or ""

        return _GROUP.sub(group, replacement)

    return str(bounded(compiled.sub(expand, text, count if count > 0 else 0)))


def _one_group(pattern: str) -> Any:
    compiled = strings.compiled_pattern(pattern)
    if compiled.groups > 1:
        raise EvaluationError(
            say("The pattern {} has more than one group to extract.", Value(pattern)),
            hint=say("Write (?:…) for groups that are not meant."),
        )
    return compiled


def _extract(text: str, pattern: str) -> Optional:
    compiled = _one_group(pattern)
    match = compiled.search(text)
    if match is None:
        return NONE
    found = match.group(1) if compiled.groups else match.group(0)
    return NONE if found is None else Optional(found)


def _extract_all(text: str, pattern: str) -> list[str]:
    compiled = _one_group(pattern)
    found = (match.group(1) if compiled.groups else match.group(0) for match in compiled.finditer(text))
    return [each for each in found if each is not None]


def _or_value(optional: Any, otherwise: Any) -> Any:
    return otherwise if optional is NONE else optional.value


def _value(optional: Any) -> Any:
    if optional is NONE:
        raise EvaluationError(say("The optional holds no value."), hint=say("Write .orValue(…) to say what holds instead."))
    return optional.value


def _non_zero(value: Any) -> Optional:
    zero = (
        value is None
        or (isinstance(value, Timestamp | Duration) and value.nanos == 0)
        or (type(value) in (bool, int, float, str, bytes, list, dict) and not value)
    )
    zero = zero or (isinstance(value, int) and value == 0) or value is NONE
    return NONE if zero else Optional(value)


def _unwrap(items: list[Any]) -> list[Any]:
    for item in items:
        if is_mark(item):
            raise MarkMet
        if type(item) is not Optional:
            raise EvaluationError(say("A list of optionals is unwrapped, and this holds {}.", Value(item)), id="type-mismatch")
    return [item.value for item in items if item is not NONE]


ENTRIES: tuple[Function, ...] = (
    entry("strings", "charAt", METHOD, "The character at a position, from 0.", "'abc'.charAt(1) == 'b'", ("string int", "string", strings.char_at)),
    entry("strings", "indexOf", METHOD, "The position of a text in another, from 0; -1 where it is not there.", "'a-b'.indexOf('-') == 1",
          ("string string", "int", strings.index_of), ("string string int", "int", strings.index_of)),
    entry("strings", "lastIndexOf", METHOD, "The last position of a text in another; -1 where it is not there.", "'a-b-c'.lastIndexOf('-') == 3",
          ("string string", "int", strings.last_index_of), ("string string int", "int", strings.last_index_of)),
    entry("strings", "join", METHOD, "The texts of a list in one, with a separator between them.", "['a', 'b'].join('-') == 'a-b'",
          ("list", "string", strings.join), ("list string", "string", strings.join)),
    entry("strings", "split", METHOD, "The parts of a text between separators; with a count, at most that many.", "'a,b'.split(',') == ['a', 'b']",
          ("string string", "list", strings.split), ("string string int", "list", strings.split)),
    entry("strings", "substring", METHOD, "The part of a text from a position up to another, which is left out.", "'summit'.substring(0, 3) == 'sum'",
          ("string int", "string", strings.substring), ("string int int", "string", strings.substring)),
    entry("strings", "replace", METHOD, "The text with each occurrence replaced; with a count, the first that many.", "'a.b'.replace('.', '-') == 'a-b'",
          ("string string string", "string", strings.replace), ("string string string int", "string", strings.replace)),
    entry("strings", "trim", METHOD, "The text without white space around it.", "' a '.trim() == 'a'", ("string", "string", strings.trim)),
    entry("strings", "lowerAscii", METHOD, "The text with A to Z in lower case.", "'KES'.lowerAscii() == 'kes'", ("string", "string", strings.lower_ascii)),
    entry("strings", "upperAscii", METHOD, "The text with a to z in upper case.", "'kes'.upperAscii() == 'KES'", ("string", "string", strings.upper_ascii)),
    entry("strings", "reverse", METHOD, "The text or list from the end to the beginning.", "'abc'.reverse() == 'cba'",
          ("string", "string", lambda v: v[::-1]), ("list", "list", lambda v: v[::-1]), shallow=True),
    entry("strings", "format", METHOD, "The text with its clauses (%s %d %f %e %b %o %x %X) replaced by the values of a list.", "'%s-%d'.format(['kes', 3]) == 'kes-3'",
          ("string list", "string", formatted), cost=3),
    entry("strings", "strings.quote", GLOBAL, "The text in double quotes, control characters escaped.", """strings.quote('a') == '"a"'""", ("string", "string", quoted)),
    entry("lists", "slice", METHOD, "The items from a position up to another, which is left out.", "[1, 2, 3].slice(0, 2) == [1, 2]", ("list int int", "list", _slice), shallow=True),
    entry("lists", "flatten", METHOD, "The list with the items of its lists in their place; with a depth, that many levels.", "[1, [2, [3]]].flatten() == [1, 2, [3]]",
          ("list", "list", _flatten), ("list int", "list", _flatten), shallow=True),
    entry("lists", "distinct", METHOD, "The list with each value once.", "[1, 1, 2].distinct() == [1, 2]", ("list", "list", _distinct), cost=5),
    entry("lists", "sort", METHOD, "The list in ascending order.", "[2, 1].sort() == [1, 2]", ("list", "list", sorted_list), cost=5),
    entry("lists", "lists.range", GLOBAL, "The integers from 0 up to a count.", "lists.range(3) == [0, 1, 2]", ("int", "list", _range)),
    entry("lists", "first", METHOD, "The first item as an optional, empty where there is none.", "[1, 2].first().value() == 1", ("list", "optional_type", _first), shallow=True),
    entry("lists", "last", METHOD, "The last item as an optional, empty where there is none.", "[1, 2].last().value() == 2", ("list", "optional_type", _last), shallow=True),
    entry("sets", "sets.contains", GLOBAL, "Whether the first list holds all items of the second.", "sets.contains([1, 2], [2])", ("list list", "bool", _contains_all), cost=5),
    entry("sets", "sets.equivalent", GLOBAL, "Whether two lists hold the same items, in any order and number.", "sets.equivalent([1, 2], [2, 1, 1])", ("list list", "bool", _equivalent), cost=5),
    entry("sets", "sets.intersects", GLOBAL, "Whether two lists share an item.", "sets.intersects([1, 2], [2, 3])", ("list list", "bool", _intersects), cost=5),
    entry("encoders", "base64.encode", GLOBAL, "Bytes as Base64 text.", "base64.encode(b'abc') == 'YWJj'", ("bytes", "string", _encode)),
    entry("encoders", "base64.decode", GLOBAL, "The bytes of a Base64 text, padded or not.", "base64.decode('YWJj') == b'abc'", ("string", "bytes", _decode)),
    entry("regex", "regex.replace", GLOBAL, "The text with matches of a pattern replaced; \\1 stands for a group; with a count, the first that many.",
          "regex.replace('kes-hut', '(k)(e)', '\\\\2\\\\1') == 'eks-hut'", ("string string string", "string", _replace), ("string string string int", "string", _replace), cost=5),
    entry("regex", "regex.extract", GLOBAL, "The first match of a pattern, or its group, as an optional.", "regex.extract('gate-12', '[0-9]+').value() == '12'",
          ("string string", "optional_type", _extract), cost=5),
    entry("regex", "regex.extractAll", GLOBAL, "All matches of a pattern, or of its group.", "regex.extractAll('a1b22', '[0-9]+') == ['1', '22']", ("string string", "list", _extract_all), cost=5),
    entry("optionals", "optional.of", GLOBAL, "An optional that holds the value.", "optional.of(1).hasValue()", ("any", "optional_type", Optional), shallow=True),
    entry("optionals", "optional.ofNonZeroValue", GLOBAL, "An optional that holds the value, or nothing for null, zero, false and what is empty.",
          "!optional.ofNonZeroValue('').hasValue()", ("any", "optional_type", _non_zero), shallow=True),
    entry("optionals", "optional.none", GLOBAL, "The optional that holds nothing.", "!optional.none().hasValue()", ("", "optional_type", lambda: NONE)),
    entry("optionals", "optional.unwrap", GLOBAL, "The values that a list of optionals holds.", "optional.unwrap([optional.of(1), optional.none()]) == [1]", ("list", "list", _unwrap), shallow=True),
    entry("optionals", "unwrapOpt", METHOD, "The values that a list of optionals holds.", "[optional.of(1), optional.none()].unwrapOpt() == [1]", ("list", "list", _unwrap), shallow=True),
    entry("optionals", "hasValue", METHOD, "Whether an optional holds a value.", "optional.of(1).hasValue()", ("optional_type", "bool", lambda v: v is not NONE), shallow=True),
    entry("optionals", "value", METHOD, "The value of an optional; an error where it holds none.", "optional.of(1).value() == 1", ("optional_type", "any", _value), shallow=True),
    entry("optionals", "orValue", METHOD, "The value of an optional, or another where it holds none.", "optional.none().orValue(2) == 2", ("optional_type any", "any", _or_value), shallow=True),
    entry("optionals", "or", METHOD, "The optional itself, or another where it holds nothing.", "optional.none().or(optional.of(2)).value() == 2",
          ("optional_type optional_type", "optional_type", lambda a, b: b if a is NONE else a), shallow=True),
)  # fmt: skip
