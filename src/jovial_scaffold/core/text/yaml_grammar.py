"""YAML 1.2.2 read by the productions of its specification: slower than libyaml, which reads most files, and right where that is not.

`yaml_flow` has the productions of the flow style; here are those of the block style and of documents. Each function is a production, or
a few of one kind, with its number; `n` is an indentation, `c` a context. It gives the position behind what it matched, or -1.
"""

from typing import Any

from yaml.events import (
    DocumentEndEvent,
    DocumentStartEvent,
    Event,
    MappingEndEvent,
    MappingStartEvent,
    SequenceEndEvent,
    SequenceStartEvent,
    StreamEndEvent,
)

from jovial_scaffold.core.limits import NESTING
from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.text.yaml_flow import (
    ANCHOR,
    BLANK_LINE,
    BLOCK_IN,
    BLOCK_KEY,
    BLOCK_OUT,
    BREAK,
    FLOW_OUT,
    FORBIDDEN,
    LINE_END,
    NEWLINE,
    SAFE,
    SPACES,
    TAG,
    UNMARKED,
    Flow,
    GrammarError,
    Properties,
    TooDeep,
    resolved,
)

_HEADER = regex(r"[|>](?:([1-9])([+-]?)|([+-])([1-9])?|)(?=[ \t\r\n]|\Z)")


