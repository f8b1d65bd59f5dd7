"""The flow style of YAML 1.2.2 by the productions of its specification, and what it shares with the block style: separation, properties.

Each function is a production, or a few of one kind, with its number; `n` is an indentation, `c` a context. It gives the position behind
what it matched, or -1. Events are those of PyYAML, so that whoever reads one parser's events reads the other's.

It is long because the productions of the standard stand together, in its order.
"""

import re
from collections.abc import Callable
from typing import Any

from yaml.events import (
    AliasEvent,
    Event,
    MappingEndEvent,
    MappingStartEvent,
    ScalarEvent,
    SequenceEndEvent,
    SequenceStartEvent,
)

from jovial_scaffold.core.limits import NESTING
from jovial_scaffold.core.records import value_record
from jovial_scaffold.core.regexes import regex

BLOCK_IN, BLOCK_OUT, BLOCK_KEY, FLOW_IN, FLOW_OUT, FLOW_KEY = range(6)
_IN_FLOW = {FLOW_OUT: FLOW_IN, FLOW_IN: FLOW_IN, BLOCK_KEY: FLOW_KEY, FLOW_KEY: FLOW_KEY}  # 136
_KEY_LENGTH = 1_024  # characters of an implicit key

BREAK = r"(?:\r\n|\r|\n)"
LINE_END = regex(rf"[ \t]*(?:(?<![^ \t\r\n])#[^\r\n]*)?(?:{BREAK}|\Z)")  # 79, with the white space before it
BLANK_LINE = regex(rf"[ \t]*(?:#[^\r\n]*)?(?:{BREAK}|\Z)")  # 78, at the start of a line
_WHITE = regex(r"[ \t]*")
SPACES = regex(r" *")
NEWLINE = regex(BREAK)
FORBIDDEN = regex(r"(?:---|\.\.\.)(?=[ \t\r\n]|\Z)")  # 206
TAG = regex(
    r"!<(?:%[0-9A-Fa-f]{2}|[\w\-#;/?:@&=+$,.!~*'()\[\]])+>"
    r"|!(?:[0-9A-Za-z\-]*!)?(?:%[0-9A-Fa-f]{2}|[0-9A-Za-z\-#;/?:@&=+$_.~*'()])+|!(?=[ \t\r\n]|\Z)",
    re.ASCII,
)
_NAMED = regex(r"![0-9A-Za-z\-]+!")
ANCHOR = regex(r"[&*]([^ \t\r\n,\[\]{}\ufeff]+)")
_OUT, _IN = r"[^ \t\r\n\ufeff]", r"[^ \t\r\n,\[\]{}\ufeff]"
_INDICATORS = r"\-?:,\[\]{}#&*!|>'\"%@`"


def _plain(safe: str) -> tuple["re.Pattern[str]", "re.Pattern[str]"]:
    """The first line of a plain scalar and further ones (126 to 133), where these characters may stand in it."""
    more = rf"(?:[ \t]*(?:(?![:#]){safe}|:(?={safe})|(?<=[^ \t\r\n])#))*"
    first = rf"(?:(?![{_INDICATORS}]){safe}|[\-?:](?={safe}))"
    return re.compile(first + more), re.compile(rf"(?:(?![:#]){safe}|:(?={safe})){more}")


_PLAIN = {inside: _plain(_IN if inside else _OUT) for inside in (False, True)}
SAFE = {inside: re.compile(_IN if inside else _OUT) for inside in (False, True)}
_DOUBLE = regex(r'[^"\\\r\n]+')
_SINGLE = regex(r"(?:[^'\r\n]|'')+")
_ESCAPES = {"0": "\0", "a": "\a", "b": "\b", "t": "\t", "\t": "\t", "n": "\n", "v": "\v", "f": "\f", "r": "\r", "e": "\x1b", " ": " ", '"': '"', "/": "/", "\\": "\\", "N": "\x85", "_": "\xa0", "L": "\u2028", "P": "\u2029"}  # fmt: skip
_HEX = {"x": 2, "u": 4, "U": 8}


@value_record
class Mark:
    """A place in the text, as PyYAML's events have one."""

    index: int
    line: int
    column: int


class GrammarError(Exception):
    """The text is not YAML 1.2; `at` is how far it is."""

    def __init__(self, at: int) -> None:
        self.at = at


