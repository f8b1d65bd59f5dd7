"""Rows of the board that many resources share: where the same expression stands in resources that are written alike, it differs between the same
environments, for the same reasons. The page has such rows once, and of each resource which they are."""

from collections.abc import Iterator, Mapping, Sequence
from typing import Any, NamedTuple

from jovial_scaffold.core.changes.matrix import Row
from jovial_scaffold.core.rendering.instances import EvaluatedResource
from jovial_scaffold.core.rendering.overlays import condition_text
from jovial_scaffold.core.text.source import Pointer
from jovial_scaffold.reports.written_alike import Expression, Held, WrittenAlike

_LONGEST = 200  # characters of a text with words around an expression, of which nothing has to be cut
_NO_WORDS = ("", "")
_VALUES, _ECHO = 1, -1  # where a row has the values and what it repeats
_SHORT = 6  # entries of a row of which the group says what is written there


class ToldRow(NamedTuple):
    """A row, as the page has it, and what it is about."""

    row: Row
    told: list[Any]
    aspect: str


class _Known(NamedTuple):
    """The rows of an expression: which they are, and how many characters may stand around it."""

    number: int
    room: int


class _Use(NamedTuple):
    """An expression in a resource: what all have in common that share its rows, and the words around it there."""

    expression: Expression
    key: tuple[Any, ...]
    words: tuple[str, str]


class SharedRows:
    """Those of some renderings."""

    def __init__(self, alike: WrittenAlike, is_single: bool) -> None:
        """`is_single` says that all renderings are of one template: those of several share nothing."""
        self._alike = alike
        self._is_single = is_single
        self._known: dict[tuple[Any, ...], _Known | None] = {}
        self._news: list[_Use] = []  # expressions of the resource that is looked at, of which the rows are not known
        self._uses: list[list[Any]] = []
        self._counts: list[list[tuple[str, bool]]] = []
        self._times: list[int] = []
        #: what of the resource that was asked for last the page makes rows of; None where all are given
        self.held: Held | None = None
        #: of each expression its rows, as of other resources; where words stand around it, the values are texts
        self.rows: list[list[list[Any]]] = []

    def wanted(self, present: Mapping[int, EvaluatedResource]) -> bool | Sequence[int]:
        """Which rows of a resource are to be made: all, those that differ, or those that differ by some of what its code computes."""
        resources = list(present.values())
        held = self.held = self._alike.hold(resources)
        self._news, self._uses = [], []
        if held is None:
            return True
        instance = held.instance
        is_one = all(each.instance.resource is instance.resource and each.instance.computed is not None for each in resources)
        if not self._is_single or not is_one or instance.computed is None:
            return False
        constants = instance.computed[2]
        around = (held.group.number, tuple(present), condition_text(instance.resource.when))
        wanted = [*held.group.others]
        for each in held.group.expressions:
            text = each.text
            key = (around, each.which, constants[text.first : text.last])
            words = ("".join(constants[text.begins : text.first]), "".join(constants[text.last : text.ends])) if each.joined else _NO_WORDS
            known = self._known.get(key)
            if known is not None and _fits(words, known.room):
                self._use(known.number, words)
                continue
            wanted.append(each.which)
            if key not in self._known:
                self._news.append(_Use(each, key, words))
        return wanted

    def own(self, rows: Sequence[ToldRow]) -> list[ToldRow]:
        """The rows of the resource that was asked for last, but for those that it shares with others."""
        left = list(rows)
        for each in self._news:
            below = [told for told in rows if _is_below(told.row, each.expression.place)] if rows else []
            shared = _shared(each, below)
            self._known[each.key] = None
            if shared is not None:
                number = len(self.rows)
                self._known[each.key] = _Known(number, _LONGEST - max([0, *map(_length, shared)]))
                self.rows.append(shared)
                self._counts.append([(told.aspect, bool(told.row.echo)) for told in below if told.row.counted])
                self._times.append(0)
                self._use(number, each.words)
                left = [told for told in left if not any(told is one for one in below)]
        return left

    def _use(self, number: int, words: tuple[str, str]) -> None:
        if self.rows[number]:
            self._times[number] += 1
            self._uses.append([number, *words] if words != _NO_WORDS else [number])

    def entry(self) -> dict[str, Any]:
        """What the page makes rows of, of the resource that was asked for last."""
        if self.held is None:
            return {}
        return {**self._alike.entry(self.held), "shared": self._uses}

    def place_of(self, row: Row) -> str | None:
        """The part that a row is about, where its group says what is written there; None where that is to be asked of the resource."""
        if self.held is None or row.kind != "property":
            return None
        at = row.at.get(self.held.column)
        return self.held.group.told.get(at) if at is not None else None

    def counts(self) -> Iterator[tuple[str, bool, int]]:
        """What shared rows are about that count, whether they are echoes, and how many resources have them."""
        for about, times in zip(self._counts, self._times, strict=True):
            for aspect, is_echo in about:
                yield aspect, is_echo, times


def _is_below(row: Row, place: Pointer) -> bool:
    """Whether a row is about a part of a place that no list is around."""
    return row.pointer[: len(place)] == place and row.kind == "property"


def _fits(words: tuple[str, str], room: int) -> bool:
    """Whether nothing that stands around an expression is cut, or written in another way."""
    return words == _NO_WORDS or (
        len(words[0]) + len(words[1]) <= room and all(each.isascii() and each.isprintable() for each in words if each)
    )


def _shared(use: _Use, rows: Sequence[ToldRow]) -> list[list[Any]] | None:
    """The rows of an expression, told for all that have it; None where they hold for this resource only."""
    if any(len(told.told) > _SHORT for told in rows):  # what is written there is told by lines of this resource
        return None
    if not use.expression.joined:
        return [told.told for told in rows]
    before, behind = use.words
    found = []
    for row, told, _ in rows:
        echo, is_whole = row.echo, all(at == use.expression.place for at in row.at.values())
        if not is_whole or not all(map(_is_plain, row.values.values())) or not _fits(use.words, _LONGEST):
            return None
        texts = [*row.values.values(), *([echo] if echo else [])]
        if not all(each.isprintable() and len(before) + len(behind) <= len(each) <= _LONGEST for each in texts):
            return None
        if not all(each.startswith(before) and each.endswith(behind) for each in texts):
            return None
        inside = [each[len(before) : len(each) - len(behind)] for each in texts]
        values = iter(inside)
        found.append(
            [
                *told[:_VALUES],
                [next(values) if each >= 0 else each for each in told[_VALUES]],
                *told[_VALUES + 1 : _ECHO],
                inside[-1] if echo else "",
            ]
        )
    return found


def _is_plain(value: Any) -> bool:
    return type(value) is str and value.isascii() and value.isprintable()


def _length(row: list[Any]) -> int:
    return max(len(each) for each in (*row[_VALUES], row[_ECHO]) if isinstance(each, str))
