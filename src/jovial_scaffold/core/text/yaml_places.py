"""Where each value of a YAML text stands, found line by line: of what `yaml_quick` reads, and just as the careful reader would say it.

Whoever shows a line needs nothing else, so that libyaml and its Python part are not loaded for it.
"""

from typing import Any, NamedTuple

from jovial_scaffold.core.text.source import Place, Pointer
from jovial_scaffold.core.text.yaml_quick import QUOTED, TOKEN, NotQuick, QuickReader, unquoted

_STYLES = {"'": "single", '"': "double", "|": "literal", ">": "folded"}


class _Open(NamedTuple):
    """A map or list of which the end is not known yet: its pointer, its key, and where it begins."""

    pointer: Pointer
    key: tuple[int, int]
    start: int


class Locator(QuickReader):
    """Reads a text, or entries of one that stand as far in as each other, for the places of its values."""

    def __init__(self, text: str) -> None:
        super().__init__(text)
        self.moulds = None
        self.places: dict[Pointer, Place] = {}
        self.around: list[_Open] = []
        self.keys: list[tuple[str, int, int]] = []  # of each map that is open, the last one, and where it stands

    def locate(self) -> dict[Pointer, Place]:
        """The place of every value. Raises NotQuick."""
        if self.read() is None:
            raise NotQuick
        self.close(0, len(self.text))
        return self.places

    def line_start(self) -> int:
        """Where the line begins that was read last."""
        return self.text.rfind("\n", 0, self.at - 1) + 1

    def turn(self, column: int, is_list: bool) -> None:
        """Go on elsewhere; what was open further in ends where this line begins."""
        if not self.indents:
            self.open([] if is_list else {}, column)  # all of them may stand further in
            return
        start = self.line_start() + column
        super().turn(column, is_list)
        self.close(len(self.indents), start)

    def close(self, level: int, end: int) -> None:
        """All maps and lists below a level end there."""
        while len(self.around) > level:
            pointer, key, start = self.around.pop()
            self.keys.pop()
            self.places[pointer] = Place(*key, start, end, "")

    def open(self, made: Any, column: int) -> Any:
        """Begin a map or list."""
        start = self.line_start() + column
        pointer, key = self.following(start) if self.around else ((), (start, start))
        self.around.append(_Open(pointer, key, start))
        self.keys.append(("", 0, 0))
        return super().open(made, column)

    def following(self, start: int) -> tuple[Pointer, tuple[int, int]]:
        """The pointer and the key of what begins there, in the innermost map or list."""
        pointer, holder = self.around[-1].pointer, self.values[len(self.around) - 1]
        if type(holder) is list:
            return (*pointer, len(holder)), (start, start)
        name, first, last = self.keys[-1]
        return (*pointer, name), (first, last)

    def entry(self, key: str, rest: str, column: int, start: int) -> None:
        """One entry of a map."""
        first = start + column
        self.keys[-1] = unquoted(key) if key[0] in "\"'" else key, first, first + len(key)
        begins = self.line_end() - len(rest)
        super().entry(key, rest, column, start)
        if not rest or rest[0] == "#":
            name, first, last = self.keys[-1]
            self.places[*self.around[-1].pointer, name] = Place(first, last, last + 1, last + 1, "plain")
        else:
            self.found(rest, begins)

    def value(self, rest: str, column: int) -> Any:
        """What stands behind a key or dash."""
        if type(self.values[-1]) is not list:
            return super().value(rest, column)  # of a map, the entry is found as a whole
        begins = self.line_end() - len(rest)
        value = super().value(rest, column)
        self.found(rest, begins)
        return value

    def line_end(self) -> int:
        """Where the line ends that was read last, before its break."""
        return self.at - 1 if self.text.startswith("\n", self.at - 1) else self.at

    def found(self, rest: str, start: int) -> None:
        """What stands in a line, and was read."""
        pointer, key = self.following(start)
        sign = rest[0]
        if sign in "[{":
            _Brackets(rest, start, self.places).value(TOKEN.match(rest), pointer, key)
            return
        style = _STYLES.get(sign, "plain")
        if sign in "\"'":
            match: Any = QUOTED.match(rest)
            end = start + (match.end(1) if match[1] is not None else match.end(2)) + 1
        elif sign in "|>":
            end = self.at
        else:
            end = start + len(rest.partition(" #")[0].rstrip(" "))
        self.places[pointer] = Place(*key, start, end, style)


class _Brackets:
    """The values inside of brackets in one line, which was read."""

    def __init__(self, text: str, offset: int, places: dict[Pointer, Place]) -> None:
        self.text = text
        self.offset = offset
        self.places = places
        self.at = 0

    def following(self) -> Any:
        """The next token."""
        match: Any = TOKEN.match(self.text, self.at)
        self.at = match.end()
        return match

    def value(self, token: Any, pointer: Pointer, key: tuple[int, int] | None) -> None:
        """What begins with a token; it is its own key in a list."""
        self.at = token.end()
        sign, style = token[1], "plain"
        start, end = token.span(token.lastindex)
        if sign == "[":
            end, style = self.items(pointer), ""
        elif sign == "{":
            end, style = self.entries(pointer), ""
        elif token[2]:
            style = _STYLES[token[2][0]]
        start, end = start + self.offset, end + self.offset
        first, last = key or (start, start)
        self.places[pointer] = Place(first, last, start, end, style)

    def items(self, pointer: Pointer) -> int:
        """Those of a list; where it ends."""
        token, index = self.following(), 0
        while token[1] != "]":
            if token[1] != ",":
                self.value(token, (*pointer, index), None)
                index += 1
            token = self.following()
        return int(token.end(1))

    def entries(self, pointer: Pointer) -> int:
        """Those of a map; where it ends."""
        token = self.following()
        while token[1] != "}":
            if token[1] != ",":
                which = 2 if token[2] else 3
                name = unquoted(token[2]) if token[2] else token[3]
                first, last = token.span(which)
                self.value(self.following(), (*pointer, name), (first + self.offset, last + self.offset))
            token = self.following()
        return int(token.end(1))
