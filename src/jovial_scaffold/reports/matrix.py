"""A comparison as text: resources as headings, properties as rows, environments as columns, and what drives the differences."""

from collections.abc import Iterator
from itertools import groupby

from jovial_scaffold.core.comparing.matrix import Comparison, Row, same
from jovial_scaffold.core.text.source import pointer_text
from jovial_scaffold.core.text.wording import counted
from jovial_scaffold.reports.rendering import cell
from jovial_scaffold.reports.terminal import Style, cells, cut, cut_within, padded, visible, wrapped

_GAP = 2
_LEAST_VALUE = 9
_INDENT = 2


def matrix_text(comparison: Comparison, style: Style, everything: bool) -> str:
    """The whole comparison."""
    return "\n".join(_lines(comparison, style, everything)) + "\n"


def _lines(comparison: Comparison, style: Style, everything: bool) -> Iterator[str]:
    names = comparison.environments
    if not comparison.rows:
        yield f"{counted(comparison.resources, 'resource')} in {counted(len(names), 'environment')}: no difference."
        return
    layout = _Layout(comparison, style.width)
    header = "".join(padded(cut(name, width), width + _GAP) for name, width in zip(names, layout.values, strict=True))
    driver_title = "driven by" if layout.drivers else ""
    yield f"{' ' * (layout.labels + _GAP)}{style.paint('strong', header)}{style.paint('driver', driver_title)}".rstrip()
    for address, rows in groupby(comparison.rows, key=lambda row: row.address):
        found = list(rows)
        yield ""
        yield from _resource(address, found, comparison, layout, style)
    yield ""
    yield from _drivers(comparison, style)
    shown = "" if everything else "; equal properties are left out, --all shows them"
    yield from wrapped(
        f"{counted(comparison.resources, 'resource')}: {comparison.differing} differ, {comparison.same} the same{shown}", style.width, ""
    )


class _Layout:
    """Widths of the columns: labels, one for each environment, and drivers where there is room for them."""

    def __init__(self, comparison: Comparison, width: int) -> None:
        labels = max((cells(_label(row)) + _INDENT for row in comparison.rows), default=0)
        names = comparison.environments
        wanted = [max([cells(name), *(cells(_value(row, name)) for row in comparison.rows)]) for name in names]
        drivers = max((cells(_driver_names(row)) for row in comparison.rows), default=0)
        self.labels = min(labels, max(16, width // 3))
        room = width - self.labels - (_GAP * (len(names) + 1))
        least = sum(min(each, _LEAST_VALUE + 7) for each in wanted)
        # The column of drivers is all or nothing: a cut name helps nobody.
        self.drivers = drivers if drivers and room - least - _GAP >= drivers else 0
        self.values = _shared(wanted, room - self.drivers)


def _shared(wanted: list[int], room: int) -> list[int]:
    """Each column what it wants, as far as the room goes; the widest give first."""
    widths = list(wanted)
    while sum(widths) > room and max(widths) > _LEAST_VALUE:
        widths[widths.index(max(widths))] -= 1
    return widths


def _label(row: Row) -> str:
    return visible(pointer_text(row.pointer)) if row.pointer else "present"


def _value(row: Row, name: str) -> str:
    if name in row.values:
        if not row.pointer:
            return "yes"
        text = cell(row.values[name])
        return (
            f"{text} differs"
            if text == "(secret)" and row.differs and name != next(iter(row.values)) and not _as_first(row, name)
            else text
        )
    return "–" if row.pointer else "no"


def _as_first(row: Row, name: str) -> bool:
    return same(next(iter(row.values.values())), row.values[name])


def _role(row: Row, name: str, comparison: Comparison) -> str:
    """What is missing or equal to the first column stands back; what differs from it stands out."""
    if name not in row.values or not row.differs:
        return "faint"
    first = comparison.environments[0]
    if name == first:
        return ""
    return "" if first in row.values and same(row.values[first], row.values[name]) else "note"


def _driver_names(row: Row) -> str:
    return ", ".join(driver.parameter for driver in row.drivers)


def _resource(address: str, rows: list[Row], comparison: Comparison, layout: _Layout, style: Style) -> Iterator[str]:
    yield f"{style.paint('strong', visible(address))}  {style.paint('place', rows[0].type)}"
    for row in rows:
        label = padded(" " * _INDENT + cut(_label(row), layout.labels - _INDENT), layout.labels + _GAP)
        columns = []
        for name, width in zip(comparison.environments, layout.values, strict=True):
            text = cut_within(_value(row, name), width)
            columns.append(style.paint(_role(row, name, comparison), text) + " " * (width - cells(text) + _GAP))
        drivers = cut(_driver_names(row), layout.drivers) if layout.drivers else ""
        yield f"{label}{''.join(columns)}{style.paint('driver', drivers)}".rstrip()


def _drivers(comparison: Comparison, style: Style) -> Iterator[str]:
    """Each driver once, with how many rows it drives and where each environment sets it."""
    driven: dict[str, int] = {}
    sources: dict[str, dict[str, str]] = {}
    for row in comparison.rows:
        for driver in row.drivers:
            driven[driver.parameter] = driven.get(driver.parameter, 0) + 1
            for name, place in driver.sources.items():
                sources.setdefault(driver.parameter, {}).setdefault(name, place)
    if not driven:
        return
    yield style.paint("strong", "What drives the differences")
    width = max(map(cells, driven))
    for name in sorted(driven, key=lambda name: (-driven[name], name)):
        yield f"  {style.paint('driver', padded(name, width))}  {counted(driven[name], 'row').rjust(9)}"
        places = [(each, visible(sources[name][each])) for each in comparison.environments if each in sources.get(name, {})]
        if not places:
            continue
        joined = "  ".join(f"{each} {style.paint('place', place)}" for each, place in places)
        if sum(cells(each) + cells(place) + 3 for each, place in places) + 4 <= style.width:
            yield f"    {joined}"
        else:
            longest = max(cells(each) for each, _ in places)
            yield from (f"    {padded(each, longest)}  {style.paint('place', place)}" for each, place in places)
    unexplained = sum(1 for row in comparison.rows if row.differs and not row.drivers)
    if unexplained:
        yield f"  {counted(unexplained, 'row')} with no known driver"
    yield ""
