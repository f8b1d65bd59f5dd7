"""What the page of the board weaves by itself: texts and values of resources that are written alike, out of what these have in common and the
digits of each."""

import re
from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Any

from jovial_scaffold.core.templates.compiling import content_text
from jovial_scaffold.core.text.moulds import Woven
from jovial_scaffold.core.text.source import Pointer
from jovial_scaffold.reports.chains import LONGEST, cut_text
from jovial_scaffold.reports.rendering import cell

Pieces = list[str | int]
"""A text, with the numbers of digits in it."""


DIGITS = 18
"""How many may stand in the place of a number."""


class Slots:
    """The digits, or words, that the page needs of each resource: all others stay here. Each has up to `room` characters."""

    def __init__(self, room: int = DIGITS) -> None:
        self._slots: dict[int, int] = {}
        self.room = room

    def of(self, number: int) -> int:
        """Which of them some digits of an entry are."""
        return self._slots.setdefault(number, len(self._slots))

    @property
    def numbers(self) -> list[int]:
        """Which digits of an entry they are."""
        return list(self._slots)


MOST = 2**53 - 1
"""The largest integer that a page's numbers hold (RFC 8259, section 6)."""
_TEXT, _INTEGER = "\N{BOTTOM LEFT HALF BRACKET}", "\N{TOP LEFT HALF BRACKET}"  # around the number of digits, while a text is made
_MARKED = re.compile(f'"?{_INTEGER}([0-9]+){_INTEGER}"?|{_TEXT}([0-9]+){_TEXT}')
_SCALARS = frozenset((str, int, bool, type(None)))


class UntoldError(Exception):
    """A map that a page does not hold as it is."""


def digits_in(woven: Any) -> Iterator[int]:
    """Which digits of a resource are in a part of it."""
    if isinstance(woven, Woven):
        yield from woven.numbers
    elif isinstance(woven, dict | list):
        for item in woven.values() if isinstance(woven, dict) else woven:
            yield from digits_in(item)


def pieces_of(woven: Any, slots: Slots) -> Pieces | None:
    """What stands in a file, as `content_text` has it; None where the page cannot make it."""
    text, count = content_text(_marked(woven)), len(list(digits_in(woven)))
    if not count:
        return [cut_text(text)]
    if slots.room > DIGITS and not isinstance(woven, Woven):
        return None  # inside of a list or map, words are written in another way
    pieces: Pieces = []
    at = 0
    for match in _MARKED.finditer(text):
        pieces += [text[at : match.start()], int(match[1] or match[2])]
        at = match.end()
    pieces.append(text[at:])
    return _in_slots(pieces, slots) if len(pieces) == 2 * count + 1 and _is_plain(pieces, slots.room) else None


def form_of(value: Any, at: Pointer, woven: Mapping[Pointer, Any], told: Mapping[Pointer, int], slots: Slots) -> list[Any]:
    """How the page makes a value: [a kind, and what that needs]. `woven` has what is written in places that are constant, `told` those of which each
    resource says the value, and which of its values that is. Raises UntoldError where it cannot be told."""
    if at in told:
        return ["told", told[at]]
    if at in woven:
        return _form(woven[at], slots)
    if isinstance(value, dict):
        return ["map", {name: form_of(item, (*at, name), woven, told, slots) for name, item in value.items()}]
    assert isinstance(value, list), at
    return ["list", [form_of(item, (*at, index), woven, told, slots) for index, item in enumerate(value)]]


def is_formed(woven: Any, room: int = DIGITS) -> bool:
    """Whether the page can make a constant of its digits, or words of so many characters."""
    if isinstance(woven, list):
        if next(digits_in(woven), None) is None:
            return True
        # A list of texts and numbers is one part: where one of them has to be told, the whole is.
        is_part = not any(isinstance(item, dict | list) for item in woven)
        told = [item for item in woven if not isinstance(item, Woven) and type(told_value(item)) not in _SCALARS] if is_part else []
        return not told and all(is_formed(item, room) for item in woven)
    return not isinstance(woven, Woven) or woven.is_integer or _is_plain(woven.pieces, room)


def _form(woven: Any, slots: Slots) -> list[Any]:
    if isinstance(woven, Woven):
        return ["integer", slots.of(woven.numbers[0])] if woven.is_integer else ["text", _in_slots(woven.pieces, slots)]
    if isinstance(woven, list) and next(digits_in(woven), None) is not None:
        return ["list", [_form(each, slots) for each in woven]]
    return ["is", told_value(woven)]


def _in_slots(pieces: Iterable[str | int], slots: Slots) -> Pieces:
    return [each if isinstance(each, str) else slots.of(each) for each in pieces if each != ""]


def _marked(woven: Any) -> Any:
    """The same with a mark that says which of the digits are meant in each place."""
    if isinstance(woven, Woven):
        mark = _INTEGER if woven.is_integer else _TEXT
        return "".join([each if isinstance(each, str) else f"{mark}{each}{mark}" for each in woven.pieces])
    if isinstance(woven, dict):
        return {key: _marked(item) for key, item in woven.items()}
    return list(map(_marked, woven)) if isinstance(woven, list) else woven


def _is_plain(pieces: Sequence[str | int], room: int) -> bool:
    """Whether nothing of a text is cut or written in another way, whatever the digits are."""
    if sum(len(each) if isinstance(each, str) else room for each in pieces) >= LONGEST:
        return False
    return all(each.isascii() and each.isprintable() for each in pieces if isinstance(each, str))


def told_value(value: Any) -> Any:
    """A value as JSON, and in it what the page cannot write by itself as {"": its text, "=": what is written}. Raises UntoldError where it
    cannot be told."""
    kind = type(value)
    if kind is str:
        return value if len(value) < LONGEST and value.isascii() and value.isprintable() else _mark(value)
    if kind is int:
        return value if -MOST <= value <= MOST else _mark(value)
    if kind is bool or value is None:
        return value
    if kind is dict:
        if "" in value:
            raise UntoldError
        return {key: told_value(item) for key, item in value.items()}
    if kind is list:
        told = [told_value(item) for item in value]
        is_leaf = not any(isinstance(item, dict | list) for item in value)
        return _mark(value) if is_leaf and not _SCALARS.issuperset(map(type, told)) else told
    return _mark(value)


def _mark(value: Any) -> dict[str, str]:
    text = cut_text(cell(value))
    written = cut_text(value.strip()) if isinstance(value, str) else text
    return {"": text} if written == text else {"": text, "=": written}
