"""TOML 1.0 text to plain values with the standard library, and the places of values when a finding needs them."""

import datetime
import json
import re
import tomllib
from contextlib import suppress
from typing import Any

from jovial_scaffold.core.limits import INT64_MAX, INT64_MIN, NESTING
from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.text.nesting import deepest, is_too_deep
from jovial_scaffold.core.text.source import Place, Pointer, Problem
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.words import NOTHING, Sentence, say

_AT = regex(r"(.*) \(at (?:line (\d+), column (\d+)|end of document)\)\Z", re.DOTALL)
_SKIP = regex(r"(?:[ \t\r\n]|#[^\n]*)*")
_KEY = regex(r'[ \t]*("(?:[^"\\]|\\.)*"|\'[^\']*\'|[A-Za-z0-9_-]+)[ \t]*')
_STRING = regex(r'"""(?:[^\\]|\\.)*?"{3,5}|\'\'\'.*?\'{3,5}|"(?:[^"\\\n]|\\.)*"|\'[^\'\n]*\'', re.DOTALL)
_QUOTING = regex(r"""['"{}]""")  # a message that quotes what stands there
_BARE = regex(r"[^,\]}#\n]+")


def read_toml(text: str) -> tuple[Any, list[Problem]]:
    """Value and problems of a TOML text. Dates and times become their text (RFC 3339)."""
    too_deep = Problem(NESTING.finding, say("Values are nested deeper than {} levels.", NESTING.most), 0, 1)
    if deepest(text, toml=True) > NESTING.most:
        return UNKNOWN, [too_deep]
    try:
        raw = tomllib.loads(text.replace("\r\n", "\n"))
    except tomllib.TOMLDecodeError as error:
        return UNKNOWN, [_syntax_problem(text, str(error))]
    if is_too_deep(raw):  # by keys with many dots
        return UNKNOWN, [too_deep]
    problems: list[Problem] = []
    return _plain(raw, (), text, problems), problems


def _plain(value: Any, pointer: Pointer, text: str, problems: list[Problem]) -> Any:
    if isinstance(value, dict):
        return {key: _plain(item, (*pointer, key), text, problems) for key, item in value.items()}
    if isinstance(value, list):
        return [_plain(item, (*pointer, index), text, problems) for index, item in enumerate(value)]
    if isinstance(value, datetime.date | datetime.time):
        return value.isoformat()
    if isinstance(value, int) and not INT64_MIN <= value <= INT64_MAX:
        place = locate_toml(text).get(pointer, Place(0, 0, 0, 0, ""))
        hint = say("Write it in quotes if it is an identifier and not a quantity.")
        problems.append(Problem("number-range", say("This number is outside the 64 bits of a number."), place.start, place.end, hint))
        return UNKNOWN
    return value


def _syntax_problem(text: str, said: str) -> Problem:
    match = _AT.match(said)
    message = match.group(1) if match else said
    index = len(text)
    if match and match.group(2):
        lines = text.split("\n")
        line = int(match.group(2)) - 1
        index = sum(len(before) + 1 for before in lines[:line]) + int(match.group(3)) - 1
    id = "duplicate-key" if "overwrite" in message else "toml-syntax"
    hint = say("Text stands in quotes in TOML.") if "Invalid value" in message else NOTHING
    told = say("This is not TOML: {}.", message if _QUOTING.search(message) else Sentence(message))
    return Problem(id, told, min(index, len(text)), min(index + 1, len(text)), hint)


def locate_toml(text: str) -> dict[Pointer, Place]:
    """The place of every value of a TOML text that `read_toml` could read."""
    scan = _Scan(text)
    with suppress(AttributeError, IndexError, ValueError):  # not TOML from here on: the places found so far are what there is
        scan.run()
    return scan.places


class _Scan:
    """One walk over the statements of a TOML text."""

    def __init__(self, text: str) -> None:
        self.text = text
        self.at = 0
        self.places: dict[Pointer, Place] = {}
        self.tables: dict[Pointer, int] = {}

    def skip(self) -> None:
        self.at = _SKIP.match(self.text, self.at).end()  # type: ignore[union-attr]  # the pattern matches the empty text

    def run(self) -> None:
        table: Pointer = ()
        self.skip()
        while self.at < len(self.text):
            if self.text.startswith("[", self.at):
                table = self.header()
            else:
                self.pair(table)
            self.skip()

    def header(self) -> Pointer:
        start = self.at
        repeated = self.text.startswith("[[", self.at)
        self.at += 2 if repeated else 1
        path: Pointer = ()
        keys, key_place = self.keys()
        for key in keys:
            path = (*path, key)
            if path in self.tables and not (repeated and len(path) == len(keys)):
                path = (*path, self.tables[path])
        self.at += 2 if repeated else 1
        if repeated:
            index = self.tables.get(path, -1) + 1
            self.tables[path] = index
            self.places.setdefault(path, Place(*key_place, start, self.at, ""))
            path = (*path, index)
        self.places.setdefault(path, Place(*key_place, start, self.at, ""))
        return path

    def keys(self) -> tuple[list[str], tuple[int, int]]:
        found = []
        first = None
        while True:
            match = _KEY.match(self.text, self.at)
            assert match is not None or self.fail()
            written = match.group(1)  # type: ignore[union-attr]  # fail() left otherwise
            found.append(json.loads(written, strict=False) if written[0] == '"' else written.strip("'"))
            span = match.span(1)  # type: ignore[union-attr]
            first = (first or span)[0], span[1]
            self.at = match.end()  # type: ignore[union-attr]
            if not self.text.startswith(".", self.at):
                return found, first
            self.at += 1

    def fail(self) -> bool:
        raise IndexError(self.at)

    def pair(self, table: Pointer) -> None:
        keys, key_place = self.keys()
        self.at += 1  # the equals sign
        pointer = (*table, *keys)
        for depth in range(len(table) + 1, len(pointer)):
            self.places.setdefault(pointer[:depth], Place(*key_place, *key_place, ""))
        self.value(pointer, key_place)

    def value(self, pointer: Pointer, key_place: tuple[int, int] | None) -> None:
        self.skip()
        start = self.at
        char = self.text[start]
        style = ""
        if char == "[":
            self.items(pointer, "]")
        elif char == "{":
            self.items(pointer, "}")
        elif char in "\"'":
            self.at = _STRING.match(self.text, start).end()  # type: ignore[union-attr]  # it is TOML
            triple = self.text.startswith(('"""', "'''"), start)
            style = "multiline" if triple else ("double" if char == '"' else "single")
        else:
            written = _BARE.match(self.text, start).group()  # type: ignore[union-attr]  # it is TOML
            self.at = start + len(written.rstrip())
            style = "plain"
        self.places[pointer] = Place(*(key_place or (start, start)), start, self.at, style)

    def items(self, pointer: Pointer, closing: str) -> None:
        self.at += 1
        index = 0
        while True:
            self.skip()
            if self.text.startswith(closing, self.at):
                self.at += 1
                return
            if closing == "]":
                self.value((*pointer, index), None)
            else:
                self.pair(pointer)
            index += 1
            self.skip()
            if self.text.startswith(",", self.at):
                self.at += 1
