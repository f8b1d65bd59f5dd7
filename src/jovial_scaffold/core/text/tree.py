"""A text as the pieces that it is made of, made only when asked for: every character is in one of them, so that they put together are the text.

What the reader of a notation gives a place is a key or a value; what lies between is a comment, a space, a sign of the notation, or what could
not be read. Nothing is lost in a broken text: what stands before and after a mistake has its pieces.
"""

import re
from collections.abc import Iterator
from typing import NamedTuple

from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.text.formats import format_of
from jovial_scaffold.core.text.source import Place, Pointer, Source, value_at
from jovial_scaffold.core.text.unknown import UNKNOWN

_SIGNS = frozenset("[]{},:=-")  # that stand between keys and values
_YAML = regex(r"(?P<comment>(?<![^\s])#[^\n]*)|(?P<space>\s+)|(?P<other>[^\s]+)")
_HASHED = regex(
    r"(?P<comment>#[^\n]*)|(?P<space>\s+)|(?P<other>\"(?:[^\"\\\n]|\\.)*\"|'[^'\n]*'|[^\s#\"']+|[\"'])",
)
_PLAIN = regex(r"(?P<space>\s+)|(?P<other>[^\s]+)")
_BETWEEN = {"YAML": _YAML, "TOML": _HASHED, "dotenv": _HASHED, "JSON": _PLAIN, "CSV": _PLAIN}
_DOTENV_VALUE = regex(r"'(?:[^'\\]|\\.)*'|\"(?:[^\"\\]|\\.)*\"|(?:[^\n#]|(?<=[^\s])#)*")
_BEHIND_HEAD = regex(r"[^\n]*?(?<=\s)(#[^\n]*)")


class Piece(NamedTuple):
    """Characters `start` to `end` of a text: a `key` or `value` of the entry at a pointer; a `comment`, `space` or `sign`; or what is `broken`."""

    kind: str
    start: int
    end: int
    pointer: Pointer | None = None


class Tree:
    """The pieces of one text, in their order."""

    def __init__(self, source: Source) -> None:
        self.source = source
        self.pieces = [*_pieces(source)]

    def text(self, piece: Piece) -> str:
        """What a piece says."""
        return self.source.text[piece.start : piece.end]

    def __str__(self) -> str:
        return "".join(map(self.text, self.pieces))

    def columns(self, piece: Piece) -> tuple[int, int]:
        """Where a piece begins and ends on its line, from 0, in units of UTF-16, as editors count; the end on the last line of it."""
        return self._units(piece.start), self._units(piece.end)

    def _units(self, offset: int) -> int:
        return len(self.source.text[self.source.text.rfind("\n", 0, offset) + 1 : offset].encode("utf-16-le", "surrogatepass")) // 2

    def lines(self) -> Iterator[list[Piece]]:
        """The pieces of each line, but for spaces; one of several lines belongs to the first of them."""
        line: list[Piece] = []
        for piece in self.pieces:
            if piece.kind != "space":
                line.append(piece)
            ends = self.source.text.count("\n", piece.start, piece.end)
            if ends:
                yield line
                yield from ([] for _ in range(ends - 1))
                line = []
        if line:
            yield line

    def said(self) -> list[Pointer | str]:
        """Keys by their pointers, and comments by their texts, as they follow one another."""
        found: list[Pointer | str] = []
        for piece in self.pieces:
            if piece.kind == "comment":
                found.append(self.text(piece).rstrip())
            elif piece.kind == "key" and piece.pointer is not None:
                found.append(piece.pointer)
        return found

    def said_of(self) -> dict[Pointer, list[Pointer | str]]:
        """The same of each outermost entry, by its pointer: comments on lines of their own right above one are about it; what stands at the top of
        all of them, or at the end, is by the empty pointer."""
        found: dict[Pointer, list[Pointer | str]] = {(): []}
        above: list[Pointer | str] = []
        current: Pointer = ()
        for line in self.lines():
            heads = [each.pointer for each in line if each.kind == "key" and each.pointer is not None and len(each.pointer) == 1]
            if not heads and line and line[0].kind == "comment" and not self.columns(line[0])[0]:
                above.append(self.text(line[0]).rstrip())
                continue
            if not heads:
                found[current] += above
                above = []
            for piece in line:
                if piece.kind == "key" and piece.pointer is not None:
                    current = piece.pointer[:1]
                    found.setdefault(current, []).extend([*above, piece.pointer])
                    above = []
                elif piece.kind == "comment":
                    found[current].append(self.text(piece).rstrip())
        found[()] += above
        return found


def _pieces(source: Source) -> Iterator[Piece]:
    text, at = source.text, 0
    form = format_of(source.name)
    notation = form.name if form is not None else "YAML"
    between = _BETWEEN.get(notation, _PLAIN)
    wrong = source.broken or bool(source.problems)
    for start, end, kind, pointer in sorted(_atoms(source, notation), key=lambda each: (each[0], -each[1])):
        if start < at or end > len(text):
            continue  # what stands in another one: an alias, say
        yield from _gap(text, at, start, between, wrong)
        behind = _BEHIND_HEAD.match(text, start, end) if kind == "block" else None
        if behind is not None:  # a comment behind the head of a text of several lines
            yield Piece("sign", start, behind.start(1), pointer)
            yield Piece("comment", *behind.span(1), pointer)
            start = behind.end()
        if end > start:
            yield Piece("value" if kind == "block" else kind, start, end, pointer)
        at = end
    yield from _gap(text, at, len(text), between, wrong)


def _atoms(source: Source, notation: str) -> Iterator[tuple[int, int, str, Pointer]]:
    """Where keys and scalars stand."""
    for pointer, place in source.places().items():
        if place.key_end > place.key_start:
            yield place.key_start, place.key_end, "key", pointer
        if place.style and place.end > place.start:
            end = _value_end(source.text, place) if notation == "dotenv" else place.end
            is_read = value_at(source.value, pointer, UNKNOWN) is not UNKNOWN or not pointer
            kind = "block" if place.style in ("literal", "folded") else "value"
            if end > place.start:
                yield place.start, end, kind if is_read else "broken", pointer


def _value_end(text: str, place: Place) -> int:
    """Where a value of dotenv ends, without the comment behind it."""
    match = _DOTENV_VALUE.match(text, place.start, place.end)
    return place.start + len(match[0].rstrip()) if match is not None else place.end


def _gap(text: str, start: int, end: int, between: re.Pattern[str], wrong: bool) -> Iterator[Piece]:
    """The pieces of what no key and no value is."""
    for match in between.finditer(text, start, end):
        kind = match.lastgroup or "other"
        if kind == "other":
            kind = "broken" if wrong and not _SIGNS.issuperset(match[0]) else "sign"
        yield Piece(kind, *match.span())
