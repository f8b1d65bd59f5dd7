"""Rows of the board that many resources share: where the same expression stands in resources that are written alike, it differs between the same
environments, for the same reasons. The page has such rows once, and of each resource which they are."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import Any, NamedTuple

from jovial_scaffold.core.changes.aligning import PLAIN, Alike, Leaf, same
from jovial_scaffold.core.changes.driving import Driver
from jovial_scaffold.core.changes.matrix import Matrix, Row, is_of_run
from jovial_scaffold.core.rendering.instances import EvaluatedResource, Instance
from jovial_scaffold.core.rendering.overlays import condition_text
from jovial_scaffold.core.text.source import Origin, Pointer
from jovial_scaffold.reports.chains import cut_text
from jovial_scaffold.reports.cores import NO_WORDS, Core, Cores, ItemCores, Place, Words, are_plain, place_of
from jovial_scaffold.reports.listed import Listed, listed_of
from jovial_scaffold.reports.written_alike import Expression, Held, WrittenAlike

_LONGEST = 200  # characters of a text with words around an expression, of which nothing has to be cut
_VALUES, _DRIVERS, _PLACE, _ECHO = 1, 3, 5, -1  # where a row has the values, the drivers, the line that it says by itself, what it repeats
_SHORT = 6  # entries of a row of which the group says what is written there


class ToldRow(NamedTuple):
    """A row, as the page has it, and what it is about."""

    row: Row
    told: list[Any]
    aspect: str


class _Known(NamedTuple):
    """The rows of an expression: which they are, and how many characters may stand around it, or the values of the only one and what it repeats; or
    that there are none. Where that was `seen` of the only one, it is what the columns have, without the words around it; of a list, `listed` is."""

    number: int
    room: int
    values: list[int] | None = None
    echo: str = ""
    seen: tuple[Any, ...] | None = None
    listed: Listed | None = None


_NONE = _Known(-1, 0)
_Table = dict[Any, _Known | None]


class _Siblings(NamedTuple):
    """The rows of an expression with other constants, of which each is one value: they have all but the values and what these repeat in common with
    the first one, unless something else drives them. `number` is that of what the code computes there, where nothing else decides, `is_single` says
    whether that is a resource of its own. `told` are those that were told, by their drivers and whether they are echoes; `sure` those of
    which nobody has to be asked, by the names among the constants, the type and the columns that differ."""

    first: ToldRow
    number: int | None
    is_single: bool
    told: list[tuple[tuple[Driver, ...], bool, int]]
    sure: dict[tuple[object, ...], int]


class _Use(NamedTuple):
    """An expression in a resource: what all have in common that share its rows, where that is known, and the words around it there."""

    which: int
    expression: Expression
    core: Core | ItemCores
    key: Any
    table: _Table
    words: Words
    of_items: list[Words]
    around: tuple[Any, ...]
    values: list[Any]


class _Asked(NamedTuple):
    """Who says what drives a row, and the number of the text of a value."""

    matrix: Matrix
    number_of: Callable[[Any], int]


class SharedRows:
    """Those of some renderings."""

    def __init__(self, alike: WrittenAlike, is_single: bool) -> None:
        """`is_single` says that all renderings are of one template: those of several share nothing."""
        self._alike = alike
        self._is_single = is_single
        self._tables: dict[tuple[Any, ...], list[tuple[Core | ItemCores, _Table]]] = {}  # what is known of each expression of a group
        self._siblings: dict[tuple[Any, ...], _Siblings] = {}
        self._asked: _Asked | None = None
        self._news: list[_Use] = []  # expressions of the resource that is looked at, of which the rows are not known
        self._told: set[int] = set()  # of which of its expressions there are rows
        self._uses: list[list[Any]] = []
        self._counts: list[list[tuple[str, bool]]] = []
        self._times: list[int] = []
        #: what of the resource that was asked for last the page makes rows of; None where all are given
        self.held: Held | None = None
        #: of each expression its rows, as of other resources; where words stand around it, the values are texts
        self.rows: list[list[list[Any]]] = []

    def ask(self, matrix: Matrix, number_of: Callable[[Any], int]) -> None:
        """Whom to ask what drives a row, and for the number of the text of a value: the matrix asks here which rows are wanted."""
        self._asked = _Asked(matrix, number_of)

    def wanted(self, present: Mapping[int, EvaluatedResource]) -> bool | Sequence[int]:
        """Which rows of a resource are to be made: all, those that differ, or those that differ by some of what its code computes."""
        held = self.held = self._alike.hold(present)
        self._news, self._uses, self._told = [], [], set()
        if held is None:
            return True
        written, computed = held.instance.resource, []
        for each in present.values():
            found = each.instance
            if found.resource is not written or found.computed is None:
                return False
            computed.append(found.computed[1])
        place = place_of(held.instance) if self._is_single else None
        return self._wanted(held, place, present, computed) if place is not None else False

    def _wanted(
        self, held: Held, place: Place, present: Mapping[int, EvaluatedResource], computed: Sequence[Sequence[Any]]
    ) -> Sequence[int]:
        """Those of which the rows are not known. `computed` is what the code computes in the columns."""
        digits, group = held.digits, held.group
        around = (group.number, tuple(present), *map(_around, place.instances))
        tables = self._tables.get(around)
        if tables is None:
            tables = self._tables[around] = self._unknown(held, place)
        wanted = [*group.others]
        for index, (each, (core, table)) in enumerate(zip(group.expressions, tables, strict=True)):
            if core.is_open:
                if _differs(each.numbers, computed):
                    wanted += each.numbers
                continue
            key: Any = core.key(place)
            if each.digits is not None and isinstance(core, Core) and key is not None:
                key = *key, *[digits[number] for number in each.digits]
            known = table.get(key)
            if known is _NONE:
                continue
            words = core.words(place) if core.is_joined else NO_WORDS
            if words is None or key is None:
                wanted += each.numbers
                continue
            if known is not None and self._is_known(known, each, words, present, computed):
                self._told.add(index)
                continue
            values = _values(each, computed)
            if key not in table:
                if not _differs(each.numbers, computed):
                    table[key] = _NONE
                    continue
                siblings = self._siblings.get((around, each.numbers))
                if siblings is not None and self._is_sibling(siblings, each, key, table, present, values):
                    self._told.add(index)
                    continue
                own = (words, []) if isinstance(words, tuple) else (NO_WORDS, words)
                self._news.append(_Use(index, each, core, key, table, *own, around, values))
            wanted += each.numbers
        return wanted

    def _is_known(
        self,
        known: _Known,
        expression: Expression,
        words: Words | list[Words],
        present: Mapping[int, EvaluatedResource],
        computed: Sequence[Sequence[Any]],
    ) -> bool:
        """Whether an expression has rows that are known, which is noted then."""
        if isinstance(words, tuple):
            if not _fits(words, known.room) or (known.seen is not None and not _is_seen(_values(expression, computed), known.seen, words)):
                return False
            self._use(known, words)
            return True
        lists = [each.properties[str(expression.place[0])] for each in present.values()]
        if known.listed is None or self._asked is None or not known.listed.is_alike(lists, words):
            return False
        told = dict(zip(present, map(self._asked.number_of, lists), strict=True))
        echo = cut_text(known.listed.echo(lists[0], words)) if known.echo else ""
        self._use(known._replace(values=[told.get(column, -1) for column in range(self._alike.columns)], echo=echo), NO_WORDS)
        return True

    def _unknown(self, held: Held, place: Place) -> list[tuple[Core | ItemCores, _Table]]:
        """What of each expression of a group may differ, of which nothing is known."""
        asked, code = self._asked, held.group.code
        assert asked is not None
        cores = Cores(place, asked.matrix.is_same_for_all)

        def core_of(each: Expression) -> Core | ItemCores:
            if each.digits is None:
                return cores.of(each.text)
            items = {
                code.places[number][-1]: code.texts[number] for number in each.numbers if len(code.places[number]) == len(each.place) + 1
            }
            is_list = len(each.place) == 1 and len(items) == len(each.numbers) and code.conditions.isdisjoint(each.numbers)
            found = cores.of_items({int(step): text for step, text in items.items()}) if is_list else None
            return found or cores.of_all([code.texts[number] for number in each.numbers])

        return [(core_of(each), {}) for each in held.group.expressions]

    def _is_sibling(
        self,
        siblings: _Siblings,
        expression: Expression,
        key: Any,
        table: _Table,
        present: Mapping[int, EvaluatedResource],
        values: Sequence[Any],
    ) -> bool:
        """Whether an expression has the row of others but for the values, which is noted then."""
        first, instance = values[0], next(iter(present.values())).instance
        if type(first) not in PLAIN or len(set(map(type, values))) > 1 or self._asked is None or instance.computed is None:
            return False
        constants = instance.computed[2]
        names = tuple([constants[each] for each in expression.text.reads if isinstance(each, int)])
        alike = names, type(first), tuple([each != first for each in values])
        number, echo = siblings.sure.get(alike), ""
        if number is None:
            row, own = siblings.first.row, dict.fromkeys(present, instance.address)
            at = dict.fromkeys(present, next(iter(row.at.values())))
            leaf = Leaf(row.pointer, at, dict(zip(present, values, strict=True)), True, Alike(False), siblings.number)
            drivers, echo = self._asked.matrix.behind(own, leaf if siblings.is_single else leaf._replace(computed=None))
            number = self._told_sibling(siblings, drivers, bool(echo))
            if self._asked.matrix.is_always_behind(own, leaf, drivers):
                siblings.sure[alike] = number
        told = dict(zip(present, map(self._asked.number_of, values), strict=True))
        known = table[key] = _Known(number, 0, [told.get(column, -1) for column in range(self._alike.columns)], cut_text(echo))
        self._use(known, NO_WORDS)
        return True

    def _told_sibling(self, siblings: _Siblings, drivers: tuple[Driver, ...], is_echo: bool) -> int:
        """The number of the row that siblings have that something drives, all but what an echo repeats."""
        number = next((number for each, echoes, number in siblings.told if each == drivers and echoes == is_echo), None)
        if number is None:
            number = len(self.rows)
            siblings.told.append((drivers, is_echo, number))
            told, counts = siblings.first.told, not is_of_run(drivers)
            self.rows.append([[told[0], [], int(counts), told_drivers(drivers), *told[_DRIVERS + 1 : _ECHO], ""]])
            self._counts.append([(siblings.first.aspect, is_echo)] if counts else [])
            self._times.append(0)
        return number

    def _use(self, known: _Known, words: tuple[str, str]) -> None:
        values = [known.values, known.echo] if known.echo else [known.values] if known.values is not None else []
        self._uses.append([known.number, *words, *values] if values or words is not NO_WORDS else [known.number])
        self._times[known.number] += 1

    def own(self, rows: Sequence[ToldRow]) -> list[ToldRow]:
        """The rows of the resource that was asked for last, but for those that it shares with others."""
        news, held = self._news, self.held
        if (not rows and not news) or held is None:
            return list(rows)
        known = [held.group.expressions[which].place for which in self._told]
        below: list[list[ToldRow]] = [[] for _ in news]
        left: list[ToldRow] = []
        for told in rows:
            if any(_is_below(told.row, place) for place in known):
                continue  # it came along with others of its list
            next((found for found, each in zip(below, news, strict=True) if _is_below(told.row, each.expression.place)), left).append(told)
        for each, found in zip(news, below, strict=True):
            if found:
                self._told.add(each.which)
            if isinstance(each.core, ItemCores):
                left += self._own_lists(each, each.core, found)
                continue
            shared = _shared(each, found, held.instance.resource.origin) if found else []
            if not shared:
                each.table[each.key] = _NONE if shared is not None else None
                left += found
                continue
            room = _LONGEST - max(map(_length, shared)) if each.core.is_joined else 0
            rows_of = each.table[each.key] = _Known(len(self.rows), room, seen=_seen(each, shared))
            if (
                len(found) == 1
                and each.expression.digits is None
                and held.instance.scope.use is None
                and _may_have_siblings(found[0], each)
            ):
                number = each.expression.numbers[0] if held.instance.resource.when is None else None
                single = held.instance.resource.loop is None
                self._siblings[each.around, each.expression.numbers] = _Siblings(found[0], number, single, [], {})
            self.rows.append(shared)
            self._counts.append([(told.aspect, bool(told.row.echo)) for told in found if told.row.counted])
            self._times.append(0)
            self._use(rows_of, each.words)
        return left

    def _own_lists(self, use: _Use, core: ItemCores, rows: list[ToldRow]) -> list[ToldRow]:
        """The rows of a list, as a resource by itself has them, where others cannot share them; their own texts are those of one column."""
        if not rows:
            use.table[use.key] = _NONE
            return rows
        use.table[use.key] = None
        told, row = rows[0].told, rows[0].row
        if len(rows) > 1 or row.pointer != use.expression.place or len(told) > _SHORT or row.absent:
            return rows
        joined = [each.is_joined for each in core.cores.values()]
        listed = listed_of([*row.values.values()], [*core.cores], joined, use.of_items, row.echo)
        if listed is None:
            return rows
        known = use.table[use.key] = _Known(len(self.rows), 0, told[_VALUES], told[_ECHO], listed=listed)
        self.rows.append([[*told[:_VALUES], [], *told[_VALUES + 1 : _ECHO], ""]])
        self._counts.append([(rows[0].aspect, bool(row.echo))] if row.counted else [])
        self._times.append(0)
        self._use(known, NO_WORDS)
        return []

    def entry(self) -> dict[str, Any]:
        """What the page makes rows of, of the resource that was asked for last."""
        if self.held is None:
            return {}
        return {**self._alike.entry(self.held, self._told), "shared": self._uses}

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


def _differs(numbers: Sequence[int], computed: Sequence[Sequence[Any]]) -> bool:
    """Whether one of what the columns compute by these numbers may not be the same in all of them."""
    first = computed[0]
    for number in numbers:
        known = first[number]
        for other in computed:
            value = other[number]
            if value is not known and (type(value) is not type(known) or type(value) not in PLAIN or value != known):
                return True
    return False


def told_drivers(drivers: Sequence[Driver]) -> list[list[Any]]:
    """What drives a row, as the page has it."""
    return [[each.parameter, each.sources] for each in drivers]


def _may_have_siblings(told: ToldRow, use: _Use) -> bool:
    row = told.row
    is_whole = not use.core.is_joined and row.pointer == use.expression.place and len({*row.at.values()}) == 1
    return is_whole and len(told.told) == _SHORT and {type(each) for each in row.values.values()} <= PLAIN


def _is_below(row: Row, place: Pointer) -> bool:
    """Whether a row is about a part of a place that no list is around."""
    return row.pointer[: len(place)] == place and row.kind == "property"


def _around(instance: Instance) -> Any:
    """What decides whether a resource is there, or what has a resource inside of it, and how things are handed in there."""
    written = instance.resource
    return condition_text(written.when) if instance.inside is None else (written.shape, condition_text(written.when))


def _values(expression: Expression, computed: Sequence[Sequence[Any]]) -> list[Any]:
    """What the columns have of an expression in one place."""
    number, *others = expression.numbers
    return [column[number] for column in computed] if not others else []


def _seen(use: _Use, shared: Sequence[Sequence[Any]]) -> tuple[Any, ...] | None:
    """What the columns have of the only row of an expression, without the words around it, where that has to be looked at in others."""
    if isinstance(use.core, Core) and use.core.own is not None and not use.core.is_joined:
        return None
    return tuple([each for each in shared[0][_VALUES] if type(each) is str] if use.core.is_joined else use.values)


def _is_seen(values: Sequence[Any], seen: Sequence[Any], words: tuple[str, str]) -> bool:
    """Whether values are what was seen of the same expression, with words around them."""
    if words is NO_WORDS:
        return len(values) == len(seen) and all(map(same, values, seen))
    before, behind = words
    return len(values) == len(seen) and all(
        type(one) is str and one == f"{before}{other}{behind}" for one, other in zip(values, seen, strict=True)
    )


def _fits(words: tuple[str, str], room: int) -> bool:
    """Whether nothing that stands around an expression is cut, or written in another way."""
    return words == NO_WORDS or (len(words[0]) + len(words[1]) <= room and are_plain(words))


def _shared(use: _Use, rows: Sequence[ToldRow], origin: Origin) -> list[list[Any]] | None:
    """The rows of an expression in the resource that stands at an origin, told for all that have it; None where they hold for this one only."""
    if use.expression.digits is not None:
        return [_told_from(told.told, origin) for told in rows]
    if any(len(told.told) > _SHORT for told in rows):  # what is written there hangs on the digits of this resource
        return None
    if not use.core.is_joined:
        return [told.told for told in rows]
    before, behind = use.words
    found = []
    for row, told, _ in rows:
        echo, is_whole = row.echo, row.pointer == use.expression.place
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


def _told_from(row: list[Any], origin: Origin) -> list[Any]:
    """A row as all resources have it that are written alike: where it says by itself what is written, the line is how many below the resource."""
    if len(row) <= _SHORT:
        return row
    name, _, line = row[_PLACE].rpartition(":")
    return [
        *row[:_PLACE],
        int(line) - origin.source.key_line(origin.pointer) if name == origin.source.name else row[_PLACE],
        *row[_PLACE + 1 :],
    ]


def _is_plain(value: Any) -> bool:
    return type(value) is str and value.isascii() and value.isprintable()


def _length(row: list[Any]) -> int:
    return max([len(each) for each in (*row[_VALUES], row[_ECHO]) if isinstance(each, str)])
