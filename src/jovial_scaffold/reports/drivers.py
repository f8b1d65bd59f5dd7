"""What drives the differences of a comparison: each parameter once, the one behind most rows first, and where it is set."""

from collections.abc import Iterator

from jovial_scaffold.core.changes.matrix import Comparison
from jovial_scaffold.reports.terminal import Style, cells, padded
from jovial_scaffold.reports.words import counted, visible

_DRIVING = "What drives the differences"
MOST_PLACES = 6  # columns of which each place is shown
Ranked = tuple[str, int, int, dict[str, str]]
"""A driver: its name, how many rows and resources it drives, and where each column sets it."""


def ranked(comparison: Comparison) -> list[Ranked]:
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


def drivers_lines(comparison: Comparison, style: Style) -> Iterator[str]:
    """Each driver once, with how many rows it drives and where each column sets it: side by side where there is room."""
    found = ranked(comparison)
    if not found:
        return
    width = max(cells(name) for name, *_ in found)
    yield style.paint("strong", _DRIVING)
    for name, rows, resources, sources in found:
        bar = style.paint("driver", "▆" * max(1, round(24 * rows / found[0][1])))
        counts = f"{counted(rows, 'row').rjust(9)}  in {counted(resources, 'place')}".ljust(25)
        yield f"  {style.paint('driver', padded(name, width))}  {counts}  {bar}"
        where = [(each, visible(sources[each])) for each in comparison.environments if each in sources]
        if not where:
            continue
        if len(where) > MOST_PLACES:
            yield f"    {where[0][0]} {style.paint('place', where[0][1])} and {len(where) - 1} others"
            continue
        if sum(cells(each) + cells(place) + 3 for each, place in where) + 4 <= style.width:
            yield "    " + "  ".join(f"{each} {style.paint('place', place)}" for each, place in where)
        else:
            longest = max(cells(each) for each, _ in where)
            yield from (f"    {padded(each, longest)}  {style.paint('place', place)}" for each, place in where)
    unexplained = sum(1 for row in comparison.rows if row.differs and not row.drivers)
    if unexplained:
        yield f"  {counted(unexplained, 'row')} with no known driver"
    yield ""
