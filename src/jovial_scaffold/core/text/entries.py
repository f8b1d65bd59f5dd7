"""The places of values in a large text, whose entries are read again one by one, as somebody asks for them."""

from bisect import bisect_right
from collections.abc import Callable
from itertools import accumulate
from typing import NamedTuple

from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.text.outline import Outline, Pointer

_PARTS = 200  # entries whose places are found one by one, before those of the whole text are
_LONG = 4_000  # characters of an entry that is read by itself, and not as one of many that are alike
_DIGITS = regex("[0-9]+")
_INDENTED = regex("[|>][-+]?[1-9]")  # a text of several lines that says how far in it stands
_UNMOVED = [0]  # where there are no numbers
# A list of which each item begins with a dash in a line of its own and has nothing in it that may go on in the next one: no quotes that are open, no
# text of several lines, no anchor. Nothing is tried twice, however long a line is.
_QUOTED = r""""[^"\\\n]*+"|'[^'\n]*+'"""
_IN_FLOW = rf"""(?:[^{{}}\[\]"'#&*!|>%@`\n]|{_QUOTED})*+"""
_VALUE = rf"""(?:{{{_IN_FLOW}}}|\[{_IN_FLOW}\]|{_QUOTED}|[\w./][^#:"'{{}}\[\],&*!|>%@`\n]*+)"""
_CONTENT = rf"(?:- )*+(?:[\w.-]++:(?:[ ]++{_VALUE})?+|{_VALUE})[ ]*+(?:\n|\Z)"
_ITEMS = regex(rf"[^\n]*+\n([ ]*+)- {_CONTENT}(?:\1- {_CONTENT}|\1[ ]++{_CONTENT}|[ ]*+(?:#[^\n]*+)?+\n)*+[ ]*+(?:#[^\n]*+)?+\Z")


class Place(NamedTuple):
    """Where a value stands in its text, as character offsets; `key_*` is its key in a map, or the value itself."""

    key_start: int
    key_end: int
    start: int
    end: int
    style: str  # "plain", "single", "double", "literal", "folded", "verbatim", or "" for anything that is not a scalar

    def moved(self, by: int, ends: list[int], moves: list[int]) -> "Place":
        """The same in a text with more before it, and where what stands behind some ends is moved further."""
        key_start, key_end, start, end = [at + by + moves[bisect_right(ends, at)] for at in self[:4]]
        return Place(key_start, key_end, start, end, self.style)


Places = dict[Pointer, Place]
_NO_PLACE = Place(0, 0, 0, 0, "")


def nearest(places: Places, pointer: Pointer) -> Place:
    """The place of a value, or of its nearest ancestor that has one."""
    while pointer not in places:
        if not pointer:
            return _NO_PLACE
        pointer = pointer[:-1]
    return places[pointer]


class Part(NamedTuple):
    """The places in one entry, or in those that are alike but for the digits of numbers: `ends` are where the numbers end in the one that was
    read, and `lengths` how many digits they have there. `lines` are how many lines below the first one values and keys stand, of those that were
    asked for."""

    places: Places
    ends: list[int]
    lengths: tuple[int, ...]
    lines: dict[tuple[Pointer, bool], int]

    def moves(self, digits: tuple[str, ...]) -> list[int]:
        """How far what stands behind so many numbers is moved in an entry with other digits."""
        return [0, *accumulate(map(int.__sub__, map(len, digits), self.lengths))]


class Entries:
    """Those of one text, which begin where its outline says."""

    __slots__ = ("_listed", "_locate", "_offsets", "_outline", "_parts", "_text")

    def __init__(self, text: str, outline: Outline, locate: Callable[[str], Places]) -> None:
        self._text = text
        self._outline = outline
        self._locate = locate
        self._parts: dict[object, Part] = {}  # by entries, or by what is alike in them
        self._listed: set[Pointer] = set()  # those that were looked at whether they are long lists
        self._offsets: dict[int, list[int]] = {}  # where they begin, down to a level, in order

    def head(self, pointer: Pointer) -> Pointer:
        """The entry that holds a value; nothing where none does."""
        starts = self._outline.starts
        head = pointer[:2] if pointer[:2] in starts else pointer[:1]
        if head not in starts:
            return ()
        item = pointer[: len(head) + 1]
        return item if type(item[-1]) is int and len(item) > len(head) and (item in starts or self._has(item)) else head

    def _has(self, item: Pointer) -> bool:
        """Whether something stands in a long list of which each item can be read by itself; where those begin is in the outline then."""
        head, starts = item[:-1], self._outline.starts
        if head in self._listed:
            return False
        self._listed.add(head)
        text = self.text(head)
        found = _ITEMS.match(text) if len(text) > _LONG else None
        if found is None:
            return False
        dash, at, index = f"\n{found[1]}- ", text.find("\n"), 0
        while at >= 0:
            starts[(*head, index)] = starts[head] + at + 1
            index, at = index + 1, text.find(dash, at + 1)
        self._offsets.clear()
        return item in starts

    def text(self, head: Pointer) -> str:
        """The text of one."""
        starts = self._outline.starts
        level = len(head)
        if level not in self._offsets:
            self._offsets[level] = sorted(offset for path, offset in starts.items() if len(path) <= level)
        after = bisect_right(self._offsets[level], starts[head])
        end = self._offsets[level][after] if after < len(self._offsets[level]) else len(self._text)
        return self._text[starts[head] : end]

    def place(self, head: Pointer, pointer: Pointer) -> Place | None:
        """The place of a value in one, or of its nearest ancestor that has one; None where the whole text is to be read."""
        near = self.part(head)
        if near is None:
            return None
        part, digits = near
        found = nearest(part.places, pointer[len(head) :])
        if found is _NO_PLACE:
            return found
        return found.moved(self._outline.starts[head], part.ends, part.moves(digits) if digits else _UNMOVED)

    def part(self, head: Pointer) -> tuple[Part, tuple[str, ...]] | None:
        """The places in one, which count from where it begins, and the numbers in it; None where the whole text is to be read."""
        cast = self._outline.casts.get(head)
        if cast is not None:
            alike: object = cast[0]
            digits = cast[1]
        elif head in self._parts:
            alike, digits = head, ()
        else:
            text = self.text(head)
            is_long = len(text) > _LONG  # which is hardly written twice, and is not compared each time
            alike = head if is_long else _DIGITS.sub("0", text)
            digits = () if is_long else tuple(_DIGITS.findall(text))
        part = self._parts.get(alike)
        if part is None:
            if len(self._parts) >= max(_PARTS, len(self._outline.starts) // 4):  # then all of it at once takes less
                return None
            text = self.text(head)
            ends = [match.end() for match in _DIGITS.finditer(text)] if digits else []
            places = {inner[1:]: place for inner, place in self._locate(text).items() if inner}
            # Where numbers are part of keys, or say how far in a text stands, others that are alike are not the same.
            if cast is None and (
                _INDENTED.search(text) or any(_DIGITS.search(step) for each in places for step in each if type(step) is str)
            ):
                alike, ends, digits = head, [], ()
            part = self._parts[alike] = Part(places, ends, tuple(map(len, digits)), {})
        return part, digits
