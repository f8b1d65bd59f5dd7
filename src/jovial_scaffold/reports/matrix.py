"""A comparison as text: headings, properties as rows, columns side by side, and what drives the differences; and as a report."""

from collections.abc import Iterator, Sequence
from itertools import groupby

from jovial_scaffold.core import marks
from jovial_scaffold.core.comparing.driving import names_of
from jovial_scaffold.core.comparing.matrix import Comparison, Row, same
from jovial_scaffold.core.comparing.totals import Total
from jovial_scaffold.core.records import replace
from jovial_scaffold.core.text.source import pointer_text
from jovial_scaffold.reports.rendering import cell_beside
from jovial_scaffold.reports.tables import Report, Table
from jovial_scaffold.reports.terminal import Style, cells, cut, cut_within, padded, wrapped
from jovial_scaffold.reports.words import counted, visible

_GAP = 2
_LEAST_VALUE = 9
_INDENT = 2


def matrix_text(comparison: Comparison, style: Style, everything: bool, by: str = "resource", most: int = 0) -> str:
    """The whole comparison, grouped; of a long one `most` rows, where that is not 0."""
    return "\n".join(_lines(comparison, style, everything, by, most)) + "\n"


def _lines(comparison: Comparison, style: Style, everything: bool, by: str, most: int) -> Iterator[str]:
    names = comparison.environments
    if not comparison.rows:
        yield f"{counted(comparison.resources, 'resource')} in {counted(len(names), 'column' if _views(comparison) else 'environment')}: no difference."
        return
    shown = replace(comparison, rows=comparison.rows[:most]) if most and by == "resource" else comparison
    layout = _Layout(shown, style.width)
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
        for _, rows in groupby(found, key=lambda row: row.address):
            yield ""
            yield from _resource(list(rows), comparison, layout, style)
    yield ""
    if most and len(comparison.rows) > most:
        yield f"{counted(len(comparison.rows) - most, 'further row')}: --max 0 shows all, --only and --ignore choose."
        yield ""
    yield from drivers_lines(comparison, style, places=True)
    yield from wrapped(_sum(comparison, everything), style.width, "")


def _views(comparison: Comparison) -> bool:
    return any(each.label != each.environment for each in comparison.renderings)


