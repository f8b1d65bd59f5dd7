"""dotenv text to a flat map of texts: the reading of lines is python-dotenv's; nothing is substituted in values."""

import io
from typing import Any

from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.text.source import Place, Pointer, Problem, duplicate_problem
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.words import say

_HEAD = regex(r"\s*(?:export[^\S\r\n]+)?")  # what stands before a name


def read_dotenv(text: str) -> tuple[Any, list[Problem]]:
    """A map from name to text, and problems: lines that are none, names without a value, names that stand twice."""
    values: dict[str, Any] = {}
    first: dict[str, tuple[int, int]] = {}
    problems: list[Problem] = []
    for key, value, place, original in _lines(text):
        if key is None:
            start = place.start + len(original) - len(original.lstrip())
            hint = say("A line is `NAME=value`, with quotes around a value that holds spaces or `#`.")
            problems.append(
                Problem("dotenv-syntax", say("This line is not of the form NAME=value."), start, place.start + len(original.rstrip()), hint)
            )
        elif key in first:
            problems.append(duplicate_problem(key, first[key], (place.key_start, place.key_end)))
        else:
            first[key] = (place.key_start, place.key_end)
            if value is None:
                problems.append(
                    Problem(
                        "dotenv-syntax",
                        say("{} has no `=` and no value.", key),
                        place.key_start,
                        place.key_end,
                        say("Write `{}=` for an empty text.", key),
                    )
                )
            values[key] = UNKNOWN if value is None else value
    return values, problems


def locate_dotenv(text: str) -> dict[Pointer, Place]:
    """The place of every value."""
    places: dict[Pointer, Place] = {(): Place(0, 0, 0, len(text), "")}
    for key, _, place, _ in _lines(text):
        if key is not None:
            places.setdefault((key,), place)
    return places


def _lines(text: str) -> list[tuple[str | None, str | None, Place, str]]:
    from dotenv.parser import parse_stream  # only whoever has such a file pays for it

    found = []
    offset = 0
    for binding in parse_stream(io.StringIO(text, newline="")):
        original = binding.original.string
        if binding.key is not None or binding.error:
            head = _HEAD.match(original)
            key_start = offset + max(original.find(binding.key or "", head.end() if head is not None else 0), 0)
            key_end = key_start + len(binding.key or "")
            equals = original.find("=", key_end - offset)
            start = offset + equals + 1 if equals >= 0 else key_start
            end = offset + len(original.rstrip())
            start += len(text[start:end]) - len(text[start:end].lstrip())
            style = {"'": "single", '"': "double"}.get(text[start : start + 1], "plain")
            key = None if binding.error else binding.key
            found.append((key, binding.value, Place(key_start, key_end, start, max(start, end), style), original))
        offset += len(original)
    return found
