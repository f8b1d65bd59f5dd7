"""YAML in the one layout: cut into keys, scalars (their places come from the reader), signs, comments and ends of lines, and put together
again line by line.
"""

from collections.abc import Iterator, Sequence
from typing import Any, NamedTuple

from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.text.laid_lines import STEP, Line, Strange, joined
from jovial_scaffold.core.text.source import Source, value_at
from jovial_scaffold.core.text.written_values import yaml_block, yaml_flow

_HEADER = regex(r"[|>][-+1-9]*")


def laid_out_yaml(source: Source) -> str:
    """A text of YAML in the one layout. Raises Strange."""
    return _Writer(source).written(_lines_of(source))


class _Token(NamedTuple):
    """A piece of a line: `kind` is `text` (a key or scalar), `key`, `sign`, `dash`, `comment`, or `block` (a text of several lines)."""

    kind: str
    text: str
    column: int
    start: int = 0


class _Row(NamedTuple):
    """A line of YAML: its tokens, and the lines of a text that follow and belong to it as they are."""

    tokens: list[_Token]
    below: list[str]


def _lines_of(source: Source) -> list[_Row]:
    """The lines of a text with their tokens. Raises Strange for what is not known here."""
    text = source.text
    spans = _spans(source)
    lines: list[_Row] = [_Row([], [])]
    at = 0
    while at < len(text):
        char = text[at]
        tokens = lines[-1].tokens
        column = at - (text.rfind("\n", 0, at) + 1)
        if at in spans:
            end, kind = spans[at]
            if kind == "block":
                header = _line_end(text, at)
                at = _block_header(text, at, header, lines[-1], column)
                lines[-1].below.extend(_block_lines(text, at, lines, column))
                at += sum(map(len, lines[-1].below))
                lines.append(_Row([], []))
                continue
            tokens.append(_Token(kind, text[at:end], column, at))
            at = end
        elif char == "\n":
            lines.append(_Row([], []))
            at += 1
        elif char in " \t":
            at += 1
        elif char == "#" and (not at or text[at - 1] in " \t\n"):
            end = _line_end(text, at)
            tokens.append(_Token("comment", text[at:end].rstrip(), column))
            at = end
        elif char in "[]{},:":
            tokens.append(_Token("sign", char, column))
            at += 1
        elif char == "-" and text[at + 1 : at + 2] in (" ", "\t", "\n", ""):
            tokens.append(_Token("dash", "-", column))
            at += 1
        else:
            raise Strange(source.name)  # directives, ends of documents, anchors, tags, keys with `?`
    return lines if lines[-1].tokens else lines[:-1]


def _spans(source: Source) -> dict[int, tuple[int, str]]:
    """Where keys and scalars begin: where each ends, and what kind of token it is."""
    spans: dict[int, tuple[int, str]] = {}
    for place in source.places().values():
        if place.key_end > place.key_start:
            spans[place.key_start] = (place.key_end, "key")
        if place.style in ("literal", "folded"):
            spans[place.start] = (place.end, "block")
        elif place.style and place.end > place.start:
            if source.text[place.start] in "&!*":
                raise Strange(source.name)
            spans[place.start] = (place.end, "text")
    return spans


def _line_end(text: str, at: int) -> int:
    end = text.find("\n", at)
    return end if end >= 0 else len(text)


def _block_header(text: str, at: int, end: int, line: _Row, column: int) -> int:
    """The header of a text of several lines as tokens; where the line below begins. Raises Strange."""
    header = _HEADER.match(text, at)
    if header is None:
        raise Strange("")
    line.tokens.append(_Token("block", header.group(), column))
    behind = text[header.end() : end].strip()
    if behind:
        line.tokens.append(_Token("comment", behind, header.end() - at + column))
    return min(end + 1, len(text))


def _block_lines(text: str, at: int, lines: Sequence[_Row], column: int) -> list[str]:
    """The lines of a text of several lines, each with its end: all that stand as far in as the first one."""
    header = next(token.text for token in lines[-1].tokens if token.kind == "block")
    found = []
    digit = next((int(char) for char in header if char.isdigit()), 0)
    least = _owner(lines[-1], lines).column + digit if digit else -1
    while at < len(text):
        line = text[at : min(_line_end(text, at) + 1, len(text))]
        far = len(line) - len(line.lstrip(" "))
        if line.strip(" \n"):
            if least < 0:
                if far <= _owner(lines[-1], lines).column:
                    break
                least = far
            if far < least:
                break
        found.append(line)
        at += len(line)
    while found and not found[-1].strip(" \n") and "+" not in header:
        found.pop()
    return found


def _owner(line: _Row, lines: Sequence[_Row]) -> _Token:
    """The key or dash that what a line ends with belongs to; the outermost text has none."""
    for each in reversed(lines):
        owners = [token for token in each.tokens if token.kind in ("key", "dash")]
        if owners:
            return owners[-1]
    return _Token("key", "", -1)


def _following(lines: Sequence[_Row], number: int) -> _Token | None:
    """What the next line begins with that is more than a comment."""
    for at in range(number + 1, len(lines)):
        if lines[at].tokens and lines[at].tokens[0].kind != "comment":
            return lines[at].tokens[0]
    return None


class _Open(NamedTuple):
    """A map or list of the block style that is not at its end: the column of its entries as they were, and whether they are items."""

    column: int
    is_list: bool


