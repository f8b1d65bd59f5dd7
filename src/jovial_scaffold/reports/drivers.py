"""What drives the differences of a comparison: each parameter once, the one behind most rows first, and where it is set."""

from collections.abc import Callable, Iterator, Sequence
from os.path import basename

from jovial_scaffold.core.comparing.matrix import Comparison
from jovial_scaffold.reports.terminal import Style, cells, padded
from jovial_scaffold.reports.words import counted, visible

_GAP = 2
_INDENT = 2
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


def drivers_lines(comparison: Comparison, style: Style, places: bool) -> Iterator[str]:
    """Each driver once, with how many rows it drives and where each column sets it: side by side where there is room."""
    found = ranked(comparison)
    if not found:
        return
    title = style.paint("strong", _DRIVING)
    width = max(cells(name) for name, *_ in found)
    most, short = found[0][1], _short(found) if places else visible
    start = max(_INDENT + width + _GAP + len("999 rows ") + _GAP, len(_DRIVING) + _GAP)
    beside = _beside(found, comparison, style.width - start) if places else None
    if beside is not None:
        header = "  ".join(padded(name, own) for name, own in zip(comparison.environments, beside[0], strict=True))
        yield f"{title}{' ' * (start - len(_DRIVING))}{style.paint('faint', header)}".rstrip()
    else:
        yield title
    for index, (name, rows, resources, sources) in enumerate(found):
        bar = "" if places else f"  {style.paint('driver', '▆' * max(1, round(24 * rows / most)))}"
        counts = f"{counted(rows, 'row').rjust(9)}" + ("" if places else f"  in {counted(resources, 'place')}".ljust(14))
        head = f"  {style.paint('driver', padded(name, width))}  {counts}"
        if beside is not None:
            columns = "  ".join(style.paint("place", padded(each, own)) for each, own in zip(beside[1][index], beside[0], strict=True))
            yield f"{head}{' ' * (start - _INDENT - width - _GAP - cells(counts))}{columns}".rstrip()
            continue
        yield f"{head}{bar}".rstrip()
        where = [(each, short(sources[each])) for each in comparison.environments if each in sources]
        if not where:
            continue
        if len(where) > MOST_PLACES:
            first = style.paint("place", where[0][1])
            yield f"    {where[0][0]} {first} and {len(where) - 1} others"
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


def _beside(found: Sequence[Ranked], comparison: Comparison, room: int) -> tuple[list[int], list[list[str]]] | None:
    """The widths of columns and the places in them; None where they do not fit."""
    names, short = comparison.environments, _short(found)
    rows = [[short(each[name]) if name in each else "" for name in names] for *_, each in found]
    widths = [max(cells(name), *(cells(row[at]) for row in rows)) for at, name in enumerate(names)]
    return (widths, rows) if sum(widths) + _GAP * len(widths) <= room else None


def _short(found: Sequence[Ranked]) -> Callable[[str], str]:
    """How places are shown: files by their last names, where those say which they are."""
    files = {place.rpartition(":")[0] for *_, sources in found for place in sources.values()}
    if len({basename(each) for each in files}) < len(files):
        return visible
    return lambda place: visible(basename(place))
