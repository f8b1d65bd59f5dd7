"""One file as read: its text, its plain value, and the places of that value, found only when somebody asks."""

from bisect import bisect_right
from collections.abc import Callable
from itertools import accumulate
from typing import Any, NamedTuple

from jovial_scaffold.core import marks
from jovial_scaffold.core.findings import Span
from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.text.alignment import source_offsets
from jovial_scaffold.core.text.entries import Entries, nearest
from jovial_scaffold.core.text.entries import Place as Place
from jovial_scaffold.core.text.outline import Outline
from jovial_scaffold.core.text.outline import Pointer as Pointer
from jovial_scaffold.core.words import NOTHING, Sentence, say

_COMMENT = regex(r"(^|\s)#.*")
_FEW = 8  # places in a text that are found without a list of its lines
#: an entry whose value is a list or map of several lines, as its first two say: its name
_LONG = regex(
    r"([ ]*)([A-Za-z_][\w.-]*):[ ]*\n"
    r"(?:(\1[ ]*)- [^\n]*\n\3- |(\1[ ]+)[A-Za-z_][\w.-]*:(?: [^\n]*)?\n\4[A-Za-z_][\w.-]*:(?: |\n))"
)
_LINE_BREAK = regex(r"\r\n|\n|\r")


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
        "_apart",
        "_around",
        "_comments_hidden",
        "_covered",
        "_few",
        "_hidden",
        "_inner_spans",
        "_lines",
        "_locate",
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
        self._apart: Entries | None = None
        self._spans: dict[tuple[Pointer, int], Span] = {}
        self._inner_spans: dict[tuple[Pointer, int, int, int], Span] = {}
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

    @property
    def _entries(self) -> Entries:
        """Its entries, which are looked at one by one as long as the whole text was not."""
        if self._apart is None:
            self._apart = Entries(self.text, self.outline, self._locate)
        return self._apart

    def _head(self, pointer: Pointer) -> Pointer:
        """The entry that a value is looked for in; nothing where that is the whole text."""
        return self._entries.head(pointer) if self._places is None else ()

    def entry(self, pointer: Pointer) -> str | None:
        """The text of an entry of the outermost map, or of a map below that, where its reader saw where it begins."""
        return self._entries.text(pointer) if pointer in self.outline.starts else None

    def place(self, pointer: Pointer) -> Place:
        """The place of a value, or of its nearest ancestor that has one."""
        if self.meant:
            pointer = tuple([self.meant.get(pointer[: at + 1], step) for at, step in enumerate(pointer)])
        head = self._head(pointer)
        found = self._entries.place(head, pointer) if head else None
        return nearest(self.places(), pointer) if found is None else found

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
        near = self._entries.part(head) if head else None
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