class _Writer:
    """Lays a text of YAML out."""

    def __init__(self, source: Source) -> None:
        self.source = source
        self.open: list[_Open] = []
        self.depth = 0  # of brackets
        self.values = {place.start: (pointer, place) for pointer, place in source.places().items() if place.style}

    def written(self, lines: Sequence[_Row]) -> str:
        """The whole text."""
        out: list[Line] = []
        for number, line in enumerate(lines):
            if not line.tokens:
                out.append(Line(""))
            elif line.tokens[0].kind == "comment":
                out.append(Line(" " * self._comment_column(line.tokens[0].column, _following(lines, number)) + line.tokens[0].text))
            else:
                out += self._line(line)
        text = joined(out)
        ends_open = bool(lines) and bool(lines[-1].below) and not self.source.text.endswith("\n")
        return text.removesuffix("\n") if ends_open else text  # a text of several lines would have an end more

    def _comment_column(self, column: int, after: _Token | None) -> int:
        """How far in a comment stands that has a line for itself: as far as what comes after it, or as what it is the end of."""
        if self.depth:
            return self._flow_column(after)
        if after is not None and column <= after.column:
            return self._peek(after)
        least = after.column if after is not None else -1
        for level in range(len(self.open) - 1, -1, -1):
            if least < self.open[level].column <= column:
                return level * STEP
        return self._peek(after) if after is not None else 0

    def _peek(self, token: _Token) -> int:
        """How far in a line stands that begins with a token."""
        before = list(self.open)
        column = self._enter(token) if token.kind in ("dash", "key") else len(self.open) * STEP
        self.open = before
        return column

    def _enter(self, token: _Token) -> int:
        """Go on with the entry that a token begins; the column where it stands now."""
        is_list = token.kind == "dash"
        while self.open and (
            self.open[-1].column > token.column or (self.open[-1].column == token.column and self.open[-1].is_list and not is_list)
        ):
            self.open.pop()
        if not self.open or self.open[-1].column < token.column or self.open[-1].is_list != is_list:
            self.open.append(_Open(token.column, is_list))
        return (len(self.open) - 1) * STEP

    def _flow_column(self, first: _Token | None) -> int:
        """How far in a line stands that begins inside of brackets: further than the key before them, as YAML 1.2 wants it (rule 80)."""
        base = len(self.open) * STEP
        closes = first is not None and first.kind == "sign" and first.text in "]}"
        return base + STEP * (self.depth - (1 if closes else 0))

    def _line(self, line: _Row) -> Iterator[Line]:
        tokens = list(line.tokens)
        comment = tokens.pop().text if tokens[-1].kind == "comment" else ""
        first = tokens[0]
        if self.depth:
            column = self._flow_column(first)
        elif first.kind in ("dash", "key"):
            column = self._enter(first)
        else:
            column = len(self.open) * STEP
        pieces: list[str] = []
        for at, token in enumerate(tokens):
            if at and not self.depth and token.kind in ("dash", "key"):
                self._enter(token)
            gap = " " if pieces and self._apart(tokens[at - 1], token) else ""
            if token.kind == "sign" and token.text in "]}" and pieces and pieces[-1] == ",":
                pieces.pop()
            if token.kind == "sign":
                self.depth += (token.text in "[{") - (token.text in "]}")
            text = self._text(token, tokens[at + 1 :])
            if "\n" in text:  # a scalar in several lines
                far = " " * (len(self.open) * STEP + STEP * self.depth)
                head, *rest = text.split("\n")
                text = "\n".join([head.rstrip(" \t"), *((far + each.strip(" \t")).rstrip() for each in rest)])
            pieces.append(gap + text)
        first_line, *others = (" " * column + "".join(pieces)).split("\n")
        for each in (first_line, *others)[:-1]:
            yield Line(each, verbatim=True)
        yield Line((others or [first_line])[-1], comment, verbatim=bool(others))
        yield from self._block(line)

    def _apart(self, before: _Token, token: _Token) -> bool:
        """Whether a space stands between two tokens of a line."""
        if before.kind == "sign" and before.text in "[{":
            return False
        return not (token.kind == "sign" and token.text in "]},:")

    def _text(self, token: _Token, following: Sequence[_Token]) -> str:
        """A key or scalar, without quotes that it does not need."""
        if token.kind not in ("key", "text") or token.text[:1] not in "\"'" or "\n" in token.text:
            return token.text
        if token.kind == "key":
            value: Any = self._key(token)
        else:
            pointer, _ = self.values[token.start]
            value = value_at(self.source.value, pointer, None) if pointer else self.source.value
        if not isinstance(value, str):
            return token.text
        bare = yaml_flow(value) if self.depth or token.kind == "key" or following else yaml_block(value)
        return token.text if bare[:1] == '"' else bare

    def _key(self, token: _Token) -> str | None:
        if token.text[0] == '"':
            return token.text[1:-1] if "\\" not in token.text else None
        return token.text[1:-1].replace("''", "'")

    def _block(self, line: _Row) -> Iterator[Line]:
        """The lines of a text of several lines."""
        if not line.below:
            return
        header = next(token.text for token in line.tokens if token.kind == "block")
        digit = next((char for char in header if char.isdigit()), "")
        if digit and digit != str(STEP):
            raise Strange(self.source.name)
        contents = [each.rstrip("\n") for each in line.below]
        owner = _owner(line, [line])
        held = min((len(each) - len(each.lstrip(" ")) for each in contents if each.strip(" ")), default=0)
        least = owner.column + int(digit) if digit else held
        if digit and owner.column < 0:
            raise Strange(self.source.name)
        far = " " * (len(self.open) * STEP if self.open else STEP)
        says = any(each.strip(" ") for each in contents)  # else its lines are empty ones, however many spaces they have
        for each in contents:
            yield Line(far + each[least:] if says and each[least:] else "", verbatim=True)
