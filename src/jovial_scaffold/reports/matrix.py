"""A comparison as text: headings, properties as rows, columns side by side, and what drives the differences; and as a report."""

from collections.abc import Iterator, Sequence
from itertools import groupby, zip_longest

from jovial_scaffold.core import marks
from jovial_scaffold.core.comparing.driving import names_of
from jovial_scaffold.core.comparing.matrix import Comparison, Row, same
from jovial_scaffold.core.comparing.totals import Total
from jovial_scaffold.core.records import replace, value_record
from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.text.source import pointer_text
from jovial_scaffold.reports.drivers import MOST_PLACES, drivers_lines, ranked
from jovial_scaffold.reports.folding import addresses_text, in_common
from jovial_scaffold.reports.grouped import group_lines, values_text, widths_of
from jovial_scaffold.reports.rendering import cell_beside
from jovial_scaffold.reports.tables import Report, Table
from jovial_scaffold.reports.terminal import Style, cells, cut, cut_within, padded, wrapped
from jovial_scaffold.reports.words import counted, visible

_GAP = 2
_GAIN = 2  # lines that folding saves at least
_PRESENT = "present"
# Texts and numbers in what an echo repeats, and all that stands around that: what may differ among those that are one line.
_LITERAL = regex(r'((?<=›)[^‹]+|^[^‹]+|"(?:[^"\\]|\\.)*"|\b[0-9]+\b)')
_LEAST_VALUE = 9


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
    if left:
        yield from _rows_lines(replace(comparison, rows=left), style, by, most)
    if folds:
        yield from _echoes_lines(folds, comparison, style)
    yield from drivers_lines(comparison, style, places=True)
    yield from wrapped(_sum(comparison, everything, bool(folds)), style.width, "")


def _rows_lines(comparison: Comparison, style: Style, by: str, most: int) -> Iterator[str]:
    names = comparison.environments
    shown = replace(comparison, rows=comparison.rows[:most]) if most and by == "resource" else comparison
    layout = _Layout(shown, style.width)
    if layout.is_crowded:
        yield style.paint("faint", f"{counted(len(names), 'column')}: each value stands with those that have it.")
        yield from _crowded(comparison, layout, style, by, most)
        return
    header = "".join(padded(cut_within(name, width), width + _GAP) for name, width in zip(names, layout.values, strict=True))
    driver_title = "driven by" if layout.drivers else ""
    yield f"{' ' * (layout.labels + _GAP)}{style.paint('strong', header)}{style.paint('driver', driver_title)}".rstrip()
    left = most or len(comparison.rows)
    for title, found in _grouped(comparison.rows, by):
        if left <= 0:
            break
        if title:
            yield ""
            yield style.paint("faint", f"── {visible(title)} · {counted(len(found), 'row')} ".ljust(style.width - 1, "─"))
        found = found[:left]
        left -= len(found)
        yield from _presence(found, comparison, layout, style)
        for blocks in _alike([row for row in found if row.kind != "presence"]):
            yield from _resource(blocks[0], comparison, layout, style)
            yield from _others(blocks, style)
    yield ""
    if most and len(comparison.rows) > most:
        yield f"{counted(len(comparison.rows) - most, 'further row')}: --max 0 shows all, --only and --ignore choose."
        yield ""


def _views(comparison: Comparison) -> bool:
    return any(each.label != each.environment for each in comparison.renderings)


def _sum(comparison: Comparison, everything: bool, is_folded: bool) -> str:
    others = len({row.address for row in comparison.rows if row.type in ("output", "document") and row.differs})
    beside = f", and {counted(others, 'output or document', 'outputs and documents')}" if others else ""
    shown = "" if everything else "; equal properties are left out, --all shows them"
    own = {row.address for row in comparison.rows if row.counted and not row.echo}
    echoing = {row.address for row in comparison.rows if row.echo and row.type not in ("output", "document")} - own
    only = f" ({len(echoing)} by echoes only)" if echoing and is_folded else ""
    differing = f"{comparison.differing} differ{'s' if comparison.differing == 1 else ''}{only}"
    return f"{counted(comparison.resources, 'resource')}: {differing}, {comparison.same} the same{beside}{shown}"


