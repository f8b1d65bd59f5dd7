"""Most YAML, read line by line: block maps and lists, whose values stand in one line or are text of several.

A text of any other form, and any that has something wrong in it, raises `NotQuick`: libyaml and the grammar read those. It is several
times quicker than libyaml's events, since one pattern takes a line apart and nothing is made for it but its value.
"""

import re
from typing import Any

from jovial_scaffold.core.limits import NESTING, NODES
from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.text import moulds
from jovial_scaffold.core.text.outline import Outline
from jovial_scaffold.core.text.scalars import WORDS, NumberRangeError, core_schema_value


class NotQuick(Exception):
    """Another reader has to look."""


#: tabs, carriage returns, and what YAML does not print or takes for the end of a line
_UNUSUAL = regex("[\x00-\x09\x0b-\x1f\x7f-\xa0\u2000-\u200f\u2028-\u202f\ud800-\udfff\ufeff\ufffe\uffff]")
_USUAL = bytes([ord("\n"), *range(ord(" "), 0x7F)])  # the same for a text of ASCII
_KEY = r"[A-Za-z_$][\w$./()@-]*(?:[ ][\w$./()@-]+)*"
#: indentation, a dash, a key, and what follows it; each line of a text is one match
_LINE = regex(rf"([ ]*)(?:(-[ ]+)?(?:({_KEY}|\"[^\"\\\n]{{0,200}}\"|'[^'\n]{{0,200}}'):(?=[ ]|$))?[ ]*([^\n]*))(?:\n|\Z)", re.MULTILINE)
QUOTED = regex(r"(?:\"((?:[^\"\\]|\\[\"\\/nt])*)\"|'((?:[^']|'')*)')[ ]*(?:(?<=[ ])#.*)?\Z")
_ESCAPE = regex(r"\\(.)")
_ESCAPES = {"n": "\n", "t": "\t"}
_PLAIN_START = frozenset("abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789_$/.~+-(")
_LETTERS = frozenset("abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ$/")
TOKEN = regex(
    r"[ ]*(?:([\[{\]},])|(\"(?:[^\"\\]|\\[\"\\/nt])*\"|'(?:[^']|'')*')|([A-Za-z0-9_/.+$-](?:[\w/.+<>=;()@*&!%'-]|[ ](?=[\w/.+<>=;()@*&!%'-]))*))(:(?=[ ]))?[ ]*"
)
_KEY_LENGTH = 400  # characters of a key that YAML lets stand in one line, and some room
_FLOW_DEPTH = 12  # levels of brackets in one line
_DEPTH = NESTING.most - _FLOW_DEPTH - 2
_TAIL = regex(r"[ ]*(?:(?<=[ ])#.*)?\Z")


def unquoted(text: str) -> str:
    """What a text in quotes says, of those that are read here."""
    if text[0] == "'":
        return text[1:-1].replace("''", "'")
    inner = text[1:-1]
    return _ESCAPE.sub(lambda match: _ESCAPES.get(match[1], match[1]), inner) if "\\" in inner else inner


