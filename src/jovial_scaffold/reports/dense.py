"""Rows of a comparison packed for the eye: properties of one resource that the same drives stand in one line, and so do resources that differ
in the same way; of a line of a document only what differs stands in the columns."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from itertools import groupby
from typing import NamedTuple

from jovial_scaffold.core.changes.driving import names_of
from jovial_scaffold.core.changes.matrix import Row, same
from jovial_scaffold.core.text.source import Pointer, pointer_text
from jovial_scaffold.reports.folding import FEW, in_common, whole_ends
from jovial_scaffold.reports.rendering import cell
from jovial_scaffold.reports.terminal import cells, cut, number_marks
from jovial_scaffold.reports.words import visible

_CONTENT = 44  # columns of what is in a part
_CELL = 13  # columns that a joined value may take
_SAYS = 9  # characters that values have in common, for which these are shown
_LEAST = 4  # characters of a line of a document that all columns have in common, for which it is worth being split


class Told(NamedTuple):
    """A row as it is shown, before resources are put together: what a property is called, what each column has and how that is marked, and
    what drives it."""

    head: str
    label: str
    values: tuple[str, ...]
    roles: tuple[str, ...]
    drivers: str
    row: Row


class Line(NamedTuple):
    """A line of the matrix. Without values, it is a line of a document that is too long for columns; `folded` says that its resources have
    values of their own, of which it shows what they have in common."""

    heads: tuple[str, ...]
    label: str
    values: tuple[str, ...]
    roles: tuple[str, ...]
    drivers: str
    row: Row
    folded: bool = False


def items_in(rows: Sequence[Row], gone: frozenset[tuple[str, str]]) -> tuple[dict[str, Row], list[Row]]:
    """Parts of resources that only some columns have, alike where they have them: each by its name with a row that has all of its drivers; and the
    other rows. `gone` are the resources that are not there at all, by address and column."""
    parts: dict[tuple[str, Pointer, tuple[str, ...]], list[Row]] = {}
    for row in rows:
        is_part = (
            row.kind == "property" and len(row.pointer) > 1 and row.absent and not any((row.address, name) in gone for name in row.absent)
        )
        if is_part and all(same(value, next(iter(row.values.values()))) for value in row.values.values()):
            parts.setdefault((row.address, row.pointer[:-1], row.absent), []).append(row)
    found = {
        f"{address}:{pointer_text(pointer)} {_content(own)}": own
        for (address, pointer, _), every in parts.items()
        for own in _driven_alike(every)
        if len(own) > 1
    }
    told = {(each.address, each.pointer) for own in found.values() for each in own}
    return {name: _with_drivers(own) for name, own in found.items()}, [row for row in rows if (row.address, row.pointer) not in told]


def _driven_alike(rows: Sequence[Row]) -> list[list[Row]]:
    """Rows of one part: all of them where what drives one has a share in all, which makes that the part is there; else those together that the
    same drives."""
    driven = [frozenset(names_of(row.drivers)) for row in rows]
    if min(driven, key=len) <= frozenset.intersection(*driven):
        return [list(rows)]
    found: dict[frozenset[str], list[Row]] = {}
    for row, drivers in zip(rows, driven, strict=True):
        found.setdefault(drivers, []).append(row)
    return list(found.values())


def _with_drivers(rows: Sequence[Row]) -> Row:
    """One row with the drivers of all."""
    return rows[0]._replace(drivers=tuple({(each.parameter, each.together): each for row in rows for each in row.drivers}.values()))


def _content(rows: Sequence[Row]) -> str:
    """What is in a part, in a few words."""
    told = [f"{row.pointer[-1]}: {cell(next(iter(row.values.values())))}" for row in rows]
    return f"{{{cut(', '.join(told), _CONTENT)}}}"


def lines_of(told: Sequence[Told], room: int) -> list[Line]:
    """The lines of some rows in their order; labels take `room` columns at most, where they can be split."""
    packed = [line for _, rows in groupby(told, key=lambda each: each.head) for line in _packed(list(rows), room)]
    found: dict[object, list[Line]] = {}
    for number, line in enumerate(packed):
        found.setdefault(number if _is_alone(line) else (line.row.type, *line[1:5]), []).append(line)
    lines = [alike[0]._replace(heads=tuple(each.heads[0] for each in alike)) for alike in found.values()]
    return list(_in_common(lines))


def _is_alone(line: Line) -> bool:
    return not line.values or line.row.type in ("output", "document")


def _in_common(lines: Sequence[Line]) -> Iterator[Line]:
    """The lines, very many that differ in the same columns for the same reasons as one, whatever the values are."""
    found: dict[object, list[int]] = {}
    for number, line in enumerate(lines):
        partition = tuple(line.values.index(each) for each in line.values)
        found.setdefault(number if _is_alone(line) else (line.row.type, line.label, partition, line.drivers), []).append(number)
    many = {numbers[0]: numbers for numbers in found.values() if len(numbers) > FEW}
    others = {number for numbers in many.values() for number in numbers[1:]}
    for number, line in enumerate(lines):
        if number in many:
            alike = [lines[each] for each in many[number]]
            shared = [in_common(each) for each in zip(*(one.values for one in alike), strict=True)]
            heads = tuple(head for each in alike for head in each.heads)
            yield line._replace(heads=heads, values=_told_apart(shared, line.values), folded=True)
        elif number not in others:
            yield line


def _told_apart(shared: Sequence[str], values: Sequence[str]) -> tuple[str, ...]:
    """What values have in common, numbered where columns with different values have the same in common."""
    groups = list(dict.fromkeys(values))
    if len({shared[values.index(each)] for each in groups}) == len(groups):
        return tuple(shared)
    return tuple(map(str.__add__, shared, number_marks(values)))


def _packed(rows: Sequence[Told], room: int) -> Iterator[Line]:
    """The lines of one resource."""
    groups: dict[object, list[Told]] = {}
    for number, each in enumerate(rows):
        key = (each.drivers, each.row.absent) if each.row.kind != "document" else number
        groups.setdefault(key, []).append(each)
    for alike in groups.values():
        part: list[Told] = []
        for each in alike:
            if part and not _fits([*part, each], room):
                yield _line(part)
                part = []
            part.append(each)
        yield _line(part)


def _fits(rows: Sequence[Told], room: int) -> bool:
    if cells(_labels([each.label for each in rows])) > room or not all(each.label for each in rows):
        return False
    columns = list(zip(*(one.values for one in rows), strict=True))
    joined = [_joined(each) for each in columns]
    # What differs must read differently.
    return None not in joined and len(set(joined)) == len(set(columns))


def _joined(texts: Sequence[str]) -> str | None:
    """The values of one column in a cell, or what they have in common; None where neither says enough."""
    different = list(dict.fromkeys(texts))
    if len(different) == 1 and different[0].startswith("‹"):
        return different[0]  # what is missing is missing as a whole
    told = ", ".join(texts)
    if cells(told) <= _CELL:
        return told
    shared = in_common(texts)
    return shared if len(texts) > 1 and len(shared) > _SAYS else None


def _line(rows: Sequence[Told]) -> Line:
    first = rows[0]
    values = first.values if len(rows) == 1 else tuple(_joined(each) or "" for each in zip(*(one.values for one in rows), strict=True))
    # What stands out in one stands out.
    roles = tuple(max(each, key=("faint", "", "note").index) for each in zip(*(one.roles for one in rows), strict=True))
    return Line((first.head,), _labels([each.label for each in rows]), values, roles, first.drivers, first.row)


def _labels(labels: Sequence[str]) -> str:
    """Several properties in one text: `entries/readings/{name, port}`."""
    fronts = {each.rpartition("/")[0] for each in labels}
    if len(labels) > 1 and len(fronts) == 1 and (front := fronts.pop()):
        return f"{front}/{{{', '.join(each.rpartition('/')[2] for each in labels)}}}"
    return ", ".join(labels)


def split_line(texts: Mapping[str, str], names: Iterable[str]) -> tuple[str, dict[str, str]] | None:
    """A line of a document as what all columns have in common, with `…` for the rest, and that rest by column; None where that says less
    than the line itself."""
    held = [texts[name] for name in names if name in texts]
    begins, ends = whole_ends(held)
    rests = {name: text[len(begins) : len(text) - len(ends)] for name, text in texts.items()}
    if len(begins) + len(ends) < _LEAST or len(held) < len(list(names)) or any(cells(each) > _CELL for each in rests.values()):
        return None
    return f"{begins}…{ends}", rests


def label_of(row: Row) -> str:
    """What of a resource a row is about."""
    if row.kind == "output":
        return visible(pointer_text(row.pointer))
    names = {"presence": "", "address": "address"}
    return names[row.kind] if row.kind in names else visible(pointer_text(row.pointer).replace("$type", "(type)"))


def is_line(row: Row) -> bool:
    """Whether it is a line of a document, which is too long to stand beside another."""
    return row.kind == "document" and isinstance(row.pointer[0], int)
