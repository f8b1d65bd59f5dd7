"""Resources of a large template that are laid out alike, line by line, and differ in their words: like those that differ in digits only, with a word for
each number."""

from collections.abc import Callable, Iterator
from typing import Any

from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.templates.model import Resource, ResourceShape
from jovial_scaffold.core.text import moulds
from jovial_scaffold.core.text.moulds import Woven
from jovial_scaffold.core.text.source import Pointer, Source
from jovial_scaffold.reports.weaving import DIGITS, MOST

LONGEST_WORD = 100
"""Characters of a text that is the word of one resource."""
ALIKE = 6  # resources that were looked at before anything is said of what they have in common
_TRIES = 8  # how often what they have in common may turn out to be less
_LINE = regex(
    r"""([ ]*(?:-[ ]+)*)(?:((?:[A-Za-z0-9_$][^\s:#'"{}\[\],]*|"[^"\n\\]*"|'[^'\n]*')(?:[ ]\([^()\n]*\))?:)(?:[ ]+|$))?(.*?)[ ]*\Z"""
)
_QUOTED = regex(r"""(?:"(?:[^"\\]|\\.)*"|'(?:[^']|'')*')[ ]*(?:#.*)?\Z""")


class Wording:
    """What some resources have in common: `woven` is their content, with a `Woven` where they may have words of their own, `differing` which words
    these are."""

    __slots__ = ("differing", "woven")

    def __init__(self, woven: Any, differing: frozenset[int]) -> None:
        self.woven = woven
        self.differing = differing


class _Common:
    """What is known of resources that are laid out alike: the words of the first one, which of them are not the same in all, how many there were,
    and what was said of them."""

    __slots__ = ("differing", "said", "seen", "words")

    def __init__(self, words: list[str]) -> None:
        self.words = words
        self.differing: set[int] = set()
        self.seen = 1
        self.said: list[Wording] = []


def room_of(common: Any) -> int:
    """How many characters may stand in each place that is another one in others, of what resources have in common."""
    return LONGEST_WORD if isinstance(common, Wording) else DIGITS


class Wordings:
    """Those of one board."""

    def __init__(self) -> None:
        self._known: dict[tuple[object, ...], _Common] = {}

    def alike(self, resource: Resource, content_of: Callable[[Resource], Any]) -> tuple[Any, tuple[str, ...]] | None:
        """What a resource of a template has in common with others, and its digits, or its words where it differs from them in more."""
        source, pointer = resource.origin
        return source.outline.casts.get(pointer) or self.of(source, pointer, resource.shape, content_of(resource))

    def of(self, source: Source, pointer: Pointer, shape: ResourceShape, content: Any) -> tuple[Wording, tuple[str, ...]] | None:
        """What a resource has in common with others, and its words; None as long as that is not known, or where it stands in its file in a way
        that is not looked at."""
        entry = source.entry(pointer) if len(source.text) >= moulds.LEAST else None
        layout = layout_of(entry) if entry is not None else None
        if layout is None:
            return None
        words: list[str] = []
        structure = structure_of(content, words)
        if structure is None:
            return None
        key = (source, shape, layout, structure)
        known = self._known.get(key)
        if known is None:
            self._known[key] = _Common(words)
            return None
        fresh = [number for number, (one, other) in enumerate(zip(known.words, words, strict=True)) if one != other]
        if not all(is_word(words[number]) and is_word(known.words[number]) for number in fresh):
            return None
        known.seen += 1
        known.differing.update(fresh)
        if known.seen <= ALIKE:
            return None
        if not known.said or not known.said[-1].differing.issuperset(fresh):
            if len(known.said) >= _TRIES:
                return None
            known.said.append(Wording(_woven(content, iter(range(len(words))), known.differing), frozenset(known.differing)))
        return known.said[-1], tuple(words)


def is_word(text: str) -> bool:
    """Whether a page shows a text as it stands in the file."""
    return len(text) <= LONGEST_WORD and text.isascii() and text.isprintable() and text == text.strip() and "$$" not in text


def layout_of(entry: str) -> tuple[str, ...] | None:
    """How the lines of an entry begin, and what kind of thing follows: where that is the same, all values stand in the same lines, as long as
    they have the same parts. None where a value takes more than one line."""
    found = []
    for line in entry.rstrip("\n").split("\n"):
        match = _LINE.match(line)
        if match is None:
            return None
        begins, key, rest = match.groups()
        if not rest or rest[0] == "#":
            kind = rest[:1]
        elif not (key or begins.endswith("- ")) or not _is_in_one_line(rest):
            return None
        else:
            kind = "="
        found.append(f"{begins}{key or ''}{kind}")
    while found and found[-1].strip() in ("", "#"):
        found.pop()
    return tuple(found[1:])


def _is_in_one_line(rest: str) -> bool:
    first = rest[0]
    if first in "\"'":
        return _QUOTED.match(rest) is not None
    if first in "[{":
        return rest.count("[") == rest.count("]") and rest.count("{") == rest.count("}") and rest.count('"') % 2 == 0
    return first not in "|>&*!"


def structure_of(value: Any, words: list[str]) -> object:
    """What is not a word in a value, which are taken out of it; None where one of them says more than that."""
    kind = type(value)
    if kind is str:
        words.append(value)
        return str
    if kind is int:
        words.append(str(value))
        return int if -MOST <= value <= MOST else None
    if kind is dict:
        parts = [(name, structure_of(item, words)) for name, item in value.items()]
        return tuple(parts) if all(part is not None for _, part in parts) else None
    if kind is list:
        items = [structure_of(item, words) for item in value]
        return (list, *items) if all(item is not None for item in items) else None
    return kind, repr(value)


def _woven(value: Any, numbers: Iterator[int], differing: set[int]) -> Any:
    """A value with a `Woven` for each of its words that is not the same in all."""
    if isinstance(value, dict):
        return {name: _woven(item, numbers, differing) for name, item in value.items()}
    if isinstance(value, list):
        return [_woven(item, numbers, differing) for item in value]
    if type(value) is str or type(value) is int:
        number = next(numbers)
        return Woven((number,), is_integer=type(value) is int) if number in differing else value
    return value
