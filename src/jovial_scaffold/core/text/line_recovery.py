"""What can be read of a JSON or TOML text that cannot be read as a whole, where its entries stand on lines of their own: a line with a mistake
costs the entry that it holds, and is read as if something unknown stood there.
"""

import re
from collections.abc import Callable, Iterator
from typing import Any

from jovial_scaffold.core.limits import RECOVERED_CHARACTERS
from jovial_scaffold.core.text.source import Problem
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.text.yaml_recovery import Recovered

_MARK = "\ue000"  # stands in the place of what is lost
_LINES = 60  # with mistakes
_JSON = re.compile(r'([ \t]*)("(?:[^"\\\n]|\\.)*"[ \t]*:[ \t]*)?([^\s].*)?')
_TOML = re.compile(r"([ \t]*(?:[A-Za-z0-9_-]+|\"(?:[^\"\\\n]|\\.)*\"|'[^'\n]*')[ \t]*=[ \t]*)(\S.*)")
_Read = Callable[[str], tuple[Any, list[Problem]]]


def recover_lines(text: str, read: _Read, notation: str) -> Recovered | None:
    """None where the mistakes cannot be told from the rest."""
    if len(text) > RECOVERED_CHARACTERS.most or _MARK in text:
        return None
    instead = _json_lines if notation == "JSON" else _toml_lines
    problems: list[Problem] = []
    blanked = text
    for number in range(_LINES):
        value, wrong = read(blanked)
        if value is not UNKNOWN:
            found = _without_marks(value)
            return Recovered(found, [*problems, *wrong], blanked) if isinstance(found, dict | list) and found else None
        mended = _mended(blanked, wrong[-1], read, instead, number)
        if mended is None:
            return None
        blanked, problem = mended
        problems.append(problem)
    return None


def _mended(
    text: str, wrong: Problem, read: _Read, instead: Callable[[str, str, int], Iterator[str]], number: int
) -> tuple[str, Problem] | None:
    """The text with another line in the place of the one that a mistake is in, or of the one before; and the mistake, in its own line."""
    start = text.rfind("\n", 0, wrong.start) + 1
    before = text.rfind("\n", 0, len(text[:start].rstrip())) + 1
    for first in dict.fromkeys((start, before)):
        end = text.find("\n", first)
        end = end if end >= 0 else len(text)
        line, behind = text[first:end].rstrip("\r"), text[end:].lstrip()[:1]
        for other in instead(line, behind, number):
            tried = f"{text[:first]}{other}{text[first + len(line) :]}"
            value, again = read(tried)
            if value is not UNKNOWN or again[-1].start > first + len(line):
                at = wrong.start if first <= wrong.start <= end else first + len(line.rstrip())
                return tried, wrong._replace(start=min(at, first + len(line)), end=min(at, first + len(line)) + (at < first + len(line)))
    return None


def _json_lines(line: str, behind: str, number: int) -> Iterator[str]:
    """Lines of the same length with something unknown in them."""
    match = _JSON.match(line)
    assert match is not None  # it matches nothing, too
    space, key, rest = match[1], match[2] or "", match[3] or ""
    comma = "" if behind in ("]", "}", "") else ","
    if rest.rstrip(", ")[-1:] not in ("{", "["):
        made = (f'{key}"{_MARK}"{comma}', f'"{_MARK}{number}":0{comma}') if key else (f'"{_MARK}{number}":0{comma}', f'"{_MARK}"{comma}')
        yield from (f"{space}{each}".ljust(len(line)) for each in made if len(space) + len(each) <= len(line))


def _toml_lines(line: str, behind: str, number: int) -> Iterator[str]:
    match = _TOML.match(line)
    if match is not None and len(match[2]) >= len(_MARK) + 2:
        yield f'{match[1]}"{_MARK}"'.ljust(len(line))
    if line.strip():
        yield "#".ljust(len(line))


def _without_marks(value: Any) -> Any:
    """A value in which what is lost is unknown, or not there where nobody knows what it was called."""
    if isinstance(value, dict):
        return {key: _without_marks(item) for key, item in value.items() if not key.startswith(_MARK)}
    if isinstance(value, list):
        return [_without_marks(each) for each in value]
    return UNKNOWN if isinstance(value, str) and value == _MARK else value