class Grammar(Flow):
    """One text and the events that were found in it so far."""

    # -- block scalars

    def block_scalar(self, at: int, n: int, properties: Properties) -> int:
        """170, 174: literal and folded."""
        header = _HEADER.match(self.text, at)
        if header is None:
            return self.reached(at)
        end = LINE_END.match(self.text, header.end())
        if end is None:
            return self.reached(header.end())
        digit, chomp = header[1] or header[4], header[2] or header[3] or ""
        start, style, at = at, self.text[at], end.end()
        indent, at_lines = self.block_indent(at, n, int(digit) if digit else 0)
        if indent < 0:
            return -1
        lines, at = self.block_lines(at_lines, indent)
        kept = next((index for index in range(len(lines), 0, -1) if lines[index - 1] is not None), 0)
        content = [line if line is not None else "" for line in lines[:kept]]
        value = "\n".join(content) if style == "|" else _fold(content)
        open_ended = at == len(self.text) and not self.at_line_start(at) and content and content[-1].strip() != ""
        if kept and not open_ended:  # a line that ends with the file has no break
            value += "" if chomp == "-" else "\n"
        if chomp == "+":
            value += "\n" * (len(lines) - kept)
        self.scalar(start, at, value, style, properties)
        trailing = SPACES.match(self.text, at).end()  # type: ignore[union-attr]  # it matches nothing, too
        return self.comments(at) if self.at_line_start(at) and self.text.startswith("#", trailing) else at

    def block_indent(self, at: int, n: int, digit: int) -> tuple[int, int]:
        """How far a block scalar is indented: as its header says, or as its first line with content is (163)."""
        if digit:
            return max(n, 0) + digit, at
        most, line = 0, at
        while line < len(self.text):
            spaces = SPACES.match(self.text, line).end()  # type: ignore[union-attr]  # it matches nothing, too
            end = NEWLINE.match(self.text, spaces)
            if end is None:
                if spaces >= len(self.text):
                    most = max(most, spaces - line)
                    break
                indent = spaces - line
                if indent <= n or (indent == 0 and self.forbidden(line)):
                    break
                return (indent, at) if most <= indent else (self.reached(line), at)
            most = max(most, spaces - line)
            line = end.end()
        return max(n + 1, most, 0), at

    def block_lines(self, at: int, indent: int) -> tuple[list[str | None], int]:
        """The lines of a block scalar without their indentation, None for empty ones, and the place behind them."""
        lines: list[str | None] = []
        while at < len(self.text):
            end = NEWLINE.search(self.text, at)
            stop = end.start() if end else len(self.text)
            line = self.text[at:stop]
            if len(line) <= indent and not line.strip(" "):
                if not end and not line:
                    break
                lines.append(None)
            elif line.startswith(" " * indent) and not (indent == 0 and self.forbidden(at)):
                lines.append(line[indent:])
            else:
                break
            at = end.end() if end else stop
        return lines, at

    # -- block collections

    def block_node(self, at: int, n: int, c: int) -> int:
        """196: a block scalar or collection, or a node of the flow style."""
        self.depth += 1
        if self.depth > 2 * NESTING.most + 2:
            raise TooDeep
        end = self.attempt(self.block_in_block, at, n, c)
        if end < 0:
            end = self.attempt(self.flow_in_block, at, n)
        self.depth -= 1
        return end

    def flow_in_block(self, at: int, n: int) -> int:
        """197: a node of the flow style, and the rest of its line."""
        inner = self.separate(at, n + 1, FLOW_OUT)
        end = self.flow_node(inner, n + 1, FLOW_OUT) if inner >= 0 else -1
        return self.comments(end) if end >= 0 else -1

    def block_in_block(self, at: int, n: int, c: int) -> int:
        """198 to 201: properties, and a block scalar or collection."""
        inner = self.separate(at, n + 1, c)
        properties, behind = UNMARKED, at
        if inner >= 0:
            end, found = self.properties(inner, n + 1, c)
            scalar = inner
            if end >= 0:
                scalar = self.separate(end, n + 1, c)
            if scalar >= 0 and self.text.startswith(("|", ">"), scalar):
                return self.block_scalar(scalar, n, found)
            if end >= 0:
                after = self.comments(end)
                if after >= 0:
                    collection = self.attempt(self.collection, after, n, c, found)
                    if collection >= 0:
                        return collection
                # An anchor or tag before a property of the key itself: `&a &b key: value` on two lines.
                inner_end = self.shorter_properties(inner, n, c)
                if inner_end is not None:
                    return inner_end
        after = self.comments(behind)
        return self.collection(after, n, c, properties) if after >= 0 else -1

    def shorter_properties(self, at: int, n: int, c: int) -> int | None:
        """Only the first of two properties, where the second belongs to the first key of the collection."""
        match = TAG.match(self.text, at) or (ANCHOR.match(self.text, at) if self.text.startswith("&", at) else None)
        if match is None:
            return None
        found: Properties = (None, resolved(match[0])) if match[0].startswith("!") else (match[1], None)
        after = self.comments(match.end())
        end = self.attempt(self.collection, after, n, c, found) if after >= 0 else -1
        return end if end >= 0 else None

    def collection(self, at: int, n: int, c: int, properties: Properties) -> int:
        """A sequence or mapping on lines of its own."""
        indent = SPACES.match(self.text, at).end() - at  # type: ignore[union-attr]  # it matches nothing, too
        if self.forbidden(at):
            return self.reached(at)
        if indent > (n - 1 if c == BLOCK_OUT else n):
            end = self.attempt(self.sequence, at + indent, indent, properties)
            if end >= 0:
                return end
        return self.attempt(self.mapping, at + indent, indent, properties) if indent > n else -1

    def is_mark(self, at: int, mark: str) -> bool:
        """Whether `-`, `?` or `:` stands there as a mark of a block collection."""
        return self.text.startswith(mark, at) and not SAFE[False].match(self.text, at + 1)

    def sequence(self, at: int, n: int, properties: Properties = UNMARKED) -> int:
        """183, 186: entries that begin with a dash, at one indentation; `at` is behind it."""
        if not self.is_mark(at, "-") or self.forbidden(at):
            return self.reached(at)
        self.events.append(SequenceStartEvent(*properties, True, self.mark(at), self.mark(at + 1), flow_style=False))  # type: ignore[arg-type]  # marks
        while True:
            end = self.indented_node(at + 1, n, BLOCK_IN)
            if end < 0:
                return -1
            if not (self.at_line_start(end) and self.indented(end, n) and self.is_mark(end + n, "-")):
                break
            at = end + n
        self.events.append(SequenceEndEvent(self.mark(end), self.mark(end)))  # type: ignore[arg-type]  # as above
        return end

    def mapping(self, at: int, n: int, properties: Properties = UNMARKED) -> int:
        """187, 195: entries at one indentation; `at` is behind it."""
        self.events.append(MappingStartEvent(*properties, True, self.mark(at), self.mark(at), flow_style=False))  # type: ignore[arg-type]  # marks
        first = True
        while True:
            end = self.attempt(self.mapping_entry, at, n)
            if end < 0:
                # What begins like an entry, or stands as far in as one, is a mistake: nothing else reads it.
                return -1 if first else self.closed_mapping(at - n)
            first = False
            if not (self.at_line_start(end) and end < len(self.text) and self.indented(end, n)):
                return self.closed_mapping(end)
            at = end + n

    def closed_mapping(self, at: int) -> int:
        self.events.append(MappingEndEvent(self.mark(at), self.mark(at)))  # type: ignore[arg-type]  # marks
        return at

    def mapping_entry(self, at: int, n: int) -> int:
        """188: `? key` and `: value`, or both on one line."""
        if self.is_mark(at, "?"):
            end = self.indented_node(at + 1, n, BLOCK_OUT)
            if end < 0:
                return -1
            if self.at_line_start(end) and self.indented(end, n) and self.is_mark(end + n, ":"):
                return self.indented_node(end + n + 1, n, BLOCK_OUT)
            self.empty(end)
            return end
        key = self.attempt(self.implicit_key, at, BLOCK_KEY, True)
        if key < 0 or not self.is_mark(key, ":"):
            if key >= 0:
                self.forget_from(at)
            key = self.attempt(self.implicit_key, at, BLOCK_KEY, False)
            if key < 0 or not self.is_mark(key, ":"):
                if key >= 0:
                    self.forget_from(at)
                if not self.is_mark(at, ":"):
                    return self.reached(max(key, at))
                self.empty(at)
                key = at
        end = self.block_node(key + 1, n, BLOCK_OUT)
        if end >= 0:
            return end
        end = self.comments(key + 1)
        if end >= 0:
            self.empty(key + 1)
        return end

    def forget_from(self, at: int) -> None:
        """Take back the events of a key that begins at a place; the mapping's own stays."""
        while True:
            last: Any = self.events[-1]
            if last.start_mark.index < at or (type(last) is MappingStartEvent and not last.flow_style):
                return
            self.events.pop()

    def indented_node(self, at: int, n: int, c: int) -> int:
        """185: what follows a dash or a mark of an explicit entry: a compact collection, a node, or nothing."""
        spaces = SPACES.match(self.text, at).end() - at  # type: ignore[union-attr]  # it matches nothing, too
        self.depth += 1
        if self.depth > 2 * NESTING.most + 2:
            raise TooDeep
        end = -1
        if spaces:
            end = self.attempt(self.sequence, at + spaces, n + 1 + spaces)
            if end < 0:
                end = self.attempt(self.mapping, at + spaces, n + 1 + spaces)
        self.depth -= 1
        if end < 0:
            end = self.block_node(at, n, c)
        if end < 0:
            end = self.comments(at)
            if end >= 0:
                self.empty(at)
        return end

    # -- documents

    def stream(self) -> list[Event]:
        """211: all documents. Raises GrammarError."""
        strange = _UNPRINTABLE.search(self.text)
        if strange is not None:
            raise GrammarError(strange.start())
        at = 1 if self.text.startswith("\ufeff") else 0
        ended = True  # whether directives may stand here
        while True:
            at = self.prefix(at)
            if at >= len(self.text):
                break
            if FORBIDDEN.match(self.text, at) and self.text.startswith("...", at):
                at = self.rest_of_line(at + 3)
                ended = True
                continue
            at, ended = self.document(at, ended)
        self.events.append(StreamEndEvent(self.mark(at), self.mark(at)))  # type: ignore[arg-type]  # marks
        return self.events

    def prefix(self, at: int) -> int:
        """202: comments before a document."""
        while at < len(self.text):
            if self.text.startswith("\ufeff", at):
                at += 1
            line = BLANK_LINE.match(self.text, at)
            if line is None or line.end() == at:
                break
            at = line.end()
        return at

    def rest_of_line(self, at: int) -> int:
        end = self.comments(at)
        if end < 0:
            raise GrammarError(at)
        return end

    def document(self, at: int, ended: bool) -> tuple[int, bool]:
        """207 to 210: directives, the mark, and the content."""
        start = at
        directives: set[str | None] = set()
        self._handles = {}
        while ended and self.text.startswith("%", at):
            match = _DIRECTIVE.match(self.text, at)
            if match is None or (match[1] == "YAML" and "YAML" in directives):
                raise GrammarError(at)
            directives.add(match[1])
            if match[2] == "TAG":
                name, prefix, *_ = (*match[0].split()[1:], "", "")
                self._handles[name] = prefix
            at = self.prefix(match.end())
        explicit = FORBIDDEN.match(self.text, at) is not None and self.text.startswith("---", at)
        if directives and not explicit:
            raise GrammarError(at)
        self.events.append(DocumentStartEvent(self.mark(start), self.mark(at), explicit))  # type: ignore[arg-type]  # marks
        if explicit:
            at += 3
        end = self.block_node(at, -1, BLOCK_IN)
        if end < 0:
            after = self.comments(at) if explicit else -1
            if after < 0 or (after < len(self.text) and not self.forbidden(after)):
                raise GrammarError(max(self.far, at))
            self.empty(at)
            end = after
        if end < len(self.text) and not self.forbidden(end):
            raise GrammarError(max(self.far, end))
        self.events.append(DocumentEndEvent(self.mark(end), self.mark(end)))  # type: ignore[arg-type]  # as above
        return end, False


