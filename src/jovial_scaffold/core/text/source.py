"""One file as read: its text, its plain value, and the places of that value, found only when somebody asks."""

from bisect import bisect_right
from collections.abc import Callable
from itertools import accumulate
from typing import Any, NamedTuple

from jovial_scaffold.core import marks
from jovial_scaffold.core.findings import Span
from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.text.alignment import source_offsets
from jovial_scaffold.core.text.outline import Outline
from jovial_scaffold.core.text.outline import Pointer as Pointer
from jovial_scaffold.core.words import NOTHING, Sentence, say

_COMMENT = regex(r"(^|\s)#.*")
_PARTS = 200  # entries whose places are found one by one, before those of the whole text are
_LONG_ENTRY = 4_000  # characters of an entry that is read by itself, and not as one of many that are alike
_FEW = 8  # places in a text that are found without a list of its lines
_DIGITS = regex("[0-9]+")
# A list of which each item begins with a dash in a line of its own and has nothing in it that may go on in the next one: no quotes that are open, no
# text of several lines, no anchor.
_SAFE = r"""(?:[{](?:[^{}\[\]"'#&*!|>%@`\n]|"[^"\\\n]*"|'[^'\n]*')*[}]|\[(?:[^{}\[\]"'#&*!|>%@`\n]|"[^"\\\n]*"|'[^'\n]*')*\]|"[^"\\\n]*"|'[^'\n]*'|[\w./][^#:"'{}\[\],&*!|>%@`\n]*)"""
_CONTENT = rf"(?:- )*(?:[\w.-]+:(?:[ ]+{_SAFE})?|{_SAFE})[ ]*(?:\n|\Z)"
_ITEMS = regex(rf"[^\n]*\n([ ]*)- {_CONTENT}(?:\1- {_CONTENT}|\1[ ]+{_CONTENT}|[ ]*(?:#[^\n]*)?\n)*+[ ]*\Z")
_INDENTED = regex("[|>][-+]?[1-9]")  # a text of several lines that says how far in it stands
_UNMOVED = [0]  # where there are no numbers
#: an entry whose value is a list or map of several lines, as its first two say: its name
_LONG = regex(
    r"([ ]*)([A-Za-z_][\w.-]*):[ ]*\n"
    r"(?:(\1[ ]*)- [^\n]*\n\3- |(\1[ ]+)[A-Za-z_][\w.-]*:(?: [^\n]*)?\n\4[A-Za-z_][\w.-]*:(?: |\n))"
)
_LINE_BREAK = regex(r"\r\n|\n|\r")


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


class _Part(NamedTuple):
    """The places in one entry, or in those that are alike but for the digits of numbers: `ends` are where the numbers end in the one that was
    read, and `lengths` how many digits they have there. `lines` are how many lines below the first one values and keys stand, of those that were
    asked for."""

    places: dict[Pointer, Place]
    ends: list[int]
    lengths: tuple[int, ...]
    lines: dict[tuple[Pointer, bool], int]

    def moves(self, digits: tuple[str, ...]) -> list[int]:
        """How far what stands behind so many numbers is moved in an entry with other digits."""
        return [0, *accumulate(map(int.__sub__, map(len, digits), self.lengths))]


class Problem(NamedTuple):
    """What a reader found wrong, as offsets; the caller makes a finding of it."""

    id: str
    message: Sentence
    start: int
    end: int
    hint: Sentence = NOTHING
    related: tuple[tuple[int, int, Sentence], ...] = ()


def duplicate_problem(key: str, first: tuple[int, int], second: tuple[int, int]) -> Problem:
    """A key that stands twice in one map: the second place is reported, the first is related."""
    return Problem(
        "duplicate-key",
        say("The key `{}` stands twice in this map.", key),
        *second,
        say("Remove one of the two, or give one another name."),
        ((*first, say("The first one is here.")),),
    )


_NO_PLACE = Place(0, 0, 0, 0, "")


def _nearest(places: dict[Pointer, Place], pointer: Pointer) -> Place:
    """The place of a value, or of its nearest ancestor that has one."""
    while pointer not in places:
        if not pointer:
            return _NO_PLACE
        pointer = pointer[:-1]
    return places[pointer]


class Wrapping(NamedTuple):
    """The whole file that values are taken out of: where an entry is put, under which key (none of a list) and how it is wrapped; and where the
    one of a name is."""

    whole: "Source"
    entry: Callable[[str, Any], tuple[Pointer, str | None, Any]]
    place: Callable[[str], Pointer]


