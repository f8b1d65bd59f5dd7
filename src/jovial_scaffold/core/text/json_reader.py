"""JSON (RFC 8259) text to plain values, and the places of values when a finding needs them.

Large texts are read natively where nothing in them needs a closer look; all others by the standard library.
"""

import json
import re
from contextlib import suppress
from typing import Any

from jovial_scaffold.core.limits import NESTING
from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.text.nesting import deepest
from jovial_scaffold.core.text.scalars import NumberRangeError, bounded_float, bounded_integer
from jovial_scaffold.core.text.source import Place, Pointer, Problem, duplicate_problem
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.words import NOTHING, Foreign, Sentence, say

_HALF = regex(r"\\u[dD][89a-fA-F]")
_TOKEN = regex(r'[ \t\r\n]*("(?:[^"\\]|\\.)*"|[\[\]{},:]|[^\s\[\]{},:"]+)', re.DOTALL)


#: numbers that may be outside of 64 bits, a negative zero, and halves of surrogate pairs
_ODD = regex(r"[0-9]{19}|[eE][+-]?[0-9]{3}|-0(?![.0-9])|\\u[dD][89a-fA-F]")
_MEMBER = regex(r'"[ \t\r\n]*:')
_LARGE = 20_000  # characters from which on loading another library pays
_NOTHING = object()


def _natively(text: str) -> Any:
    """The value of a text that holds nothing odd; `_NOTHING` where it may, or is no JSON."""
    if len(text) < _LARGE or _ODD.search(text):
        return _NOTHING
    import orjson

    try:
        value = orjson.loads(text)
    except ValueError:
        return _NOTHING
    # A key that stands twice is lost in the value: then there are more members in the text than in it.
    return value if len(_MEMBER.findall(text)) == _members(value) else _NOTHING


def _members(value: Any) -> int:
    """How many members all objects in a value have."""
    count, stack = 0, [value]
    while stack:
        each = stack.pop()
        if type(each) is dict:
            count += len(each)
            stack.extend(item for item in each.values() if type(item) is dict or type(item) is list)
        elif type(each) is list:
            stack.extend(item for item in each if type(item) is dict or type(item) is list)
    return count


