"""A comparison as text: headings, properties as rows, columns side by side, and what drives the differences; and as a report."""

from collections.abc import Iterator, Mapping, Sequence

from jovial_scaffold.core import marks
from jovial_scaffold.core.changes.aspects import ORDER, Aspect, Aspects
from jovial_scaffold.core.changes.driving import names_of
from jovial_scaffold.core.changes.matrix import Comparison, Row, same
from jovial_scaffold.core.records import replace
from jovial_scaffold.reports.dense import Line, Told, is_line, items_in, label_of, lines_of, split_line
from jovial_scaffold.reports.drivers import Ranked, ranked
from jovial_scaffold.reports.echoing import echoes_lines, folded
from jovial_scaffold.reports.folding import addresses_text, heads_text
from jovial_scaffold.reports.grouped import group_lines, widths_of
from jovial_scaffold.reports.rendering import cells_beside, line_texts
from jovial_scaffold.reports.terminal import Style, cells, cut, cut_apart, cut_within, padded, wrapped
from jovial_scaffold.reports.words import counted, listed, visible

_GAP = 2
_LETTERS = "abcdefghijklmnopqrstuvwxyz"
_PRESENT = "present"
_LEAST_VALUE = 9
_LONGEST = 40  # of a value that stands with the columns that have it
_LEAST_DRIVER = 8

_Groups = Sequence[tuple[str, Sequence[Row]]]
"""Rows under titles."""


def matrix_text(comparison: Comparison, style: Style, everything: bool, by: str = "resource", most: int = 0, echoes: bool = False) -> str:
    """The whole comparison, grouped; of a long one `most` rows, where that is not 0. Echoes are folded, unless they are asked for."""
    return "\n".join(_lines(comparison, style, everything, by, most, echoes)) + "\n"


def _lines(comparison: Comparison, style: Style, everything: bool, by: str, most: int, echoes: bool) -> Iterator[str]:
    names = comparison.environments
    if not comparison.rows:
        yield f"{counted(comparison.resources, 'resource')} in {counted(len(names), 'column' if _views(comparison) else 'environment')}: no difference."
        return
    folds = [] if echoes else folded(comparison.rows)
    left = tuple(row for row in comparison.rows if not (folds and row.echo))
    aspects = Aspects(comparison)
    yield from wrapped(f"{sum_text(comparison, everything, bool(folds))}{aspects_text(aspects.told(), comparison)}", style.width, "")
    yield ""
    letters: Mapping[str, str] = {}
    if left:
        own = replace(comparison, rows=left)
        groups = list(_grouped(left, by, aspects))
        layout = _Layout(own, [found for *_, found in _first(groups, most)], style.width, ranked(own))
        letters = layout.letters if not layout.is_crowded else {}
        yield from _rows_lines(own, layout, groups, style, most)
    if folds:
        yield from echoes_lines(folds, names, style)
    yield from _driving(comparison, letters, style)


def aspects_text(aspects: Sequence[Aspect], comparison: Comparison) -> str:
    """What the differences are about, with the sums of the column that has most of each as a multiple of the one that has least."""
    told = [f"{visible(each.name)} {each.rows:,}{_numbers(each, comparison)}" for each in aspects]
    return f" By aspect: {' · '.join(told)}." if told else ""


def _numbers(aspect: Aspect, comparison: Comparison) -> str:
    pairs: dict[tuple[str, str], list[str]] = {}
    for total in aspect.sums:
        names = sorted(comparison.environments, key=lambda name: total.values[name])
        least, most = names[0], names[-1]
        ratio = total.ratio(most, least)
        told = f"{ratio:.3g} × the" if ratio is not None else f"{total.values[most]:,}"
        pairs.setdefault((most, least if ratio is not None else ""), []).append(f"{told} {visible(total.property)}")
    parts = [f"{visible(most)} has {listed(told)}{f' of {visible(least)}' if least else ''}" for (most, least), told in pairs.items()]
    return f" ({', '.join(parts)})" if parts else ""