class Source:
    """A file that was read: `name` as shown to people, `text`, and `value` as plain data."""

    __slots__ = (
        "_all_hidden",
        "_around",
        "_comments_hidden",
        "_covered",
        "_few",
        "_hidden",
        "_inner_spans",
        "_lines",
        "_listed",
        "_locate",
        "_offsets",
        "_parts",
        "_places",
        "_spans",
        "broken",
        "meant",
        "name",
        "outline",
        "problems",
        "text",
        "value",
        "wrapped",
    )

    def __init__(self, name: str, text: str, value: Any, locate: Callable[[str], dict[Pointer, Place]], broken: bool = False) -> None:
        self.name = name
        self.text = text
        self.value = value
        self.broken = broken
        self.problems: tuple[Problem, ...] = ()  # what is wrong with its text
        self.wrapped: Wrapping | None = None  #: of the values in an envelope, how they are changed
        self._locate = locate
        self._lines: list[int] | None = None
        self._few = _FEW  # places that are found without them
        self._places: dict[Pointer, Place] | None = None
        self._parts: dict[object, _Part] = {}  # by entries, or by what is alike in them
        self._spans: dict[tuple[Pointer, int], Span] = {}
        self._inner_spans: dict[tuple[Pointer, int, int, int], Span] = {}
        self._listed: set[Pointer] = set()  # entries that were looked at whether they are long lists
        self._offsets: dict[int, list[int]] = {}  # of the outline's starts down to a level, in order
        self.outline = Outline()
        #: keys that were taken for others, by the pointers that have those
        self.meant: dict[Pointer, str] = {}
        self._hidden: set[Pointer] = set()
        self._covered: dict[int, list[Place]] | None = None
        self._around: set[Pointer] | None = None  # what the hidden values stand in
        self._all_hidden = self._comments_hidden = False

    def hide(self, pointer: Pointer) -> None:
        """Never show the value at a pointer when lines are shown: it is secret."""
        self._hidden.add(pointer)
        self._covered = self._around = None

    def hide_comments(self) -> None:
        """Never show a comment: what stood there once may have been a secret."""
        self._comments_hidden = True

    def hide_all(self) -> None:
        """Never show a line: of a text that cannot be read, nobody knows where in it a secret stands."""
        self._all_hidden = True

    @property
    def hidden_pointers(self) -> frozenset[Pointer]:
        """The values that are not shown."""
        return frozenset(self._hidden)

    @property
    def hidden(self) -> tuple[bool, bool, int]:
        """How much of it is never shown, for comparing: all, comments, and how many values."""
        return self._all_hidden, self._comments_hidden, len(self._hidden)

    def conceals(self, pointer: Pointer) -> bool:
        """Whether a value, or one in it or around it, is not shown."""
        if self._all_hidden or not self._hidden:
            return self._all_hidden
        if self._around is None:
            self._around = {each[:depth] for each in self._hidden for depth in range(len(each))}
        return pointer in self._around or any(pointer[:depth] in self._hidden for depth in range(len(pointer) + 1))

    def hides(self, span: Span) -> bool:
        """Whether something that is not shown stands in the lines of a span."""
        if self._all_hidden:
            return True
        return any(self._hidden_in(number) for number in range(span.line, span.end_line + 1))

    def _hidden_in(self, number: int) -> list[Place]:
        """The places in a line that are not shown, the last first."""
        if self._covered is None:
            self._covered = {}
            for place in sorted(map(self.place, self._hidden), key=lambda place: -place.start):
                for line in range(self._position(place.start)[0], self._position(place.end)[0] + 1):
                    self._covered.setdefault(line, []).append(place)
        return self._covered.get(number, [])

    @property
    def line_starts(self) -> list[int]:
        """Offsets at which lines begin; the first is 0."""
        if self._lines is None:
            if "\r" in self.text:
                self._lines = [0, *(match.end() for match in _LINE_BREAK.finditer(self.text))]
            else:
                self._lines = [0, *accumulate(map((1).__add__, map(len, self.text.split("\n"))))]
                self._lines.pop()  # behind the last line
        return self._lines

    def line(self, number: int) -> str:
        """The text of a line, counted from 1, without its break; what is hidden shows as `‹secret›`."""
        return self.excerpt(Span(self.name, number, 1, number, 1))[0]

    def excerpt(self, span: Span) -> tuple[str, int, int]:
        """The first line of a span as it is shown, and where what the span is about begins and ends in that, counted from 0."""
        starts, number = self.line_starts, span.line
        if self._all_hidden or not 0 < number <= len(starts):
            return "", 0, 0
        begin = starts[number - 1]
        end = starts[number] if number < len(starts) else len(self.text)
        text = self.text[begin:end].rstrip("\r\n")
        first, last = span.column - 1, span.end_column - 1 if span.end_line == number else len(text.rstrip())
        hidden = self._hidden_between(number, begin, len(text))

        def moved(offset: int, is_end: bool) -> int:
            more = 0
            for start, stop in hidden:
                if start < offset < stop:
                    return start + more + (len(marks.SECRET) if is_end else 0)
                more += len(marks.SECRET) - (stop - start) if offset >= stop else 0
            return offset + more

        shown, at = "", 0
        for start, stop in hidden:
            shown, at = f"{shown}{text[at:start]}{marks.SECRET}", stop
        shown += text[at:]
        return _COMMENT.sub(r"\1#…", shown) if self._comments_hidden else shown, moved(first, False), moved(last, True)

    def _hidden_between(self, number: int, begin: int, length: int) -> list[tuple[int, int]]:
        """The parts of a line that are not shown, in order and apart from each other; `begin` is the offset of the line."""
        found: list[tuple[int, int]] = []
        for place in reversed(self._hidden_in(number)):
            start, stop = max(0, place.start - begin), min(length, place.end - begin)
            if start >= stop:
                continue
            if found and start < found[-1][1]:
                found[-1] = (found[-1][0], max(stop, found[-1][1]))
            else:
                found.append((start, stop))
        return found

    def span(self, start: int, end: int) -> Span:
        """Two offsets as a span."""
        line, column = self._position(start)
        if start <= end <= len(self.text) and self._is_in_one_line(start, end, line):
            return Span(self.name, line, column, line, column + end - start)
        end_line, end_column = self._position(max(start, end))
        return Span(self.name, line, column, end_line, end_column)

    def _is_in_one_line(self, start: int, end: int, line: int) -> bool:
        starts = self._lines
        if starts is None:
            return self.text.find("\n", max(0, start), end) < 0
        return line >= len(starts) or end < starts[line]

    def _position(self, offset: int) -> tuple[int, int]:
        within = max(0, min(offset, len(self.text)))
        if self._lines is None and self._few > 0 and "\r" not in self.text:  # a few lines of very many are not worth counting all
            self._few -= 1
            return self.text.count("\n", 0, within) + 1, offset - self.text.rfind("\n", 0, within)
        starts = self.line_starts
        line = bisect_right(starts, within) - 1
        return line + 1, offset - starts[line] + 1

    def places(self) -> dict[Pointer, Place]:
        """The places of all values."""
        if self._places is None:
            self._places = self._locate(self.text)
        return self._places

    def _near(self, head: Pointer) -> tuple[_Part, tuple[str, ...]] | None:
        """The places in an entry of a large text, which is read again by itself, and the numbers in it; None where those of the whole text are to
        be asked. They count from where the entry begins."""
        cast = self.outline.casts.get(head)
        if cast is not None:
            alike: object = cast[0]
            digits = cast[1]
        elif head in self._parts:
            alike, digits = head, ()
        else:
            text = self._entry(head)
            is_long = len(text) > _LONG_ENTRY  # which is hardly written twice, and is not compared each time
            alike = head if is_long else _DIGITS.sub("0", text)
            digits = () if is_long else tuple(_DIGITS.findall(text))
        part = self._parts.get(alike)
        if part is None:
            if len(self._parts) >= max(_PARTS, len(self.outline.starts) // 4):  # then all of it at once takes less
                return None
            text = self._entry(head)
            ends = [match.end() for match in _DIGITS.finditer(text)] if digits else []
            places = {inner[1:]: place for inner, place in self._locate(text).items() if inner}
            # Where numbers are part of keys, or say how far in a text stands, others that are alike are not the same.
            if cast is None and (
                _INDENTED.search(text) or any(_DIGITS.search(step) for each in places for step in each if type(step) is str)
            ):
                alike, ends, digits = head, [], ()
            part = self._parts[alike] = _Part(places, ends, tuple(map(len, digits)), {})
        return part, digits

    def _entry(self, head: Pointer) -> str:
        """The text of an entry of a large text."""
        starts = self.outline.starts
        level = len(head)
        if level not in self._offsets:
            self._offsets[level] = sorted(offset for path, offset in starts.items() if len(path) <= level)
        after = bisect_right(self._offsets[level], starts[head])
        end = self._offsets[level][after] if after < len(self._offsets[level]) else len(self.text)
        return self.text[starts[head] : end]

    def entry(self, pointer: Pointer) -> str | None:
        """The text of an entry of the outermost map, or of a map below that, where its reader saw where it begins."""
        return self._entry(pointer) if pointer in self.outline.starts else None

    def place(self, pointer: Pointer) -> Place:
        """The place of a value, or of its nearest ancestor that has one."""
        if self.meant:
            pointer = tuple([self.meant.get(pointer[: at + 1], step) for at, step in enumerate(pointer)])
        head = self._head(pointer)
        near = self._near(head) if head else None
        if near is None:
            return _nearest(self.places(), pointer)
        part, digits = near
        found = _nearest(part.places, pointer[len(head) :])
        return (
            found.moved(self.outline.starts[head], part.ends, part.moves(digits) if digits else _UNMOVED)
            if found is not _NO_PLACE
            else found
        )

    def _head(self, pointer: Pointer) -> Pointer:
        """The entry of a large text that holds a value, where entries are looked at one by one; nothing where they are not."""
        if self._places is not None:
            return ()
        starts = self.outline.starts
        head = pointer[:2] if pointer[:2] in starts else pointer[:1]
        if head not in starts:
            return ()
        item = pointer[: len(head) + 1]
        return item if type(item[-1]) is int and len(item) > len(head) and (item in starts or self._has_items(head, item)) else head

    def _has_items(self, head: Pointer, item: Pointer) -> bool:
        """Whether an entry is a long list, of which each item can be read by itself, and one of them is there; where they begin is known then."""
        if head in self._listed:
            return False
        self._listed.add(head)
        text, starts = self._entry(head), self.outline.starts
        found = _ITEMS.match(text) if len(text) > _LONG_ENTRY else None
        if found is None:
            return False
        dash, at, index = f"\n{found[1]}- ", text.find("\n"), 0
        while at >= 0:
            starts[(*head, index)] = starts[head] + at + 1
            index, at = index + 1, text.find(dash, at + 1)
        self._offsets.clear()
        return item in starts

    def written(self, pointer: Pointer) -> str:
        """A plain scalar as it stands in the file (`1.10`, `012`); nothing for what is quoted, or no scalar."""
        place = self.place(pointer)
        return self.text[place.start : place.end] if place.style == "plain" and not self.hides(self.value_span(pointer)) else ""

    def value_line(self, pointer: Pointer) -> int:
        """The line, from 1, of what `value_span` gives."""
        return self._line(pointer, False)

    def key_line(self, pointer: Pointer) -> int:
        """The same of `key_span`."""
        return self._line(pointer, True)

    def _line(self, pointer: Pointer, of_key: bool) -> int:
        """The line of a value, or of its key where it has one. How far it stands below the first line of its entry is the same in all entries
        that are alike."""
        begins = self.outline.starts.get(pointer) if of_key and not self.meant else None
        if begins is not None:
            return self._position(begins)[0]
        head = self._head(pointer) if not self.meant else ()
        near = self._near(head) if head else None
        if near is None:
            return self._position(self._start(pointer, of_key))[0]
        lines, key = near[0].lines, (pointer[len(head) :], of_key)
        first = self._position(self.outline.starts[head])[0]
        below = lines.get(key)
        if below is None:
            below = lines[key] = self._position(self._start(pointer, of_key))[0] - first
        return first + below

    def _start(self, pointer: Pointer, of_key: bool) -> int:
        """Where the span of a value begins, or that of its key where it has one."""
        place = self.place(pointer)
        return place.key_start if (of_key and place.key_end > place.key_start) or self._is_long(place) else place.start

    def _is_long(self, place: Place) -> bool:
        return not place.style and place.key_end > place.key_start and "\n" in self.text[place.start : place.end].rstrip()

    def value_span(self, pointer: Pointer) -> Span:
        """Where a scalar stands, or a map or list that stands in one line; a longer one is shown by its key, since the whole of it would
        fill the screen."""
        key = pointer, len(self.meant)  # a key that is taken for another moves what stands below it
        if key not in self._spans:  # a line that many findings name
            start = self.outline.starts.get(pointer) if not self.meant else None
            long = _LONG.match(self.text, start) if start is not None else None
            if long is not None:  # nobody has to read it
                self._spans[key] = self.span(*long.span(2))
                return self._spans[key]
            place = self.place(pointer)
            is_long = self._is_long(place)
            self._spans[key] = self.span(place.key_start, place.key_end) if is_long else self.span(place.start, place.end)
        return self._spans[key]

    def key_span(self, pointer: Pointer) -> Span:
        """Where the key of a value stands; for an item of a list, the item."""
        key = pointer, -1 - len(self.meant)  # which is that of no value
        if key not in self._spans:
            place = self.place(pointer)
            has_key = place.key_end > place.key_start
            self._spans[key] = self.span(place.key_start, place.key_end) if has_key else self.value_span(pointer)
        return self._spans[key]

    def inner_span(self, pointer: Pointer, start: int, end: int) -> Span:
        """Characters `start` to `end` of the text value at `pointer`, as they stand in the file, past quotes and folds."""
        key = pointer, start, end, len(self.meant)
        if key not in self._inner_spans:  # what is wrong in one environment is so in others
            self._inner_spans[key] = self._inner_span(pointer, start, end)
        return self._inner_spans[key]

    def _inner_span(self, pointer: Pointer, start: int, end: int) -> Span:
        offsets = self.inner_offsets(pointer, start, end)
        return self.value_span(pointer) if offsets is None else self.span(*offsets)

    def inner_offsets(self, pointer: Pointer, start: int, end: int) -> tuple[int, int] | None:
        """The same as offsets in the text of the file; None where no scalar stands there."""
        place = self.place(pointer)
        if not place.style:
            return None
        raw = self.text[place.start : place.end]
        offsets = source_offsets(raw, place.style, self.parent_column(place) if place.style in ("literal", "folded") else None)
        last = len(offsets) - 1
        first_offset = offsets[min(start, last)]
        end_offset = offsets[min(max(end - 1, 0), last)] + 1 if end > start else first_offset + 1
        return place.start + first_offset, place.start + end_offset

    def parent_column(self, place: Place) -> int:
        """The column, from 0, of the key or dash that a block scalar belongs to."""
        line = self.text.rfind("\n", 0, place.start) + 1
        if place.key_end <= place.start and place.key_end > place.key_start and place.key_start >= line:
            return place.key_start - line
        return max(0, self.text.rfind("-", line, place.start) - line)


class Origin(NamedTuple):
    """Where something is written: a source and a pointer into its value. Spans are found only when asked for."""

    source: Source
    pointer: Pointer

    def child(self, *keys: str | int) -> "Origin":
        """The origin of a part."""
        return Origin(self.source, (*self.pointer, *keys))

    def value_span(self) -> Span:
        """Where the value stands."""
        return self.source.value_span(self.pointer)

    def key_span(self) -> Span:
        """Where the key stands."""
        return self.source.key_span(self.pointer)

    def inner_span(self, start: int, end: int) -> Span:
        """Characters of the text value, as they stand in the file."""
        return self.source.inner_span(self.pointer, start, end)


NOWHERE = Origin(Source("", "", None, lambda _: {}), ())
"""The origin of what stands in no file."""


def part(value: Any, step: str | int) -> Any:
    """The part of a map or list that one step of a pointer names. Raises KeyError where there is none."""
    if isinstance(value, list):
        if isinstance(step, int) and 0 <= step < len(value):
            return value[step]
    elif isinstance(value, dict) and step in value:
        return value[step]
    raise KeyError(step)


def value_at(value: Any, pointer: Pointer, missing: Any = None) -> Any:
    """The part of a value that a pointer names, or what stands for "there is none"."""
    for step in pointer:
        try:
            value = part(value, step)
        except KeyError:
            return missing
    return value


def pointer_text(pointer: Pointer) -> str:
    """A JSON Pointer (RFC 6901) without its first slash, as addresses use it: `disks/0/encrypted`."""
    return "/".join(str(step).replace("~", "~0").replace("/", "~1") for step in pointer)


def split_pointer(text: str) -> Pointer:
    """The steps of a JSON Pointer (RFC 6901) that is written without its first slash; nothing for an empty text."""
    return tuple(map(unescaped, text.split("/"))) if text else ()


def steps_in(value: Any, pointer: Pointer) -> Pointer:
    """The steps of a pointer into a value, where a text that is a number names an item of a list (RFC 6901, 4)."""
    found: list[str | int] = []
    for step in pointer:
        found.append(int(step) if isinstance(value, list) and isinstance(step, str) and step.isdecimal() else step)
        value = value_at(value, (found[-1],))
    return tuple(found)


def unescaped(step: str) -> str:
    """What a step of a JSON Pointer stands for."""
    return step.replace("~1", "/").replace("~0", "~")