_UNPRINTABLE = regex("[^\t\n\r -~\x85\xa0-\ud7ff\ue000-\ufffd\U00010000-\U0010ffff]")  # 1
_DIRECTIVE = regex(
    rf"%(?:(YAML)[ \t]+\d+\.\d+|(?!YAML[ \t\r\n])([^ \t\r\n]+)(?:[ \t]+[^ \t\r\n#][^ \t\r\n]*)*)[ \t]*(?:(?<=[ \t])#[^\r\n]*)?(?:{BREAK}|\Z)"
)


def _fold(lines: list[str]) -> str:
    """175 to 181: lines that begin with white space, and those around them, keep their breaks."""
    value: list[str] = []
    pending = 0
    before_spaced = True
    for line in lines:
        if not line:
            pending += 1
            continue
        spaced = line[0] in " \t"
        if not value:
            value.append("\n" * pending)
        elif spaced or before_spaced:
            value.append("\n" * (pending + 1))
        else:
            value.append("\n" * pending if pending else " ")
        value.append(line)
        before_spaced, pending = spaced, 0
    return "".join(value)


def events_of(text: str) -> list[Event]:
    """The events of a text. Raises GrammarError where it is not YAML 1.2, RecursionError never: what is nested too deep is an error, too."""
    grammar = Grammar(text)
    try:
        return grammar.stream()
    except TooDeep:
        raise GrammarError(grammar.far) from None
