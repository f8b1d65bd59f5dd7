"""The string functions of CEL's public strings extension, and our `digest` and `slug`."""

import re
from functools import lru_cache
from typing import Any

from jovial_scaffold.core.expressions.errors import BudgetError, EvaluationError
from jovial_scaffold.core.expressions.operators import check_size
from jovial_scaffold.core.limits import PATTERN_LENGTH
from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.words import NOTHING, Amount, Foreign, Value, say

INTEGER = regex(r"[-+]?[0-9]{1,40}\Z")
NUMBER = regex(r"[-+]?(?:[0-9]+(?:\.[0-9]*)?|\.[0-9]+)(?:[eE][-+]?[0-9]+)?\Z|[-+]?(?:inf|infinity|nan)\Z", re.IGNORECASE)
_LOWER = {code: code + 32 for code in range(ord("A"), ord("Z") + 1)}
_UPPER = {code: code - 32 for code in range(ord("a"), ord("z") + 1)}
_SPACE = "\t\n\v\f\r \x85\xa0\u1680\u2000\u2001\u2002\u2003\u2004\u2005\u2006\u2007\u2008\u2009\u200a\u2028\u2029\u202f\u205f\u3000"


_SCALARS = frozenset((str, bool, int, float))


def scalar_text(value: Any) -> str:
    """A string, boolean or number as text: a double in its shortest form, whole ones without `.0`."""
    kind = type(value)
    if kind is str:
        return str(value)
    if kind is bool:
        return "true" if value else "false"
    if kind is float:
        if value != value:
            return "NaN"
        if value in (float("inf"), float("-inf")):
            return "+Inf" if value > 0 else "-Inf"
        if value.is_integer() and abs(value) < 1e21:
            return str(int(value)) if value or str(value)[0] != "-" else "-0"
        return repr(float(value))
    return str(int(value))


def joined_text(value: Any) -> str | None:
    """A value between the words of a text; None for what is no plain string, boolean or number: marks spread, and all else has no text."""
    return scalar_text(value) if type(value) in _SCALARS else None


#: functions whose second argument is a pattern
PATTERN_TAKING = frozenset(("matches", "regex.extract", "regex.extractAll", "regex.replace"))


@lru_cache(maxsize=512)
def compiled_pattern(pattern: str) -> Any:
    """An RE2 pattern. Raises EvaluationError where it is none."""
    import re2

    if len(pattern) > PATTERN_LENGTH.most:
        raise BudgetError(
            say("A regular expression has more than {} characters.", Amount(PATTERN_LENGTH.most)),
            hint=say("Ask for less at a time: a.matches(…) || a.matches(…)."),
        )
    options = re2.Options()
    options.log_errors = False
    try:
        return re2.compile(pattern, options=options)
    except re2.error as error:
        said = error.args[0] if error.args else "unknown"
        said = said.decode("utf-8", "replace") if isinstance(said, bytes) else str(said)
        around = re.search(r"\(\?(?:[=!]|<[=!])|\\[1-9]", pattern) is not None
        hint = say("RE2 looks neither ahead nor back: ask twice, as in a.matches(…) && !a.matches(…).") if around else NOTHING
        message = say("{} is not a regular expression of RE2: {}", Value(pattern), Foreign(said))
        raise EvaluationError(message, hint=hint, id="pattern-invalid") from None


def matches(text: str, pattern: str) -> bool:
    """Whether any part of the text matches."""
    return compiled_pattern(pattern).search(text) is not None


def char_at(text: str, position: int) -> str:
    """The character at a position; the empty text just after the last."""
    if not 0 <= position <= len(text):
        raise _outside(text, position)
    return text[position : position + 1]


def _outside(text: str, position: int) -> EvaluationError:
    return EvaluationError(say("Position {} lies outside a text of {} characters.", position, len(text)), id="index-range")


def index_of(text: str, part: str, start: int = 0) -> int:
    """The first position at or after `start`."""
    if not 0 <= start <= len(text):
        raise _outside(text, start)
    return text.find(part, start)


def last_index_of(text: str, part: str, start: int | None = None) -> int:
    """The last position at or before `start`."""
    if start is None:
        return text.rfind(part)
    if not 0 <= start <= len(text):
        raise _outside(text, start)
    return text.rfind(part, 0, start + len(part))


def join(items: list[Any], separator: str = "") -> str:
    """One text of many."""
    for item in items:
        if type(item) is not str:
            raise EvaluationError(
                say("join() takes a list of texts, and this holds {}.", Value(item)),
                hint=say("Convert with .map(x, string(x))."),
                id="type-mismatch",
            )
    check_size(sum(map(len, items)) + len(separator) * len(items))
    return separator.join(items)


def split(text: str, separator: str, count: int = -1) -> list[str]:
    """At most `count` parts; negative means all."""
    if count == 0:
        return []
    if not separator:
        return list(text) if count < 0 or count >= len(text) else [*text[: count - 1], text[count - 1 :]]
    return text.split(separator, count - 1 if count > 0 else -1)


def substring(text: str, start: int, end: int | None = None) -> str:
    """Characters `start` up to `end`."""
    stop = len(text) if end is None else end
    if not 0 <= start <= stop <= len(text):
        raise EvaluationError(
            say("substring({}, {}) does not lie within a text of {} characters.", start, stop, len(text)), id="index-range"
        )
    return text[start:stop]


def replace(text: str, old: str, new: str, count: int = -1) -> str:
    """The first `count` occurrences; negative means all."""
    found = text.count(old) if count < 0 else min(count, text.count(old))
    check_size(len(text) + found * (len(new) - len(old)))
    return text.replace(old, new, count)


def trim(text: str) -> str:
    """Without Unicode white space around it."""
    return text.strip(_SPACE)


def lower_ascii(text: str) -> str:
    """A to Z only."""
    return text.translate(_LOWER)


def upper_ascii(text: str) -> str:
    """a to z only."""
    return text.translate(_UPPER)


def digest(text: str, length: int) -> str:
    """Base32 (RFC 4648) of SHA-256, lower case, unpadded, cut to 4 to 52 characters."""
    import base64
    import hashlib

    if not 4 <= length <= 52:
        raise EvaluationError(say("digest() gives 4 to 52 characters, and {} are asked for.", Value(length)))
    return base64.b32encode(hashlib.sha256(text.encode()).digest()).decode().lower()[:length]


def slug(text: str, max_length: int) -> str:
    """Lower-case letters, digits and single hyphens."""
    if max_length < 1:
        raise EvaluationError(say("slug() is cut to a length of at least 1, and {} is asked for.", Value(max_length)))
    result = re.sub(r"[^a-z0-9]+", "-", lower_ascii(text)).strip("-")[:max_length].strip("-")
    if not result:
        raise EvaluationError(say("slug() of {} is empty.", Value(text)), hint=say("It needs at least one letter or digit."))
    return result
