"""Entries of a large text that are alike but for their digits: one of them is read, and the others are cast.

What a digit stands for is found by reading the entry again with another number in the place of each: where that number comes out is
where the digits of every other entry go. Numbers that come out nowhere, or change what kind of value it is that they stand in, have to
be the same in all entries of a mould.
"""

import ast
from collections.abc import Callable, Iterator, Sequence
from typing import Any, NamedTuple

from jovial_scaffold.core.code import called, compiled_code, every, loaded, parameters, subscript
from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.text.scalars import NUMBER_START

LEAST = 50_000  #: characters of a text in which it is worth while to look for what is alike
ALIKE = 8  # entries that were alike before there is a mould
_LONGEST = 8_000  # characters of an entry that is looked at
_MOST = 100  # numbers in one entry; forms of entries, and moulds
_LENGTH = 18  # digits of a number

_MARK = 700_000_000  # the number that is put in the place of an entry's first one; one more in that of each that follows

_DIGITS = regex("[0-9]+")
_APART = regex("([0-9]+)").split
_AS_ZEROS = bytes.maketrans(b"123456789", b"000000000")
_ALONE = bytes(byte if byte in b"0123456789" else ord(" ") for byte in range(256))
CANONICAL = regex("(?:0|[1-9][0-9]{0,8})\\Z").match
"""Of the digits of an integer, those that say nothing but the integer."""


class UnlikeError(Exception):
    """What is no mould, or does not fit into one."""


class Woven(NamedTuple):
    """A text of pieces and of numbers, by which of the entry's they are; or an integer, which is one number."""

    pieces: tuple[str | int, ...]
    is_integer: bool = False

    def text(self, digits: Sequence[str]) -> str:
        """What it is in an entry with these digits."""
        return "".join([piece if isinstance(piece, str) else digits[piece] for piece in self.pieces])

    def cut(self, digits: Sequence[str], start: int, end: int) -> "Woven":
        """Characters `start` to `end` of what it is in an entry with these digits. Raises UnlikeError where that cuts a number."""
        found: list[str | int] = []
        at = 0
        for piece in self.pieces:
            written = piece if isinstance(piece, str) else digits[piece]
            first, last = max(start - at, 0), min(end - at, len(written))
            at += len(written)
            if first >= last:
                continue
            if isinstance(piece, str):
                found.append(piece[first:last])
            elif first or last < len(written):
                raise UnlikeError
            else:
                found.append(piece)
        return Woven(tuple(found))

    @property
    def numbers(self) -> list[int]:
        """Which numbers are in it."""
        return [piece for piece in self.pieces if isinstance(piece, int)]

    def written(self) -> ast.expr:
        """Code for its text, of the digits that are called `digits`."""
        values: list[ast.expr] = [
            ast.Constant(piece) if isinstance(piece, str) else ast.FormattedValue(value=subscript(loaded("digits"), piece), conversion=-1)
            for piece in self.pieces
        ]
        return values[0] if len(values) == 1 and isinstance(values[0], ast.Constant) else ast.JoinedStr(values=values)


class Mould:
    """What entries have in common: `woven` is their value with a `Woven` where it is not the same in all of them.

    `sample` are the digits of the entry that it was made of, `nodes` how many values each has.
    """

    __slots__ = ("_make", "nodes", "sample", "woven")

    def __init__(self, woven: Any, sample: tuple[str, ...], nodes: int, make: Callable[[Sequence[str]], Any]) -> None:
        self.woven = woven
        self.sample = sample
        self.nodes = nodes
        self._make = make

    def cast(self, digits: Sequence[str]) -> Any:
        """The value of an entry with these digits, a map or list; None where they do not fit."""
        try:
            return self._make(digits)
        except UnlikeError:
            return None


Cast = tuple[Mould, tuple[str, ...]]
"""Which mould an entry is of, and its digits."""