def read_json(text: str) -> tuple[Any, list[Problem]]:
    """Value and problems of a JSON text. Nothing is raised for what the text holds."""
    strange: list[str] = []

    def integer(digits: str) -> Any:
        return _number(digits, bounded_integer, strange)

    def real(digits: str) -> Any:
        return _number(digits, bounded_float, strange)

    doubled = False

    def build(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
        nonlocal doubled
        built = dict(reversed(pairs))
        if len(built) != len(pairs):
            doubled = True
        return dict(pairs) if len(built) == len(pairs) else built

    if deepest(text) > NESTING.most:
        return UNKNOWN, [_too_deep(text)]
    natively = _natively(text)
    if natively is not _NOTHING:
        return natively, []
    try:
        value = json.loads(text, parse_int=integer, parse_float=real, parse_constant=strange.append, object_pairs_hook=build)
    except json.JSONDecodeError as error:
        at = error.pos
        if "trailing comma" in error.msg:  # from Python 3.13 on, it is reported at the comma itself
            at += 1 + len(text[at + 1 :]) - len(text[at + 1 :].lstrip())
        return UNKNOWN, [Problem("json-syntax", _explain(error.msg, at, text), at, min(at + 1, len(text)), _advice(at, text))]
    if not doubled and not strange and not _HALF.search(text):
        return value, []
    scan = _Scan(text)
    scan.run()
    return value, scan.problems


def locate_json(text: str) -> dict[Pointer, Place]:
    """The place of every value of a JSON text; of one that `read_json` could not read, of those before the mistake."""
    scan = _Scan(text)
    with suppress(ValueError, IndexError):
        scan.run()
    return scan.places


def _number(digits: str, read: Any, strange: list[str]) -> Any:
    try:
        return read(digits)
    except NumberRangeError:
        strange.append(digits)
        return UNKNOWN


def _too_deep(text: str) -> Problem:
    return Problem(NESTING.finding, say("Values are nested deeper than {} levels.", NESTING.most), 0, min(1, len(text)))


def _explain(said: str, at: int, text: str) -> Sentence:
    found = text[at : at + 1]
    what = say("`{}`", found) if found.strip() else ("the end of the file" if not found else "a line break or space")
    expected = {
        "Expecting value": say("a value"),
        "Expecting property name enclosed in double quotes": say("a key in double quotes"),
        "Illegal trailing comma before end of object": say("a key in double quotes"),
        "Illegal trailing comma before end of array": say("a value"),
        "Expecting ':' delimiter": say("a `:`"),
        "Expecting ',' delimiter": say("a `,` or the closing bracket"),
        "Extra data": say("the end of the file"),
    }.get(said)
    return (
        say("This is not JSON: {} is expected, and {} is found.", expected, what)
        if expected
        else say("This is not JSON: {}.", Foreign(said))
    )


def _advice(at: int, text: str) -> Sentence:
    if not text.strip():
        return say("The file is empty. Write {} where nothing is meant.", "{}")
    before = text[:at].rstrip()
    if before.endswith(",") and text[at : at + 1] in "]}":
        return say("Remove the comma before the closing bracket.")
    if text.startswith(("//", "#", "/*"), at):
        return say("JSON has no comments; YAML has.")
    return NOTHING


class _Scan:
    """One walk over the tokens of a text that is known to be JSON."""

    def __init__(self, text: str) -> None:
        self.text = text
        self.places: dict[Pointer, Place] = {}
        self.problems: list[Problem] = []

    def run(self) -> None:
        stack: list[list[Any]] = []  # [pointer, is_map, key or index, key place, start, key places]
        for match in _TOKEN.finditer(self.text):
            token, (start, end) = match.group(1), match.span(1)
            if token in "[{":
                pointer = self.pointer(stack)
                stack.append([pointer, token == "{", None if token == "{" else 0, (start, start), start, {}])
            elif token in "]}":
                pointer, *_, opened, _ = stack.pop()
                self.record(stack, pointer, opened, end, "")
            elif token == ",":
                stack[-1][2] = None if stack[-1][1] else stack[-1][2] + 1
            elif token != ":":
                if stack and stack[-1][1] and stack[-1][2] is None:
                    self.check_text(token, start, end)
                    self.key(stack[-1], json.loads(token, strict=False), (start, end))
                else:
                    self.check_number(token, start, end)
                    self.check_text(token, start, end)
                    self.record(stack, self.pointer(stack), start, end, "double" if token[0] == '"' else "plain")

    def pointer(self, stack: list[list[Any]]) -> Pointer:
        return (*stack[-1][0], stack[-1][2]) if stack else ()

    def key(self, top: list[Any], key: str, place: tuple[int, int]) -> None:
        top[2], top[3] = key, place
        if key in top[5]:
            self.problems.append(duplicate_problem(key, top[5][key], place))
        top[5].setdefault(key, place)

    def check_text(self, token: str, start: int, end: int) -> None:
        if token[0] == '"' and _HALF.search(token) and any("\ud800" <= char <= "\udfff" for char in json.loads(token, strict=False)):
            message = say("A text holds half of a surrogate pair, which is no character.")
            self.problems.append(Problem("json-syntax", message, start, end, say("Write both halves: \\ud83d\\ude82.")))

    def check_number(self, token: str, start: int, end: int) -> None:
        if token in ("NaN", "Infinity", "-Infinity"):
            self.problems.append(Problem("number-range", say("{} is not a JSON number.", token), start, end))
        elif token[0] in "-0123456789":
            try:
                (bounded_float if re.search("[.eE]", token) else bounded_integer)(token)
            except NumberRangeError:
                hint = say("Write it in quotes if it is an identifier and not a quantity.")
                self.problems.append(Problem("number-range", say("{} is outside the 64 bits of a number.", token[:24]), start, end, hint))

    def record(self, stack: list[list[Any]], pointer: Pointer, start: int, end: int, style: str) -> None:
        key_start, key_end = stack[-1][3] if stack and stack[-1][1] else (start, start)
        self.places.setdefault(pointer, Place(key_start, key_end, start, end, style))