def _sum(comparison: Comparison, everything: bool) -> str:
    others = len({row.address for row in comparison.rows if row.type in ("output", "document") and row.differs})
    beside = f", and {counted(others, 'output or document', 'outputs and documents')}" if others else ""
    shown = "" if everything else "; equal properties are left out, --all shows them"
    return f"{counted(comparison.resources, 'resource')}: {comparison.differing} differ{'s' if comparison.differing == 1 else ''}, {comparison.same} the same{beside}{shown}"


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
    """Widths of the columns: labels, one for each environment, and drivers where there is room for them."""

    def __init__(self, comparison: Comparison, width: int) -> None:
        rows = [row for row in comparison.rows if row.type != "document"]
        labels = max((cells(_label(row)) + _INDENT for row in rows), default=_INDENT + 4)
        names = comparison.environments
        self.gone = _gone(comparison)
        wanted = [max([cells(name), *(cells(_value(row, name, self.gone)) for row in rows)]) for name in names]
        drivers = max((cells(_driver_names(row)) for row in rows), default=0)
        self.labels = min(labels, max(16, width // 3))
        room = width - self.labels - (_GAP * (len(names) + 1))
        least = sum(min(each, _LEAST_VALUE + 7) for each in wanted)
        # The column of drivers is all or nothing: a cut name helps nobody.
        self.drivers = drivers if drivers and room - least - _GAP >= drivers else 0
        self.values = _shared(wanted, room - self.drivers)


def _shared(wanted: list[int], room: int) -> list[int]:
    """Each column what it wants, as far as the room goes; the widest give first."""
    widths = [min(each, max(room, _LEAST_VALUE)) for each in wanted]
    while sum(widths) > room and max(widths) > _LEAST_VALUE:
        widths[widths.index(max(widths))] -= 1
    return widths


def _label(row: Row) -> str:
    if row.kind == "output":
        return visible(pointer_text(row.pointer)) or "value"
    names = {"presence": "present", "address": "address"}
    return names.get(row.kind) or visible(pointer_text(row.pointer).replace("$type", "(type)"))


def _gone(comparison: Comparison) -> frozenset[tuple[str, str]]:
    """Which resources are not there in which columns."""
    return frozenset((row.address, name) for row in comparison.rows if row.kind == "presence" for name in row.absent)


def _value(row: Row, name: str, gone: frozenset[tuple[str, str]]) -> str:
    if name in row.values:
        if row.kind == "presence":
            return "yes"
        return cell_beside(row.values[name], next(iter(row.values.values())))
    return "no" if row.kind == "presence" else marks.ABSENT if row.kind != "property" or (row.address, name) in gone else marks.UNSET


def _as_first(row: Row, name: str) -> bool:
    return same(next(iter(row.values.values())), row.values[name])


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


def _resource(rows: list[Row], comparison: Comparison, layout: _Layout, style: Style) -> Iterator[str]:
    first = rows[0]
    yield f"{style.paint('strong', visible(first.address))}  {style.paint('place', first.type)}"
    for row in rows:
        if row.kind == "document" and isinstance(row.pointer[0], int):
            yield from _document_line(row, comparison, style)
            continue
        label = padded(" " * _INDENT + cut(_label(row), layout.labels - _INDENT), layout.labels + _GAP)
        columns = []
        for name, width in zip(comparison.environments, layout.values, strict=True):
            text = cut_within(_value(row, name, layout.gone), width)
            columns.append(style.paint(_role(row, name, comparison), text) + " " * (width - cells(text) + _GAP))
        drivers = cut(_driver_names(row), layout.drivers) if layout.drivers else ""
        yield f"{label}{''.join(columns)}{style.paint('driver', drivers)}".rstrip()


def _document_line(row: Row, comparison: Comparison, style: Style) -> Iterator[str]:
    """A line of a document: each text once, with the columns that have it; lines are too long to stand side by side."""
    texts: dict[str, list[str]] = {}
    for name in comparison.environments:
        text = visible(str(row.values[name]).strip()) if name in row.values else marks.ABSENT
        texts.setdefault(text, []).append(name)
    names = [", ".join(each) for each in texts.values()]
    width = max(map(cells, names))
    label = f"  line {row.pointer[0]}  "
    for number, (text, name) in enumerate(zip(texts, names, strict=True)):
        head = f"{label if number == 0 else ' ' * len(label)}{style.paint('faint', padded(name, width))}  "
        room = style.width - len(label) - width - 3
        yield head + style.paint("note" if number and text != marks.ABSENT else "", cut(text, max(room, 20)))


def ranked(comparison: Comparison) -> list[tuple[str, int, int, dict[str, str]]]:
    """Drivers, the one behind most rows first: name, rows, resources, and where each column sets it."""
    rows: dict[str, int] = {}
    addresses: dict[str, set[str]] = {}
    places: dict[str, dict[str, str]] = {}
    for row in comparison.rows:
        for driver in row.drivers:
            rows[driver.parameter] = rows.get(driver.parameter, 0) + 1
            addresses.setdefault(driver.parameter, set()).add(row.address)
            for name, place in driver.sources.items():
                places.setdefault(driver.parameter, {}).setdefault(name, place)
    return [(name, rows[name], len(addresses[name]), places.get(name, {})) for name in sorted(rows, key=lambda name: (-rows[name], name))]


def drivers_lines(comparison: Comparison, style: Style, places: bool) -> Iterator[str]:
    """Each driver once, with how many rows it drives and where each column sets it."""
    found = ranked(comparison)
    if not found:
        return
    yield style.paint("strong", "What drives the differences")
    width = max(cells(name) for name, *_ in found)
    most = found[0][1]
    for name, rows, resources, sources in found:
        bar = "" if places else f"  {style.paint('driver', '▆' * max(1, round(24 * rows / most)))}"
        counts = f"{counted(rows, 'row').rjust(9)}" + ("" if places else f"  in {counted(resources, 'place')}".ljust(14))
        yield f"  {style.paint('driver', padded(name, width))}  {counts}{bar}".rstrip()
        where = [(each, visible(sources[each])) for each in comparison.environments if each in sources]
        if not where:
            continue
        joined = "  ".join(f"{each} {style.paint('place', place)}" for each, place in where)
        if sum(cells(each) + cells(place) + 3 for each, place in where) + 4 <= style.width:
            yield f"    {joined}"
        else:
            longest = max(cells(each) for each, _ in where)
            yield from (f"    {padded(each, longest)}  {style.paint('place', place)}" for each, place in where)
    unexplained = sum(1 for row in comparison.rows if row.differs and not row.drivers)
    if unexplained:
        yield f"  {counted(unexplained, 'row')} with no known driver"
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


def matrix_report(comparison: Comparison, totals: Sequence[Total] = ()) -> Report:
    """The comparison for Markdown, CSV and HTML."""
    names = comparison.environments
    rows = []
    gone = _gone(comparison)
    for row in comparison.rows:
        values = ["yes" if row.kind == "presence" and name in row.values else _value(row, name, gone) for name in names]
        rows.append([row.address, _label(row), *values, _driver_names(row), row.type])
    tables = [Table("Differences", ["resource", "property", *names, "driven by", "type"], rows)]
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
    return Report(f"{' beside '.join(names)}", [f"{_sum(comparison, everything=True)}."], tables)