class Moulds:
    """Those of one text. `read` gives the key and the value of an entry, and how many values that are, or raises `failure`; `scalar` gives
    the value of a plain text."""

    def __init__(
        self, text: str, read: Callable[[str], tuple[str, Any, int]], scalar: Callable[[str], Any], failure: type[Exception]
    ) -> None:
        self._text = text
        letters = text.encode("ascii", "replace")  # of which each stands where it stood
        self._zeros = letters.translate(_AS_ZEROS).decode()
        self._digits = letters.translate(_ALONE).decode()
        self._all_short = "0" * (_LENGTH + 1) not in self._zeros
        self._read = read
        self._scalar = scalar
        self._failure = failure
        self._seen: dict[str, list[tuple[tuple[str, str], tuple[str, ...]]]] = {}  # entries that are alike, as long as there is no mould
        self._fixed: dict[str, tuple[int, ...] | None] = {}
        self._made: dict[tuple[str, tuple[str, ...]], Mould | None] = {}

    def of(self, start: int, end: int, pointer: tuple[str, str]) -> Cast | None:
        """The mould of an entry that stands there, once there is one."""
        if end - start > _LONGEST:
            return None
        form, digits = self._apart(start, end)
        if form not in self._fixed:
            seen = self._seen.setdefault(form, [])
            if len(seen) < ALIKE - 1 or len(self._fixed) >= _MOST:
                if len(seen) < ALIKE - 1:
                    seen.append((pointer, digits))
                return None
            self._fixed[form] = self._same_in(self._text[start:end], digits)
        fixed = self._fixed[form]
        if fixed is None:
            return None
        if not self._is_short(digits):
            return None
        key = form, tuple([digits[index] for index in fixed])
        if key not in self._made:
            self._made[key] = self._mould(self._text[start:end], digits, fixed) if len(self._made) < _MOST else None
        mould = self._made[key]
        return (mould, digits) if mould is not None else None

    def earlier(self) -> Iterator[tuple[tuple[str, str], Cast]]:
        """The entries that came before there was the mould that they are of."""
        for form, fixed in self._fixed.items():
            for pointer, digits in self._seen[form] if fixed is not None else ():
                mould = self._made.get((form, tuple([digits[index] for index in fixed or ()])))
                if mould is not None and self._is_short(digits):
                    yield pointer, (mould, digits)

    def _is_short(self, digits: Sequence[str]) -> bool:
        return self._all_short or max(map(len, digits), default=0) <= _LENGTH

    def _apart(self, start: int, end: int) -> tuple[str, tuple[str, ...]]:
        """An entry with a zero for each of its numbers, and the numbers."""
        entry = self._text[start:end]
        if not entry.isascii():
            parts = _APART(entry)
            return "0".join(parts[::2]), tuple(parts[1::2])
        form = self._zeros[start:end]
        while "00" in form:
            form = form.replace("0000", "0").replace("00", "0")
        return form, tuple(self._digits[start:end].split())

    def _same_in(self, entry: str, digits: tuple[str, ...]) -> tuple[int, ...] | None:
        """Which numbers have to be the same in all entries of a mould."""
        try:
            return self._weaver(entry, digits).fixed()
        except (UnlikeError, self._failure):
            return None

    def _weaver(self, entry: str, digits: tuple[str, ...]) -> "_Weaver":
        if len(digits) > _MOST or max(map(len, digits), default=0) > _LENGTH:
            raise UnlikeError
        numbers = iter(range(len(digits)))
        key, value, nodes = self._read(entry)
        marked_key, marked, _ = self._read(_DIGITS.sub(lambda _: str(_MARK + next(numbers)), entry))
        if not isinstance(value, dict | list):
            raise UnlikeError
        weaver = _Weaver(digits, nodes, self._checked)
        weaver.text(key, marked_key)
        weaver.woven = weaver.weave(value, marked)
        return weaver

    def _mould(self, entry: str, digits: tuple[str, ...], fixed: tuple[int, ...]) -> Mould | None:
        try:
            weaver = self._weaver(entry, digits)
            return weaver.mould() if weaver.fixed() == fixed else None
        except (UnlikeError, self._failure):
            return None

    def _checked(self, text: str) -> str:
        """A text that is no number and no word, as it was before."""
        try:
            value = self._scalar(text)
        except self._failure:
            raise UnlikeError from None
        if type(value) is not str:
            raise UnlikeError
        return text