def _driving(comparison: Comparison, letters: Mapping[str, str], style: Style) -> Iterator[str]:
    """What drives most rows, in a sentence, all that have `letters` beside the rows; `--drivers` says where each is set."""
    found = ranked(comparison)
    if not found:
        return
    unexplained = sum(1 for row in comparison.rows if row.differs and not row.drivers)
    unknown = f"; {counted(unexplained, 'row')} with no known driver" if unexplained else ""
    named = [
        f"{letters[name] + ' ' if name in letters else ''}{visible(name)} ({counted(rows, 'row') if number == 0 else f'{rows:,}'})"
        for number, (name, rows, *_) in enumerate(found)
    ]
    for count in range(len(named), 0, -1):  # as many as one line holds, and each that a letter stands for
        told = [each for number, each in enumerate(named) if number < count or found[number][0] in letters]
        more = f" and {len(named) - len(told)} more" if len(told) < len(named) else ""
        text = f"Driven by {', '.join(told)}{more}{unknown} (--drivers says where)"
        if cells(text) <= style.width or count == 1:
            yield from (line.replace("Driven by", style.paint("strong", "Driven by")) for line in wrapped(text, style.width, ""))
            return


def _rows_lines(comparison: Comparison, layout: "_Layout", groups: _Groups, style: Style, most: int) -> Iterator[str]:
    names = comparison.environments
    if layout.is_crowded:
        yield style.paint("faint", f"{counted(len(names), 'column')}: each value stands with those that have it.")
        yield from _crowded(comparison, groups, layout, style, most)
        return
    header = "".join(padded(cut_within(name, width), width + _GAP) for name, width in zip(names, layout.values, strict=True))
    driver_title = "by" if layout.letters else "driven by" if layout.drivers else ""
    yield f"{' ' * (layout.labels + _GAP)}{style.paint('strong', header)}{style.paint('driver', driver_title)}".rstrip()
    for title, count, found in _first(groups, most):
        yield from _title(title, count, style)
        items, others = items_in(found, layout.gone)
        yield from _presence(found, items, comparison, style)
        before = ""
        for line in lines_of(_told(others, comparison, layout.gone), layout.room):
            head = heads_text(line.heads)
            yield from _line(line, "" if head == before else head, comparison, layout, style)
            before = head
    yield from _rest(groups, most)


def _first(groups: _Groups, most: int) -> Iterator[tuple[str, int, Sequence[Row]]]:
    """The first rows under their titles, with how many these have: `most`, or all where that is 0."""
    left = most
    for title, found in groups:
        if most and left <= 0:
            return
        yield title, len(found), found[:left] if most else found
        left -= len(found)


def _title(title: str, rows: int, style: Style) -> Iterator[str]:
    if title:
        yield ""
        yield style.paint("faint", f"── {visible(title)} · {counted(rows, 'row')} ".ljust(style.width - 1, "─"))


def _rest(groups: _Groups, most: int) -> Iterator[str]:
    """How many rows are left, where `most` are shown."""
    yield ""
    rows = sum(len(found) for _, found in groups)
    if most and rows > most:
        yield f"{counted(rows - most, 'further row')}: --max 0 shows all, --only and --ignore choose."
        yield ""


def _views(comparison: Comparison) -> bool:
    return any(each.label != each.environment for each in comparison.renderings)


def sum_text(comparison: Comparison, everything: bool, is_folded: bool) -> str:
    """How much was compared, and how much of it differs."""
    others = len({row.address for row in comparison.rows if row.type in ("output", "document") and row.differs})
    beside = f", and {counted(others, 'output or document', 'outputs and documents')}" if others else ""
    own = {row.address for row in comparison.rows if row.counted and not row.echo}
    echoing = {row.address for row in comparison.rows if row.echo and row.type not in ("output", "document")} - own
    only = f" ({len(echoing)} by echoes only)" if echoing and is_folded else ""
    differing = f"{comparison.differing} differ{'s' if comparison.differing == 1 else ''}{only}"
    equal = f", {comparison.same} the same" if comparison.same else ""
    shown = "" if everything or not comparison.same else " (--all shows what is equal)"
    return f"{counted(comparison.resources, 'resource')}: {differing}{equal}{beside}{shown}."