class QuickReader:
    """Reads one text, and notes how it is laid out."""

    def __init__(self, text: str) -> None:
        self.text = text
        self.outline = Outline()
        #: of a large text, what many of its entries have in common
        self.moulds = moulds.Moulds(text, _entry, scalar, NotQuick) if len(text) >= moulds.LEAST else None
        self.ends: dict[int, re.Pattern[str]] = {}  # what ends an entry, by how far in it stands
        self.nodes = 0
        self.at = 0  # where the next line begins
        # The maps and lists that are open, the innermost last: how far in their entries stand, and the key that waits for its value.
        self.indents: list[int] = []
        self.values: list[Any] = []
        self.waiting: list[str | None] = []
        self.outer = ""

    def read(self) -> Any:
        """The value. Raises NotQuick."""
        text = self.text
        if text.encode().translate(None, _USUAL) if text.isascii() else _UNUSUAL.search(text):
            raise NotQuick
        take, end = _LINE.match, len(text)
        while self.at < end:
            match: Any = take(text, self.at)
            self.at = match.end()
            indent, dash, key, rest = match.groups()
            if key is None:
                if not rest:
                    if dash is not None:
                        raise NotQuick
                    continue  # an empty line
                if dash is None:
                    if rest[0] == "#":
                        continue
                    raise NotQuick
            column = len(indent)
            if not self.indents or column != self.indents[-1] or (type(self.values[-1]) is list) is not (dash is not None):
                self.turn(column, dash is not None)
            if key is None:
                self.values[-1].append(self.value(rest, column))
                continue
            if dash is not None:
                self.values[-1].append(self.open({}, column + len(dash)))
                column += len(dash)
            self.entry(key, rest, column, match.start())
        found: Any = self.values[0] if self.values else None
        for pointer, cast in self.moulds.earlier() if self.moulds is not None else ():
            if cast[0].cast(cast[1]) == found[pointer[0]][pointer[1]]:
                self.outline.casts[pointer] = cast
        return found

    def turn(self, column: int, is_list: bool) -> None:
        """Go on in what a line with another indentation, or another kind of entry, belongs to."""
        indents, values = self.indents, self.values
        if not indents:
            if column:
                raise NotQuick
            self.open([] if is_list else {}, 0)
            return
        name = self.waiting[-1]
        # What a key waits for stands further in, or as far in as the key where it is a list.
        if column > indents[-1] or (is_list and column == indents[-1] and name is not None):
            if name is None:
                raise NotQuick
            self.waiting[-1] = None
            holder = values[-1]
            holder[name] = self.open([] if is_list else {}, column)
            return
        while indents[-1] > column or (not is_list and type(values[-1]) is list):
            if len(indents) == 1:
                raise NotQuick
            indents.pop()
            values.pop()
            self.waiting.pop()
        if indents[-1] != column or (type(values[-1]) is list) is not is_list:
            raise NotQuick

    def open(self, made: Any, column: int) -> Any:
        """Begin a map or list, whose entries stand in a column."""
        self.indents.append(column)
        self.values.append(made)
        self.waiting.append(None)
        if len(self.indents) > _DEPTH:
            raise NotQuick
        self.count(1)
        return made

    def entry(self, key: str, rest: str, column: int, start: int) -> None:
        """One entry of a map: its key, and what stands behind it."""
        top, level = self.values[-1], len(self.indents)
        name = unquoted(key) if key[0] in "\"'" else key
        if name in top or (name in WORDS and key[0] not in "\"'") or len(name) > _KEY_LENGTH:
            raise NotQuick
        if level == 1:
            self.outer = name
            self.outline.starts[(name,)] = start
        elif level == 2 and type(self.values[0]) is dict:
            self.outline.starts[self.outer, name] = start
            if self.moulds is not None and self.is_cast(self.moulds, name, column, start):
                return
        if not rest or rest[0] == "#":
            self.waiting[-1] = name
            top[name] = None
            self.count(1)
            return
        self.waiting[-1] = None
        if rest[0] in _LETTERS and "#" not in rest and ": " not in rest and rest[-1] not in ": " and rest not in WORDS:
            self.nodes += 1  # as most are
            top[name] = rest
        else:
            top[name] = self.value(rest, column)

    def is_cast(self, known: moulds.Moulds, name: str, column: int, start: int) -> bool:
        """Whether an entry is read as others were that are alike; then reading goes on behind it."""
        if column not in self.ends:
            self.ends[column] = re.compile(rf"\n[ ]{{0,{column}}}[^ #\n]")
        following = self.ends[column].search(self.text, self.at - 1)
        end = following.start() + 1 if following else len(self.text)
        found = known.of(start, end, (self.outer, name))
        value = found[0].cast(found[1]) if found is not None else None
        if found is None or value is None:
            return False
        self.values[-1][name] = value
        self.waiting[-1] = None
        self.outline.casts[self.outer, name] = found
        self.at = end
        self.count(found[0].nodes)
        return True

    def count(self, more: int) -> None:
        """Count values."""
        self.nodes += more
        if self.nodes >= NODES.most:
            raise NotQuick

    def value(self, rest: str, column: int) -> Any:
        """What stands behind a key or dash; of literal text, the lines that follow belong to it."""
        self.count(1)
        first = rest[0]
        if first in _PLAIN_START:
            if "#" in rest or ": " in rest or rest[-1] in ": ":
                return self.careful_plain(rest)
            return scalar(rest)
        if first in "\"'":
            match = QUOTED.match(rest)
            if match is None:
                raise NotQuick
            end = match.end(1) if match[1] is not None else match.end(2)
            return unquoted(rest[: end + 1])
        if first in "[{":
            return self.flow(rest)
        if first in "|>":
            return self.block(rest, column)
        raise NotQuick

    def careful_plain(self, rest: str) -> Any:
        """A plain value with a comment or spaces behind it."""
        plain = rest.partition(" #")[0].rstrip(" ")
        if not plain or ": " in plain or plain[-1] == ":":
            raise NotQuick
        return scalar(plain)

    def block(self, rest: str, column: int) -> str:
        """Literal or folded text: `|`, `|-`, `>` or `>-`, of lines that are empty or stand further in than what it belongs to."""
        strips = rest[1:2] == "-"
        if not _TAIL.match(rest, 1 + strips):
            raise NotQuick
        text, found, inside = self.text, [], 0
        while self.at < len(text):
            end = text.find("\n", self.at)
            if end < 0:  # without a line break at its end, which is another text
                raise NotQuick
            line = text[self.at : end]
            if line:
                indent = len(line) - len(line.lstrip(" "))
                if indent == len(line):
                    raise NotQuick
                if indent <= column:
                    break
                inside = inside or indent
                if indent < inside:
                    raise NotQuick
            found.append(line[inside:])
            self.at = end + 1
        while found and not found[-1]:
            found.pop()
        if not inside or not found[0]:
            raise NotQuick
        if rest[0] == ">" and not all(line and line[0] != " " for line in found):
            raise NotQuick  # lines that are kept apart
        return (" " if rest[0] == ">" else "\n").join(found) + ("" if strips else "\n")

    def flow(self, rest: str) -> Any:
        """A map or list in brackets, in one line."""
        tokens = _Tokens(rest)
        value = tokens.value(tokens.following(), 0)
        if not _TAIL.match(rest, tokens.at):
            raise NotQuick
        self.count(tokens.count)
        return value


