"""A comparison as a report for Markdown, CSV and HTML, and its totals as text."""

from collections.abc import Sequence
from itertools import groupby

from jovial_scaffold.core.changes.aspects import Aspects
from jovial_scaffold.core.changes.matrix import Comparison
from jovial_scaffold.core.changes.totals import Total
from jovial_scaffold.reports.drivers import ranked
from jovial_scaffold.reports.echoing import folded
from jovial_scaffold.reports.matrix import aspects_text, driver_names, gone_in, named, sum_text, value_texts
from jovial_scaffold.reports.tables import Report, Table
from jovial_scaffold.reports.terminal import Style, cells, padded

_GAP = 2


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
    folds, aspects, gone = [] if echoes else folded(comparison.rows), Aspects(comparison), gone_in(comparison)
    columns = ["resource", "property", *names, "driven by", "type", "aspect"]
    rows, every = [], []
    for row in comparison.rows:
        values = value_texts(row, names, gone)
        told = [row.address, named(row), *values, driver_names(row), row.type, aspects.of(row)]
        every.append([*told, row.echo])
        rows += [] if folds and row.echo else [told]
    tables = [Table("Differences", columns, rows)]
    if folds:
        lines = [[str(len(each.rows)), each.label, each.pattern, driver_names(each.rows[0])] for each in folds]
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
    return Report(
        f"{' beside '.join(names)}",
        [f"{sum_text(comparison, everything=True, is_folded=bool(folds))}{aspects_text(aspects.told(), comparison)}"],
        tables,
        Table("Differences", [*columns, "echo"], every),
    )