def _grouped(rows: Sequence[Row], by: str, aspects: Aspects) -> Iterator[tuple[str, Sequence[Row]]]:
    """Rows under titles; by driving parameter, a row stands under each of its drivers."""
    if by == "resource":
        yield "", rows
        return
    groups: dict[str, list[Row]] = {}
    for row in rows:
        if by == "type":
            titles = [row.type]
        elif by == "aspect":
            titles = [aspects.of(row)]
        elif by == "module":
            titles = [row.module or "the project's template"]
        else:
            titles = list(names_of(row.drivers)) or ["no known driver"]
        for title in titles:
            groups.setdefault(title, []).append(row)
    order = {name: number for number, name in enumerate(ORDER)} if by == "aspect" else {}
    yield from sorted(groups.items(), key=lambda item: (-len(item[1]) if by == "parameter" else order.get(item[0], len(order)), item[0]))


class _Layout:
    """Widths of the columns: addresses, labels, one for each environment, and drivers where there is room for them."""

    def __init__(self, comparison: Comparison, groups: Sequence[Sequence[Row]], width: int, drivers: Sequence[Ranked]) -> None:
        """Of the rows of `groups`."""
        names = comparison.environments
        self.gone = gone_in(comparison)
        self.room = max(16, width // 4)  # of labels
        told = [_told(items_in(rows, self.gone)[1], comparison, self.gone) for rows in groups]
        lines = [line for rows in told for line in lines_of(rows, self.room)]
        columns = [each for each in lines if each.values]
        most = max(12, width // 6 + 1)
        heads = [heads_text(each.heads) for each in lines]
        # Longer ones take several lines, and a line takes a whole address where it can.
        words = [cells(word) for each in heads if cells(each) > most for word in each.split()]
        fitting = [cells(each) for each in heads if cells(each) <= most] + [each for each in words if each <= width // 4]
        self.heads = max(fitting, default=most)
        labels = max((cells(each.label) for each in columns), default=0)
        wanted = [max([cells(name), *(cells(each.values[at]) for each in columns)]) for at, name in enumerate(names)]
        driving = max((cells(each.drivers) for each in columns), default=0)
        self.labels = self.heads + _GAP + max(min(labels, self.room), 4)
        room = width - self.labels - (_GAP * (len(names) + 1))
        least = _LEAST_VALUE + (7 if len(names) < 3 else 3)  # of many columns, each gives more
        spare = room - sum(min(each, least) for each in wanted) - _GAP
        self.drivers = min(driving, spare) if spare >= min(driving, _LEAST_DRIVER) else 0
        #: letters that stand for drivers, where there is no room for their names
        self.letters = {} if self.drivers or not driving else dict(zip([name for name, *_ in drivers], _LETTERS, strict=False))
        if self.letters:
            self.drivers = min(max(cells(self.driving(each.drivers)) for each in columns), 7)
        self.values = _shared(wanted, room - self.drivers - (_GAP if self.letters else 0))
        #: whether the columns do not fit beside each other
        self.is_crowded = sum(self.values) > room - (self.drivers + _GAP if self.letters else 0)

    def driving(self, drivers: str) -> str:
        """How drivers are shown beside a row."""
        if not self.letters:
            return drivers
        return ",".join("+".join(self.letters.get(name, "*") for name in each.split(" + ")) for each in drivers.split(", ") if each)


def _crowded(comparison: Comparison, groups: _Groups, layout: _Layout, style: Style, most: int) -> Iterator[str]:
    """The rows of very many columns."""
    names = comparison.environments
    for title, count, found in _first(groups, most):
        yield from _title(title, count, style)
        items, others = items_in(found, layout.gone)
        lines = lines_of(_told(others, comparison, layout.gone), layout.room)
        widths = widths_of([heads_text(each.heads) for each in lines] or [_PRESENT], [each.label for each in lines], style.width)
        for addresses, row in _together(found, items):
            texts = {name: "yes" if name in row.values else "no" for name in names}
            yield from group_lines(_PRESENT, "", texts, driver_names(row), widths, style)
            yield f"  {cut(heads_text(addresses), style.width - 3)}"
        before = ""
        for line in lines:
            head = heads_text(line.heads)
            shown = line.values or value_texts(line.row, names, layout.gone)
            texts = dict(zip(names, cut_apart(shown, [max(_LONGEST, style.width // 2)] * len(names)), strict=True))
            label = line.label or (f"line {line.row.pointer[0]}" if is_line(line.row) else "")
            yield from group_lines("" if head == before else head, label, texts, line.drivers, widths, style)
            before = head
    yield from _rest(groups, most)


def _shared(wanted: list[int], room: int) -> list[int]:
    """Each column what it wants, as far as the room goes; the widest give first."""
    widths = [min(each, max(room, _LEAST_VALUE)) for each in wanted]
    while sum(widths) > room and max(widths) > _LEAST_VALUE:
        widths[widths.index(max(widths))] -= 1
    return widths


def named(row: Row) -> str:
    """The label, where it stands alone."""
    return label_of(row) or ("present" if row.kind == "presence" else "value")


def gone_in(comparison: Comparison) -> frozenset[tuple[str, str]]:
    """Which resources are not there in which columns."""
    return frozenset((row.address, name) for row in comparison.rows if row.kind == "presence" for name in row.absent)


def value_texts(row: Row, names: Sequence[str], gone: frozenset[tuple[str, str]]) -> list[str]:
    """What columns have, beside the first one; `gone` are the resources that are not there."""
    if row.kind == "presence":
        return ["yes" if name in row.values else "no" for name in names]
    values = [*row.values.values()]
    told = dict(zip(row.values, line_texts(list(map(str, values))) if is_line(row) else cells_beside(values), strict=True))
    return [told[name] if name in told else _missing(row, name, gone) for name in names]


def _missing(row: Row, name: str, gone: frozenset[tuple[str, str]]) -> str:
    return marks.ABSENT if row.kind != "property" or (row.address, name) in gone else marks.UNSET


def _role(row: Row, name: str, comparison: Comparison) -> str:
    """What is missing or equal to the first column stands back; what differs from it stands out."""
    if name not in row.values or not row.counted:
        return "faint"
    first = comparison.environments[0]
    if name == first:
        return ""
    return "" if first in row.values and same(row.values[first], row.values[name]) else "note"


def driver_names(row: Row) -> str:
    """What drives a row."""
    return ", ".join(names_of(row.drivers))


def _presence(rows: Sequence[Row], items: Mapping[str, Row], comparison: Comparison, style: Style) -> Iterator[str]:
    """What only some columns have, together what the same ones have; `items` are parts of resources, with one of their rows each."""
    names = comparison.environments
    groups: dict[str, list[str]] = {}
    for addresses, row in _together(rows, items):
        there, absent = ([visible(name) for name in names if (name in row.values) == is_there] for is_there in (True, False))
        where = f"only in {listed(there)}" if len(there) <= len(absent) else f"not in {listed(absent)}"
        drivers = f" ({driver_names(row)})" if row.drivers else ""
        groups.setdefault(where, []).append(f"{', '.join(addresses_text(addresses))}{drivers}")
    for where, parts in groups.items():
        for number, line in enumerate(wrapped(f"{where}: {' · '.join(parts)}", style.width - 2, "")):
            yield f"  {line}" if number else line.replace(where, style.paint("note", where), 1)


def _together(rows: Sequence[Row], items: Mapping[str, Row]) -> list[tuple[list[str], Row]]:
    """The names of resources and parts of them that only some columns have, those together that the same ones have for the same reasons, with
    a row of them."""
    alike: dict[tuple[tuple[str, ...], str], tuple[list[str], Row]] = {}
    present = [*((row.address, row) for row in rows if row.kind == "presence"), *items.items()]
    for name, row in present:
        alike.setdefault((tuple(row.values), driver_names(row)), ([], row))[0].append(visible(name))
    return list(alike.values())


def _told(rows: Sequence[Row], comparison: Comparison, gone: frozenset[tuple[str, str]]) -> list[Told]:
    """The rows but those of presence as they are shown."""
    names = comparison.environments
    found = []
    for row in rows:
        if row.kind == "presence":
            continue
        head, drivers = visible(row.address), driver_names(row)
        if is_line(row):
            texts = dict(zip(row.values, line_texts([str(each) for each in row.values.values()]), strict=True))
            split = split_line(texts, names)
            label = f"line {row.pointer[0]}  {split[0]}" if split is not None else ""
            values = tuple(split[1][name] for name in names) if split is not None else ()
        else:
            label, values = label_of(row), tuple(value_texts(row, names, gone))
        roles = tuple(_role(row, name, comparison) for name in names)
        found.append(Told(head, label, values, roles, drivers, row))
    return found


def _line(line: Line, head: str, comparison: Comparison, layout: _Layout, style: Style) -> Iterator[str]:
    """One line: what it is about, its values side by side, and what drives it."""
    if not line.values:
        yield from _document_line(line.row, head, comparison, layout, style)
        return
    heads = wrapped(head, max(layout.heads, 8), "") if head else [""]
    room = layout.labels - layout.heads - _GAP
    labels = wrapped(line.label, room, "") if line.row.kind == "property" and ", " in line.label else [line.label]
    columns = []
    for shown, role, width in zip(cut_apart(line.values, layout.values), line.roles, layout.values, strict=True):
        columns.append(style.paint(role, shown) + " " * (width - cells(shown) + _GAP))
    drivers = cut_within(layout.driving(line.drivers), layout.drivers) if layout.drivers else ""
    for number in range(max(len(heads), len(labels))):
        first = cut_within(heads[number], layout.heads) if number < len(heads) else ""
        label = cut_within(labels[number], room) if number < len(labels) else ""
        before = f"{style.paint('strong', first)}{' ' * (layout.heads + _GAP - cells(first))}{padded(label, room + _GAP)}"
        rest = f"{''.join(columns)}{style.paint('driver', drivers)}" if number == 0 else ""
        yield f"{before}{rest}".rstrip()


def _document_line(row: Row, head: str, comparison: Comparison, layout: _Layout, style: Style) -> Iterator[str]:
    """A line of a document: each text once, with the columns that have it; lines are too long to stand side by side."""
    told = dict(zip(row.values, line_texts([str(each) for each in row.values.values()]), strict=True))
    texts: dict[str, list[str]] = {}
    for name in comparison.environments:
        texts.setdefault(told.get(name, marks.ABSENT), []).append(name)
    names = [", ".join(each) for each in texts.values()]
    width = max(map(cells, names))
    before = f"{padded(cut_within(head, layout.heads), layout.heads + _GAP)}line {row.pointer[0]}  "
    room = max(style.width - cells(before) - width - 3, 20)
    shown = dict(zip(texts, cut_apart([*texts], [room] * len(texts)), strict=True))
    for number, (text, name) in enumerate(zip(texts, names, strict=True)):
        label = f"{style.paint('strong', before[: layout.heads])}{before[layout.heads :]}" if number == 0 else " " * cells(before)
        line = style.paint("note" if number and text != marks.ABSENT else "", shown[text])
        yield f"{label}{style.paint('faint', padded(name, width))}  {line}"
