"""What a finding is known by from one run to the next: its cause, and neither lines nor environments nor what else is wrong.

The cause is the id (or the rule), the file, the place in it as a pointer whose items go by their keys, the property, and the words that are
meant where they are a part of a value. What is secret takes no part: whoever reads a fingerprint could try values.
"""

import hashlib
from bisect import bisect_right
from collections import Counter
from collections.abc import Callable, Iterable
from typing import Any

from jovial_scaffold.core.findings import Finding, Span, without_positions
from jovial_scaffold.core.text.source import Place, Pointer, Source, value_at

SourceOf = Callable[[str], Source | None]
_KEYS = ("key", "name", "id", "code")  # what items of lists are mostly told apart by
_LENGTH = 32  # hexadecimal digits


class Fingerprints:
    """Gives the fingerprints of findings in files that `source_of` has."""

    def __init__(self, source_of: SourceOf) -> None:
        self._source_of = source_of
        self._entries: dict[str, _Entries] = {}

    def of(self, findings: Iterable[Finding]) -> list[str]:
        """A fingerprint for each, all of them different: of what cannot be told apart, the first is the first."""
        seen: Counter[str] = Counter()
        found = []
        for each in findings:
            cause = self._cause(each)
            seen[cause] += 1
            text = cause if seen[cause] == 1 else f"{cause}\0{seen[cause]}"
            found.append(hashlib.sha256(text.encode("utf-8", "surrogatepass")).hexdigest()[:_LENGTH])
        return found

    def entry(self, span: Span) -> Pointer:
        """The innermost entry of a file that something begins in; nothing where the file has none there."""
        source = self._source_of(span.file)
        if source is None or not source.text:
            return ()
        return self._innermost(source, source.line_starts[min(span.line, len(source.line_starts)) - 1] + span.column - 1)

    def _cause(self, finding: Finding) -> str:
        span = finding.cause or finding.span
        named = finding.message.operands[:1]
        name = named[0] if named and isinstance(named[0], str) and not finding.rule else ""
        said_by = finding.said_by if finding.said_by == finding.rule else finding.said_by + finding.rule
        parts = [said_by, without_positions(finding.pointer), name]
        if span is None:
            return "\0".join((*parts, finding.address))
        return "\0".join((*parts, span.file, *self._where(span)))

    def _where(self, span: Span) -> tuple[str, ...]:
        """The innermost entry that something stands in, and its words, where these are only a part of that."""
        source = self._source_of(span.file)
        if source is None or not source.text:
            return ()
        pointer = self.entry(span)
        words = ""
        is_part = span not in (source.value_span(pointer), source.key_span(pointer))
        if is_part and span.line == span.end_line and not source.hides(span):
            words = source.line(span.line)[span.column - 1 : span.end_column - 1]
        return (*_named(source, pointer), words)

    def _innermost(self, source: Source, offset: int) -> Pointer:
        if source.name not in self._entries:
            self._entries[source.name] = _Entries(source)
        return self._entries[source.name].innermost(offset)


class _Entries:
    """The entries of a text in the order in which they begin, each with the one that it stands in."""

    def __init__(self, source: Source) -> None:
        found = [
            (_begin(place), len(pointer), max(place.end, place.key_end), pointer) for pointer, place in source.places().items() if pointer
        ]
        found.sort(key=lambda each: each[:2])
        self._begins = [begin for begin, _, _, _ in found]
        self._ends = [end for _, _, end, _ in found]
        self._pointers = [pointer for _, _, _, pointer in found]
        self._around: list[int] = []
        above: list[int] = []
        for number, begin in enumerate(self._begins):
            while above and self._ends[above[-1]] < begin:
                above.pop()
            self._around.append(above[-1] if above else -1)
            above.append(number)

    def innermost(self, offset: int) -> Pointer:
        """The innermost entry around an offset; nothing where there is none."""
        number = bisect_right(self._begins, offset) - 1
        while number >= 0 and self._ends[number] < offset:
            number = self._around[number]
        return self._pointers[number] if number >= 0 else ()


def _begin(place: Place) -> int:
    return min(place.key_start, place.start) if place.key_end > place.key_start else place.start


def _named(source: Source, pointer: Pointer) -> tuple[str, ...]:
    """The steps of a pointer, items of lists by what tells them apart."""
    found = []
    for depth, step in enumerate(pointer):
        found.append(_item(source, pointer[: depth + 1]) if isinstance(step, int) else step)
    return tuple(found)


def _item(source: Source, pointer: Pointer) -> str:
    item: Any = value_at(source.value, pointer)
    keys = [
        key
        for key in (*_KEYS, *(item if isinstance(item, dict) else ()))
        if isinstance(item, dict) and isinstance(item.get(key), str | int)
    ]
    at = (*pointer, keys[0]) if keys else pointer
    if not isinstance(value_at(source.value, at), str | int) or source.hides(source.value_span(at)):
        return f"#{pointer[-1]}"
    return f"={value_at(source.value, at)}"