def _grouped(rows: Sequence[Row], by: str) -> Iterator[tuple[str, Sequence[Row]]]:
    """Rows under titles; by driving parameter, a row stands under each of its drivers."""
    if by == "resource":
        yield "", rows
        return
    groups: dict[str, list[Row]] = {}
    for row in rows:
        if by == "type":
            titles = [row.type]
        elif by == "module":
            titles = [row.module or "the project's template"]
        else:
            titles = list(names_of(row.drivers)) or ["no known driver"]
        for title in titles:
            groups.setdefault(title, []).append(row)
    yield from sorted(groups.items(), key=lambda item: (-len(item[1]), item[0]) if by == "parameter" else (0, item[0]))


class _Layout:
    """Widths of the columns: addresses, labels, one for each environment, and drivers where there is room for them."""

    def __init__(self, comparison: Comparison, width: int) -> None:
        rows = [row for row in comparison.rows if not _is_line(row)]
        heads = max([*(cells(visible(row.address)) for row in comparison.rows if row.kind != "presence"), len(_PRESENT)])
        self.heads = min(heads, max(12, width // 4))
        labels = max((cells(_label(row)) for row in rows if row.kind != "presence"), default=0)
        beside = max((cells(visible(row.address)) for row in rows if row.kind == "presence"), default=0)
        names = comparison.environments
        self.gone = _gone(comparison)
        wanted = [max([cells(name), *(cells(_value(row, name, self.gone)) for row in rows)]) for name in names]
        drivers = max((cells(_driver_names(row)) for row in rows), default=0)
        self.labels = self.heads + _GAP + max(min(max(labels, beside), max(16, width // 4)), 4)
        room = width - self.labels - (_GAP * (len(names) + 1))
        least = _LEAST_VALUE + (7 if len(names) < 3 else 3)  # of many columns, each gives more
        spare = room - sum(min(each, least) for each in wanted) - _GAP
        self.drivers = min(drivers, spare) if spare >= min(drivers, _LEAST_VALUE) else 0
        self.values = _shared(wanted, room - self.drivers)
        #: whether the columns do not fit beside each other
        self.is_crowded = sum(self.values) > room
        # What is left over goes to the lists of what only some columns have.
        spare = room - sum(self.values) - (self.drivers + _GAP if self.drivers else 0)
        longest = max((sum(map(cells, names)) + 2 * len(names) for names in _together(comparison.rows)), default=0)
        self.labels += max(0, min(spare, longest - (self.labels - self.heads - _GAP)))


def _crowded(comparison: Comparison, layout: _Layout, style: Style, by: str, most: int) -> Iterator[str]:
    """The rows of very many columns."""
    rows = comparison.rows[:most] if most else comparison.rows
    widths = widths_of(
        [_PRESENT, *(visible(row.address) for row in rows if row.kind != "presence")],
        [_label(row) for row in rows if not _is_line(row)],
        style.width,
    )
    for title, found in _grouped(rows, by):
        if title:
            yield ""
            yield style.paint("faint", f"── {visible(title)} · {counted(len(found), 'row')} ".ljust(style.width - 1, "─"))
        present = [row for row in found if row.kind == "presence"]
        for addresses in _together(present):
            row = next(row for row in present if visible(row.address) == addresses[0])
            texts = {name: _value(row, name, layout.gone) for name in comparison.environments}
            yield from group_lines(_PRESENT, "", texts, _driver_names(row), widths, style)
            yield f"  {cut(', '.join(addresses_text(addresses)), style.width - 3)}"
        for blocks in _alike([row for row in found if row.kind != "presence"]):
            head = visible(blocks[0][0].address)
            for row in blocks[0]:
                texts = {name: _value(row, name, layout.gone) for name in comparison.environments}
                label = _label(row) if not _is_line(row) else f"line {row.pointer[0]}"
                yield from group_lines(head, label, texts, _driver_names(row), widths, style)
                head = ""
            yield from _others(blocks, style)
    yield ""
    if len(rows) < len(comparison.rows):
        yield f"{counted(len(comparison.rows) - len(rows), 'further row')}: --max 0 shows all, --only and --ignore choose."
        yield ""


def _others(blocks: Sequence[list[Row]], style: Style) -> Iterator[str]:
    """The resources beside the first one that differ in the same."""
    if len(blocks) > 1:
        others = ", ".join(addresses_text(visible(block[0].address) for block in blocks[1:]))
        yield f"  {style.paint('faint', cut(f'and {others}', style.width - 3))}"


def _shared(wanted: list[int], room: int) -> list[int]:
    """Each column what it wants, as far as the room goes; the widest give first."""
    widths = [min(each, max(room, _LEAST_VALUE)) for each in wanted]
    while sum(widths) > room and max(widths) > _LEAST_VALUE:
        widths[widths.index(max(widths))] -= 1
    return widths


def _label(row: Row) -> str:
    if row.kind == "output":
        return visible(pointer_text(row.pointer))
    names = {"presence": "", "address": "address"}
    return names[row.kind] if row.kind in names else visible(pointer_text(row.pointer).replace("$type", "(type)"))


def _named(row: Row) -> str:
    """The label, where it stands alone."""
    return _label(row) or ("present" if row.kind == "presence" else "value")


def _is_line(row: Row) -> bool:
    """Whether it is a line of a document, which is too long to stand beside another."""
    return row.kind == "document" and isinstance(row.pointer[0], int)


def _gone(comparison: Comparison) -> frozenset[tuple[str, str]]:
    """Which resources are not there in which columns."""
    return frozenset((row.address, name) for row in comparison.rows if row.kind == "presence" for name in row.absent)


def _value(row: Row, name: str, gone: frozenset[tuple[str, str]]) -> str:
    if name in row.values:
        if row.kind == "presence":
            return "yes"
        return cell_beside(row.values[name], next(iter(row.values.values())))
    return "no" if row.kind == "presence" else marks.ABSENT if row.kind != "property" or (row.address, name) in gone else marks.UNSET


def _role(row: Row, name: str, comparison: Comparison) -> str:
    """What is missing or equal to the first column stands back; what differs from it stands out."""
    if name not in row.values or not row.counted:
        return "faint"
    first = comparison.environments[0]
    if name == first:
        return ""
    return "" if first in row.values and same(row.values[first], row.values[name]) else "note"


def _driver_names(row: Row) -> str:
    return ", ".join(names_of(row.drivers))


def _presence(rows: Sequence[Row], comparison: Comparison, layout: _Layout, style: Style) -> Iterator[str]:
    """What only some columns have: together what the same ones have, for the same reasons."""
    present = [row for row in rows if row.kind == "presence"]
    for names in _together(present):
        width = layout.labels - layout.heads - _GAP
        first, *more = wrapped(", ".join(names), width, "")
        row = next(row for row in present if visible(row.address) == names[0])
        yield _columns(_PRESENT, first, row, comparison, layout, style)
        yield from (f"{' ' * (layout.heads + _GAP)}{each}" for each in more)


def _together(rows: Sequence[Row]) -> list[list[str]]:
    """The addresses of what only some columns have, those together that the same ones have for the same reasons."""
    alike: dict[tuple[tuple[str, ...], str], list[str]] = {}
    for row in rows:
        if row.kind == "presence":
            alike.setdefault((tuple(row.values), _driver_names(row)), []).append(visible(row.address))
    return list(alike.values())


def _alike(rows: Sequence[Row]) -> list[list[list[Row]]]:
    """The rows of resources, those together that differ in the same for the same reasons, where that saves lines."""
    groups: dict[object, list[list[Row]]] = {}
    for number, (_, found) in enumerate(groupby(rows, key=lambda row: row.address)):
        block = list(found)
        told = [(row.kind, row.type, _label(row), row.absent, repr(row.values), _driver_names(row)) for row in block]
        groups.setdefault(number if any(map(_is_line, block)) else tuple(told), []).append(block)
    # Two of one row each take as many lines together as apart.
    return [part for alike in groups.values() for part in ([alike] if (len(alike) - 1) * len(alike[0]) > 1 else [[each] for each in alike])]


def _resource(rows: list[Row], comparison: Comparison, layout: _Layout, style: Style) -> Iterator[str]:
    head = visible(rows[0].address)
    for row in rows:
        if _is_line(row):
            yield from _document_line(row, head, comparison, layout, style)
        else:
            yield _columns(head, _label(row), row, comparison, layout, style)
        head = ""


def _columns(head: str, label: str, row: Row, comparison: Comparison, layout: _Layout, style: Style) -> str:
    """One row: what it is about, its values side by side, and what drives it."""
    named = style.paint("strong" if row.kind != "presence" else "faint", cut_within(head, layout.heads))
    named += " " * (layout.heads + _GAP - min(cells(head), layout.heads))
    columns = []
    for name, width in zip(comparison.environments, layout.values, strict=True):
        text = cut_within(_value(row, name, layout.gone), width)
        columns.append(style.paint(_role(row, name, comparison), text) + " " * (width - cells(text) + _GAP))
    drivers = cut_within(_driver_names(row), layout.drivers) if layout.drivers else ""
    room = layout.labels - layout.heads - _GAP
    return f"{named}{padded(cut_within(label, room), room + _GAP)}{''.join(columns)}{style.paint('driver', drivers)}".rstrip()


def _document_line(row: Row, head: str, comparison: Comparison, layout: _Layout, style: Style) -> Iterator[str]:
    """A line of a document: each text once, with the columns that have it; lines are too long to stand side by side."""
    texts: dict[str, list[str]] = {}
    for name in comparison.environments:
        text = visible(str(row.values[name]).strip()) if name in row.values else marks.ABSENT
        texts.setdefault(text, []).append(name)
    names = [", ".join(each) for each in texts.values()]
    width = max(map(cells, names))
    before = f"{padded(cut_within(head, layout.heads), layout.heads + _GAP)}line {row.pointer[0]}  "
    for number, (text, name) in enumerate(zip(texts, names, strict=True)):
        label = f"{style.paint('strong', before[: layout.heads])}{before[layout.heads :]}" if number == 0 else " " * cells(before)
        room = style.width - cells(before) - width - 3
        shown = style.paint("note" if number and text != marks.ABSENT else "", cut(text, max(room, 20)))
        yield f"{label}{style.paint('faint', padded(name, width))}  {shown}"


@value_record
class Fold:
    """Echoes that stand as one line: `pattern` is what they have in common, with `…` where they differ; `rows` are they."""

    label: str
    pattern: str
    rows: tuple[Row, ...]


def folded(rows: Sequence[Row]) -> list[Fold]:
    """Echoes in the same property that repeat the same in the same way, however the words around it differ; the most first. None where they
    are so few that nothing is gained by it."""
    echoes = [row for row in rows if row.echo]
    folds = _folds(echoes)
    return folds if len(folds) + _GAIN < len(echoes) else []


def _folds(rows: Sequence[Row]) -> list[Fold]:
    alike: dict[tuple[str, tuple[str, ...]], list[tuple[Row, list[str]]]] = {}
    for row in rows:
        pieces = _LITERAL.split(row.echo)
        label = row.address if row.kind == "output" or _is_line(row) else _label(row)
        alike.setdefault((label, tuple(pieces[::2])), []).append((row, pieces[1::2]))
    found: dict[str, Fold] = {}
    for (label, fixed), held in alike.items():
        slots = [in_common([own[index] for _, own in held]) for index in range(len(fixed) - 1)]
        pattern = "".join(part for pair in zip_longest(fixed, slots, fillvalue="") for part in pair)
        own = tuple(row for row, _ in held)
        before = found.get(pattern)
        found[pattern] = Fold(label, pattern, own) if before is None else Fold(f"{before.label}, {label}", pattern, (*before.rows, *own))
    return sorted(found.values(), key=lambda each: (-len(each.rows), each.label, each.pattern))


def _values(rows: Sequence[Row], names: Sequence[str]) -> list[str]:
    """What rows have in each column, where that is the same in all that are there; nothing where it is not."""
    found = []
    for name in names:
        held = [row.values[name] for row in rows if name in row.values]
        if not held or not all(same(each, held[0]) for each in held):
            return []
        found.append(cell_beside(held[0], held[0]))
    return found


def _echoes_lines(folds: Sequence[Fold], comparison: Comparison, style: Style) -> Iterator[str]:
    """Each fold as a line: how many rows, of what, and the text; its values where they are the same in all of them."""
    count = sum(len(each.rows) for each in folds)
    told = f"Echoes: {counted(count, 'row')} that only {'repeats' if count == 1 else 'repeat'} a parameter in a text; --echoes shows them"
    for number, line in enumerate(wrapped(told, style.width, "")):
        yield line.replace("Echoes", style.paint("strong", "Echoes")) if number == 0 else line
    numbers = max(len(str(len(each.rows))) for each in folds)
    width = min(max(cells(each.label) for each in folds), max(12, style.width // 4))
    for each in folds:
        pattern = visible(each.pattern)
        values = [] if _is_line(each.rows[0]) else _values(each.rows, comparison.environments)
        many = len(comparison.environments) > MOST_PLACES
        told = values_text(dict(zip(comparison.environments, values, strict=True))) if values and many else " · ".join(values)
        beside = f"  {told}" if told else ""
        line = f"  {str(len(each.rows)).rjust(numbers)}  {padded(cut(each.label, width), width)}  "
        room = style.width - cells(line)
        shown = cut(pattern, room)
        yield f"{line}{style.paint('driver', shown)}{style.paint('faint', cut(beside, max(room - cells(shown), 1))) if beside and room - cells(shown) > _LEAST_VALUE else ''}"
    yield ""


def totals_text(totals: Sequence[Total], comparison: Comparison, style: Style) -> str:
    """Sums by type, with their ratio to the first column."""
    names = comparison.environments
    label = max([cells(f"  {each.property or 'resources'}") for each in totals] + [12])
    widths = [max([cells(name), *(cells(_total(each, name, names[0])) for each in totals)]) for name in names]
    lines = [
        f"{' ' * (label + _GAP)}{style.paint('strong', '  '.join(name.rjust(width) for name, width in zip(names, widths, strict=True)))}"
    ]
    for kind, found in groupby(totals, key=lambda each: each.type):
        lines += ["", style.paint("place", kind)]
        for each in found:
            values = [
                style.paint(
                    "faint" if each.values[name] == each.values[names[0]] and name != names[0] else "",
                    _total(each, name, names[0]).rjust(width),
                )
                for name, width in zip(names, widths, strict=True)
            ]
            lines.append(f"{padded('  ' + (each.property or 'resources'), label + _GAP)}{'  '.join(values)}")
    return "\n".join(lines) + "\n"


def _total(total: Total, name: str, baseline: str) -> str:
    value = total.values[name]
    text = f"{value:,}" if isinstance(value, int) else f"{value:,.6g}"
    ratio = total.ratio(name, baseline)
    if name == baseline:
        return f"{text}        "
    return f"{text} {f'×{ratio:.3g}' if ratio is not None and ratio != 1 else '=' if ratio == 1 or value == 0 else 'new':>7}"


def matrix_report(comparison: Comparison, totals: Sequence[Total] = (), echoes: bool = False) -> Report:
    """The comparison for Markdown, CSV and HTML; echoes are folded, unless they are asked for."""
    names = comparison.environments
    rows, folds = [], [] if echoes else folded(comparison.rows)
    gone = _gone(comparison)
    for row in comparison.rows:
        if folds and row.echo:
            continue
        values = ["yes" if row.kind == "presence" and name in row.values else _value(row, name, gone) for name in names]
        rows.append([row.address, _named(row), *values, _driver_names(row), row.type])
    tables = [Table("Differences", ["resource", "property", *names, "driven by", "type"], rows)]
    if folds:
        lines = [[str(len(each.rows)), each.label, each.pattern, _driver_names(each.rows[0])] for each in folds]
        tables.append(Table("Echoes", ["rows", "property", "text", "driven by"], lines))
    drivers = [
        [name, str(count), str(resources), "; ".join(f"{each} {place}" for each, place in places.items())]
        for name, count, resources, places in ranked(comparison)
    ]
    tables.append(Table("What drives the differences", ["parameter", "rows", "places", "set at"], drivers))
    if totals:
        tables.append(
            Table(
                "Totals",
                ["type", "property", *names],
                [[each.type, each.property or "resources", *(str(each.values[name]) for name in names)] for each in totals],
            )
        )
    return Report(f"{' beside '.join(names)}", [f"{_sum(comparison, everything=True, is_folded=bool(folds))}."], tables)