class TooDeep(Exception):
    """Values are nested deeper than any reader here goes."""


Properties = tuple[str | None, str | None]
"""Anchor and tag."""
UNMARKED: Properties = (None, None)


class Flow:
    """One text and the events that were found in it so far."""

    def __init__(self, text: str) -> None:
        self.text = text
        self.events: list[Event] = []
        self.far = 0
        self.depth = 0
        self._lines = [0, *(match.end() for match in NEWLINE.finditer(text))]
        self._handles: dict[str, str] = {}
        self._known: dict[tuple[int, int, int], tuple[int, list[Event]]] = {}

    # -- events

    def mark(self, at: int) -> Mark:
        from bisect import bisect_right

        line = bisect_right(self._lines, at) - 1
        return Mark(at, line, at - self._lines[line])

    def scalar(self, start: int, end: int, value: str, style: str | None, properties: Properties) -> None:
        plain = (properties[1] is None and style is None, properties[1] is None)
        self.events.append(ScalarEvent(*properties, plain, value, self.mark(start), self.mark(end), style))  # type: ignore[arg-type]  # a mark

    def empty(self, at: int, properties: Properties = UNMARKED) -> None:
        """106: a node that is not there."""
        self.scalar(at, at, "", None, properties)

    def attempt(self, match: Callable[..., int], *arguments: Any) -> int:
        """A production; what it found is forgotten where it does not match."""
        before = len(self.events)
        end = match(*arguments)
        if end < 0:
            del self.events[before:]
        return end

    def at_line_start(self, at: int) -> bool:
        return at == 0 or self.text[at - 1] in "\r\n" or (at == 1 and self.text[0] == "\ufeff")

    def forbidden(self, at: int) -> bool:
        """206: a mark between documents, where a line begins."""
        return self.at_line_start(at) and FORBIDDEN.match(self.text, at) is not None

    def reached(self, at: int) -> int:
        self.far = max(self.far, at)
        return -1

    # -- separation

    def indented(self, at: int, n: int) -> bool:
        """63: a line begins with so many spaces, and with content of the document."""
        return self.text.startswith(" " * n, at) and not (n <= 0 and self.forbidden(at))

    def comments(self, at: int) -> int:
        """79: the rest of a line without content, and lines without."""
        match = LINE_END.match(self.text, at)
        if match is None or (match.end() == at and not self.at_line_start(at) and at < len(self.text)):
            if not self.at_line_start(at):
                return self.reached(at)
        else:
            at = match.end()
        while at < len(self.text):
            line = BLANK_LINE.match(self.text, at)
            if line is None:
                break
            at = line.end()
        return at

    def separate(self, at: int, n: int, c: int) -> int:
        """80: white space, or lines without content and the indentation of the next."""
        white = _WHITE.match(self.text, at).end()  # type: ignore[union-attr]  # it matches nothing, too
        if c in (BLOCK_KEY, FLOW_KEY):
            return white if white > at or self.at_line_start(at) else self.reached(at)
        behind = self.comments(at)
        if behind > at and self.at_line_start(behind) and behind < len(self.text) and self.indented(behind, n):
            return _WHITE.match(self.text, behind + max(n, 0)).end()  # type: ignore[union-attr]  # as above
        if c == FLOW_IN and behind > at:
            self.reached(behind)
        return white if white > at or self.at_line_start(at) else self.reached(at)

    def folded(self, at: int, n: int) -> tuple[int, str]:
        """74: from the end of a line of a flow scalar to the content of the next one, and what stands for it."""
        at = NEWLINE.match(self.text, at).end()  # type: ignore[union-attr]  # whoever asks has seen the break
        empty = 0
        while True:
            if self.forbidden(at):
                return self.reached(at), ""
            line = _WHITE.match(self.text, at).end()  # type: ignore[union-attr]  # it matches nothing, too
            end = NEWLINE.match(self.text, line)
            if end is None:
                if line >= len(self.text) or not self.text.startswith(" " * n, at):
                    return self.reached(line), ""
                return line, "\n" * empty if empty else " "
            if "\t" in self.text[at:line] and not self.text.startswith(" " * n, at):
                return self.reached(at), ""
            empty += 1
            at = end.end()

    # -- properties

    def properties(self, at: int, n: int, c: int) -> tuple[int, Properties]:
        """96: a tag, an anchor, or both."""
        tag = anchor = None
        start = at
        while True:
            found = TAG.match(self.text, at) if tag is None else None
            named = ANCHOR.match(self.text, at) if anchor is None and self.text.startswith("&", at) else None
            match = found or named
            if match is None:
                break
            if found is not None:
                handle = _NAMED.match(found[0])
                if handle is not None and handle[0] not in self._handles:
                    return self.reached(at), UNMARKED
                tag = resolved(found[0]) if handle is None else self._handles[handle[0]] + found[0][handle.end() :]
            else:
                anchor = match[1]
            end = match.end()
            at = end
            following = self.separate(end, n, c)
            if following < 0 or not self.text.startswith(("!", "&"), following):
                break
            if (tag is not None and self.text[following] == "!") or (anchor is not None and self.text[following] == "&"):
                break
            at = following
        return (at, (anchor, tag)) if at > start else (-1, UNMARKED)

    # -- flow scalars

    def double(self, at: int, n: int, c: int, properties: Properties) -> int:
        """109: between double quotes."""
        text, start = self.text, at
        at += 1
        parts: list[str] = []
        while True:
            chunk = _DOUBLE.match(text, at)
            if chunk is not None:
                parts.append(chunk[0])
                at = chunk.end()
            char = text[at : at + 1]
            if char == '"':
                self.scalar(start, at + 1, "".join(parts), '"', properties)
                return at + 1
            if not char or (char in "\r\n" and c in (BLOCK_KEY, FLOW_KEY)):
                return self.reached(at)
            if char == "\\":
                escape = text[at + 1 : at + 2]
                if escape in _HEX and (digits := re.compile(rf"[0-9A-Fa-f]{{{_HEX[escape]}}}").match(text, at + 2)):
                    code = int(digits[0], 16)
                    if code > 0x10FFFF or 0xD800 <= code <= 0xDFFF:
                        return self.reached(at)
                    parts.append(chr(code))
                    at = digits.end()
                elif escape in _ESCAPES and escape:
                    parts.append(_ESCAPES[escape])
                    at += 2
                elif escape and escape in "\r\n" and c not in (BLOCK_KEY, FLOW_KEY):
                    at, fold = self.folded(at + 1, n)
                    if at < 0:
                        return -1
                    parts.append("" if fold == " " else fold)
                else:
                    return self.reached(at)
                continue
            if parts and chunk is not None:
                parts[-1] = parts[-1].rstrip(" \t")
            at, fold = self.folded(at, n)
            if at < 0:
                return -1
            parts.append(fold)

    def single(self, at: int, n: int, c: int, properties: Properties) -> int:
        """120: between single quotes."""
        text, start = self.text, at
        at += 1
        parts: list[str] = []
        while True:
            chunk = _SINGLE.match(text, at)
            if chunk is not None:
                parts.append(chunk[0].replace("''", "'"))
                at = chunk.end()
            char = text[at : at + 1]
            if char == "'":
                self.scalar(start, at + 1, "".join(parts), "'", properties)
                return at + 1
            if not char or c in (BLOCK_KEY, FLOW_KEY):
                return self.reached(at)
            if chunk is not None:
                parts[-1] = parts[-1].rstrip(" \t")
            at, fold = self.folded(at, n)
            if at < 0:
                return -1
            parts.append(fold)

    def plain(self, at: int, n: int, c: int, properties: Properties) -> int:
        """131: without quotes."""
        inside = c in (FLOW_IN, FLOW_KEY)
        first, further = _PLAIN[inside]
        match = first.match(self.text, at)
        if match is None or self.forbidden(at):
            return self.reached(at)
        start, end = at, match.end()
        parts = [match[0]]
        while c not in (BLOCK_KEY, FLOW_KEY):
            white = _WHITE.match(self.text, end).end()  # type: ignore[union-attr]  # it matches nothing, too
            if NEWLINE.match(self.text, white) is None:
                break
            far = self.far
            at, fold = self.folded(white, n)
            self.far = far
            line = further.match(self.text, at) if at >= 0 else None
            if line is None:
                break
            parts += [fold, line[0]]
            end = line.end()
        self.scalar(start, end, "".join(parts), None, properties)
        self.far = max(self.far, end)
        return end

    # -- flow collections

    def json_content(self, at: int, n: int, c: int, properties: Properties) -> int:
        """157: what JSON has, too."""
        char = self.text[at : at + 1]
        if char == '"':
            return self.double(at, n, c, properties)
        if char == "'":
            return self.single(at, n, c, properties)
        if char not in ("[", "{") or not char:
            return self.reached(at)
        key = (at, n, c)
        if key not in self._known:
            before = len(self.events)
            self.depth += 1
            if self.depth > NESTING.most + 1:
                raise TooDeep
            end = self.flow_sequence(at, n, c) if char == "[" else self.flow_mapping(at, n, c)
            self.depth -= 1
            self._known[key] = (end, self.events[before:])
            del self.events[before:]
        end, events = self._known[key]
        if end < 0:
            return -1
        opening = SequenceStartEvent if char == "[" else MappingStartEvent
        self.events.append(opening(*properties, True, self.mark(at), self.mark(at + 1), flow_style=True))  # type: ignore[arg-type]  # marks
        self.events += events
        closing = SequenceEndEvent if char == "[" else MappingEndEvent
        self.events.append(closing(self.mark(end - 1), self.mark(end)))  # type: ignore[arg-type]  # as above
        return end

    def maybe_separate(self, at: int, n: int, c: int) -> int:
        end = self.separate(at, n, c)
        return end if end >= 0 else at

    def flow_sequence(self, at: int, n: int, c: int) -> int:
        """137: entries between brackets."""
        return self.flow_entries(at + 1, n, _IN_FLOW[c], "]", self.flow_sequence_entry)

    def flow_mapping(self, at: int, n: int, c: int) -> int:
        """140: entries between braces."""
        return self.flow_entries(at + 1, n, _IN_FLOW[c], "}", self.flow_mapping_entry)

    def flow_entries(self, at: int, n: int, c: int, closing: str, entry: Callable[[int, int, int], int]) -> int:
        at = self.maybe_separate(at, n, c)
        while not self.text.startswith(closing, at):
            at = self.attempt(entry, at, n, c)
            if at < 0:
                return -1
            at = self.maybe_separate(at, n, c)
            if self.text.startswith(",", at):
                at = self.maybe_separate(at + 1, n, c)
            elif not self.text.startswith(closing, at):
                return self.reached(at)
        return at + 1

    def flow_sequence_entry(self, at: int, n: int, c: int) -> int:
        """139: a pair, which is a map of one entry, or a node."""
        start = len(self.events)
        opening = MappingStartEvent(None, None, True, self.mark(at), self.mark(at), flow_style=True)  # type: ignore[arg-type]  # marks
        self.events.append(opening)
        end = self.attempt(self.flow_pair, at, n, c)
        if end >= 0:
            self.events.append(MappingEndEvent(self.mark(end), self.mark(end)))  # type: ignore[arg-type]  # as above
            return end
        del self.events[start:]
        return self.flow_node(at, n, c)

    def flow_pair(self, at: int, n: int, c: int) -> int:
        """150: `? key: value`, or a key on one line with its value."""
        if self.text.startswith("?", at):
            inner = self.separate(at + 1, n, c)
            if inner >= 0:
                return self.explicit_entry(inner, n, c)
        key = self.attempt(self.implicit_key, at, FLOW_KEY, False)
        if key >= 0:
            end = self.attempt(self.separate_value, key, n, c)
            if end >= 0:
                return end
            self.forget(at)
        if self.text.startswith(":", at):
            self.empty(at)
            end = self.attempt(self.separate_value, at, n, c)
            if end >= 0:
                return end
            self.events.pop()
        key = self.attempt(self.implicit_key, at, FLOW_KEY, True)
        return self.attempt(self.adjacent_value, key, n, c) if key >= 0 else -1

    def forget(self, at: int) -> None:
        """Take back the events of a node that began at a place; the pair around it stays."""
        while self.events:
            last: Any = self.events[-1]
            is_pair = type(last) is MappingStartEvent and last.start_mark == last.end_mark
            if last.start_mark.index < at or is_pair:
                return
            self.events.pop()

    def flow_mapping_entry(self, at: int, n: int, c: int) -> int:
        """142: `? key: value`, or without the mark."""
        if self.text.startswith("?", at):
            inner = self.separate(at + 1, n, c)
            if inner >= 0:
                return self.explicit_entry(inner, n, c)
        return self.implicit_entry(at, n, c)

    def explicit_entry(self, at: int, n: int, c: int) -> int:
        """143: an entry, or nothing at all."""
        end = self.attempt(self.implicit_entry, at, n, c)
        if end >= 0:
            return end
        self.empty(at)
        self.empty(at)
        return at

    def implicit_entry(self, at: int, n: int, c: int) -> int:
        """144: a key with or without a value, or a value without a key."""
        end = self.attempt(self.yaml_node, at, n, c)
        if end >= 0:
            value = self.attempt(self.separate_value, self.maybe_separate(end, n, c), n, c)
            if value < 0:
                self.empty(end)
            return value if value >= 0 else end
        if self.text.startswith(":", at):
            self.empty(at)
            value = self.attempt(self.separate_value, at, n, c)
            if value >= 0:
                return value
            self.events.pop()
        end = self.attempt(self.json_node, at, n, c)
        if end < 0:
            return -1
        value = self.attempt(self.adjacent_value, self.maybe_separate(end, n, c), n, c)
        if value < 0:
            self.empty(end)
        return value if value >= 0 else end

    def separate_value(self, at: int, n: int, c: int) -> int:
        """147: a colon, and the value behind white space."""
        if not self.text.startswith(":", at) or SAFE[c in (FLOW_IN, FLOW_KEY)].match(self.text, at + 1):
            return self.reached(at)
        inner = self.separate(at + 1, n, c)
        end = self.attempt(self.flow_node, inner, n, c) if inner >= 0 else -1
        if end >= 0:
            return end
        self.empty(at + 1)
        return at + 1

    def adjacent_value(self, at: int, n: int, c: int) -> int:
        """149: a colon, and the value directly or behind white space."""
        if not self.text.startswith(":", at):
            return self.reached(at)
        end = self.attempt(self.flow_node, self.maybe_separate(at + 1, n, c), n, c)
        if end >= 0:
            return end
        self.empty(at + 1)
        return at + 1

    # -- flow nodes

    def alias(self, at: int) -> int:
        """104: the name of an anchor."""
        match = ANCHOR.match(self.text, at) if self.text.startswith("*", at) else None
        if match is None:
            return -1
        self.events.append(AliasEvent(match[1], self.mark(at), self.mark(match.end())))  # type: ignore[arg-type]  # marks
        return match.end()

    def yaml_node(self, at: int, n: int, c: int) -> int:
        """159: an alias, a plain scalar, or properties of one or of nothing."""
        end = self.alias(at)
        if end >= 0:
            return end
        end, properties = self.properties(at, n, c)
        if end < 0:
            return self.plain(at, n, c, UNMARKED)
        inner = self.separate(end, n, c)
        content = self.attempt(self.plain, inner, n, c, properties) if inner >= 0 else -1
        if content >= 0:
            return content
        if inner >= 0 and self.text[inner : inner + 1] in ('"', "'", "[", "{") and self.text[inner : inner + 1]:
            return self.reached(inner)
        self.empty(end, properties)
        return end

    def json_node(self, at: int, n: int, c: int) -> int:
        """160: quoted, or a collection; with properties."""
        end, properties = self.properties(at, n, c)
        if end >= 0:
            at = self.separate(end, n, c)
            if at < 0:
                return -1
        return self.json_content(at, n, c, properties)

    def flow_node(self, at: int, n: int, c: int) -> int:
        """161: any node of the flow style."""
        end = self.attempt(self.yaml_node, at, n, c)
        return end if end >= 0 else self.attempt(self.json_node, at, n, c)

    def implicit_key(self, at: int, c: int, json: bool) -> int:
        """154, 155: a key on one line, with the white space behind it."""
        end = self.attempt(self.json_node if json else self.yaml_node, at, 0, c)
        if end < 0 or end - at > _KEY_LENGTH or NEWLINE.search(self.text, at, end):
            return -1
        return _WHITE.match(self.text, end).end()  # type: ignore[union-attr]  # it matches nothing, too


def resolved(tag: str) -> str:
    """A tag as PyYAML's events have it."""
    if tag.startswith("!<"):
        return tag[2:-1]
    return f"tag:yaml.org,2002:{tag[2:]}" if tag.startswith("!!") else tag