class _Tokens:
    """The brackets, texts and commas of one line."""

    def __init__(self, text: str) -> None:
        self.text = text
        self.at = 0
        self.count = 0

    def following(self) -> Any:
        """The next one. Raises NotQuick."""
        match = TOKEN.match(self.text, self.at)
        if match is None:
            raise NotQuick
        self.at = match.end()
        return match

    def value(self, token: Any, depth: int) -> Any:
        """What begins with a token, up to where it ends."""
        sign, quoted, plain, colon = token.groups()
        self.count += 1
        if colon is not None or depth > _FLOW_DEPTH:
            raise NotQuick
        if quoted is not None:
            return unquoted(quoted)
        if plain is not None:
            if plain.count("(") != plain.count(")"):
                raise NotQuick  # a comma may have cut it
            return scalar(plain)
        if sign == "[":
            return self.items(depth)
        if sign == "{":
            return self.entries(depth)
        raise NotQuick

    def items(self, depth: int) -> list[Any]:
        """The items of a list, up to its bracket."""
        found: list[Any] = []
        token = self.following()
        if token[1] == "]":
            return found
        while True:
            found.append(self.value(token, depth + 1))
            sign = self.following()[1]
            if sign == "]":
                return found
            if sign != ",":
                raise NotQuick
            token = self.following()

    def entries(self, depth: int) -> dict[str, Any]:
        """The entries of a map, up to its bracket."""
        found: dict[str, Any] = {}
        token = self.following()
        if token[1] == "}":
            return found
        while True:
            _, quoted, plain, colon = token.groups()
            if colon is None or (plain is not None and (plain in WORDS or not (plain[0].isalpha() or plain[0] == "$"))):
                raise NotQuick
            key = unquoted(quoted) if quoted is not None else plain
            if key is None or key in found:
                raise NotQuick
            found[key] = self.value(self.following(), depth + 1)
            sign = self.following()[1]
            if sign == "}":
                return found
            if sign != ",":
                raise NotQuick
            token = self.following()


def scalar(text: str) -> Any:
    """The value of a plain text. Raises NotQuick for what is none, and for a number that is too large."""
    if text[0] in _LETTERS and text not in WORDS:
        return text
    if text[:2] in ("-", "- ") or text[:3] in ("---", "..."):
        raise NotQuick
    try:
        return core_schema_value(text)
    except NumberRangeError:
        raise NotQuick from None


_AROUND = "around:\n"


def _entry(text: str) -> tuple[str, Any, int]:
    """The key and the value of one entry of an entry, and how many values it has. Raises NotQuick."""
    reader = QuickReader(_AROUND + text)
    reader.moulds = None
    (entries,) = reader.read().values()
    if type(entries) is not dict or len(entries) != 1:
        raise NotQuick
    ((key, value),) = entries.items()
    return key, value, reader.nodes - 3  # the map around, its entry, and the map of that