class _Weaver:
    """Compares an entry with the same where each number is another one."""

    def __init__(self, digits: tuple[str, ...], nodes: int, checked: Callable[[str], str]) -> None:
        self.digits = digits
        self.nodes = nodes
        self.checked = checked
        self.moving: set[int] = set()
        self.woven: Any = None
        self.integers: list[int] = []
        self.constants: dict[str, Any] = {"canonical": CANONICAL, "checked": checked, "unlike": _unlike}

    def fixed(self) -> tuple[int, ...]:
        """The numbers that come out nowhere but in keys."""
        return tuple(index for index in range(len(self.digits)) if index not in self.moving)

    def weave(self, value: Any, marked: Any) -> Any:
        """The value with what is not the same in all entries. Raises UnlikeError where the numbers decide what kind of value it is."""
        if type(value) is not type(marked):
            raise UnlikeError
        if isinstance(value, dict):
            if len(value) != len(marked):
                raise UnlikeError
            return {
                self.key(key, other): self.weave(part, marked[other])
                for (key, part), other in zip(value.items(), list(marked), strict=True)
            }
        if isinstance(value, list):
            if len(value) != len(marked):
                raise UnlikeError
            return [self.weave(part, other) for part, other in zip(value, marked, strict=True)]
        if type(value) is int and value != marked:
            number = marked - _MARK
            if not 0 <= number < len(self.digits) or self.digits[number] != str(value):
                raise UnlikeError
            self.moving.add(number)
            return Woven((number,), is_integer=True)
        if isinstance(value, str) and value != marked:
            return self.text(value, marked)
        if not isinstance(value, float) and value != marked:
            raise UnlikeError
        return value

    def text(self, value: str, marked: str) -> Woven:
        """A text with numbers in it."""
        woven = Woven(tuple(self.pieces(marked)))
        if woven.text(self.digits) != value:
            raise UnlikeError
        self.moving.update(woven.numbers)
        return woven

    def key(self, key: str, marked: str) -> str:
        """A key, whose numbers are the same in all entries."""
        woven = Woven(tuple(self.pieces(marked)))
        if woven.text(self.digits) != key:
            raise UnlikeError
        return key

    def pieces(self, marked: str) -> list[str | int]:
        """A text with the numbers of marks."""
        found: list[str | int] = []
        at = 0
        for match in _DIGITS.finditer(marked):
            number = int(match.group()) - _MARK
            if len(match.group()) > len(str(_MARK)) or not 0 <= number < len(self.digits):
                raise UnlikeError
            if match.start() > at:
                found.append(marked[at : match.start()])
            found.append(number)
            at = match.end()
        return [*found, marked[at:]] if at < len(marked) else found

    def mould(self) -> Mould:
        """The mould, with its code."""
        fixed = frozenset(self.fixed())
        self.woven = _settled(self.woven, self.digits, fixed)
        body = self.made(self.woven)
        tests: list[ast.expr] = [called(loaded("canonical"), subscript(loaded("digits"), number)) for number in self.integers]
        if tests:
            body = ast.IfExp(test=every(tests), body=body, orelse=called(loaded("unlike")))
        make = compiled_code(ast.Expression(ast.Lambda(args=parameters("digits"), body=body)), "eval", {**self.constants, "int": int})
        if make is None:
            raise UnlikeError
        return Mould(self.woven, self.digits, self.nodes, make)

    def made(self, woven: Any) -> ast.expr:
        """Code for a value."""
        if isinstance(woven, Woven):
            if woven.is_integer:
                self.integers += woven.numbers
                return called(loaded("int"), subscript(loaded("digits"), woven.numbers[0]))
            text = woven.text(self.digits)
            # What begins like a number may be one with other digits; digits alone are a text only in quotes, whatever they are.
            may_be_number = text[0] in NUMBER_START and not text.isdigit()
            return called(loaded("checked"), woven.written()) if may_be_number else woven.written()
        if isinstance(woven, dict):
            return ast.Dict(keys=[ast.Constant(key) for key in woven], values=[self.made(part) for part in woven.values()])
        if isinstance(woven, list):
            return ast.List(elts=[self.made(part) for part in woven], ctx=ast.Load())
        if isinstance(woven, float) and (woven != woven or woven in (float("inf"), float("-inf"))):
            raise UnlikeError
        return ast.Constant(woven)


def _unlike() -> None:
    raise UnlikeError


def _settled(woven: Any, digits: Sequence[str], fixed: frozenset[int]) -> Any:
    """The same with the numbers that are fixed as what they are."""
    if isinstance(woven, Woven):
        if fixed.isdisjoint(woven.numbers):
            return woven
        if woven.is_integer:
            return int(digits[woven.numbers[0]])
        pieces: list[str | int] = []
        for piece in woven.pieces:
            written = digits[piece] if isinstance(piece, int) and piece in fixed else piece
            if pieces and isinstance(written, str) and isinstance(pieces[-1], str):
                pieces[-1] += written
            else:
                pieces.append(written)
        return pieces[0] if len(pieces) == 1 and isinstance(pieces[0], str) else Woven(tuple(pieces))
    if isinstance(woven, dict):
        return {key: _settled(part, digits, fixed) for key, part in woven.items()}
    return [_settled(part, digits, fixed) for part in woven] if isinstance(woven, list) else woven
