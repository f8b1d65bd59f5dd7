"""Plots with Matplotlib: where environments differ, what they add up to, which parameters are behind it. PNG and SVG."""

import io
from collections.abc import Sequence

import matplotlib
from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.colors import ListedColormap
from matplotlib.figure import Figure

from jovial_scaffold.core.changes.aligning import same
from jovial_scaffold.core.changes.matrix import Comparison, Row
from jovial_scaffold.core.changes.totals import Total
from jovial_scaffold.reports.drivers import ranked
from jovial_scaffold.reports.terminal import cut_within
from jovial_scaffold.reports.words import counted, visible

# Lightness falls with the number, so that the plot can be read without colours too (sequential, after ColorBrewer's YlGnBu).
_STEPS = ("#ffffff", "#d9f0d3", "#a6dba0", "#5aae9c", "#2b7bba", "#253494")
_ABSENT = "#e3ded2"
_NEW = "#e7cfe4"
_INK, _QUIET, _PAPER = "#22262b", "#666a70", "#fdfcf9"
_BARS = ("#0072b2", "#e69f00", "#009e73", "#cc79a7", "#56b4e9", "#d55e00", "#8a8200", "#4d4d4d")
_HATCHES = ("", "//", "..", "xx", "\\\\", "--", "oo", "++")
_MOST_ROWS = 60
_PLACES = 6  # of fractions of a figure: far less than a pixel, and far more than what a solver leaves open


def plot_bytes(figure: Figure, kind: str) -> bytes:
    """A figure as `png` or `svg`; the same for the same input."""
    _lay_out(figure)
    stream = io.BytesIO()
    with matplotlib.rc_context({"svg.hashsalt": "jovial", "svg.fonttype": "none"}):
        figure.savefig(stream, format=kind, dpi=120, metadata={"Date": None} if kind == "svg" else {"Software": None})
    return stream.getvalue()


def _lay_out(figure: Figure) -> None:
    """Fix where axes stand. The solver of layouts adds in an order of its own, so that its last digits are not the same each time."""
    figure.draw_without_rendering()
    figure.set_layout_engine("none")
    for axes in figure.axes:
        left, bottom, width, height = (round(each, _PLACES) for each in axes.get_position().bounds)
        axes.set_position((left, bottom, width, height))


def _figure(width: float, height: float, title: str, about: str) -> Figure:
    figure = Figure(figsize=(width, height), facecolor=_PAPER, layout="constrained")
    FigureCanvasAgg(figure)
    figure.suptitle(_safe(title), x=0.01, ha="left", fontsize=13, fontweight="bold", color=_INK)
    figure.supxlabel(_safe(about), x=0.01, ha="left", fontsize=8.5, color=_QUIET)
    return figure


def _safe(text: str) -> str:
    """Text that Matplotlib does not read as a formula."""
    return visible(text).replace("$", r"\$")


def differences(comparison: Comparison, project: str) -> Figure:
    """Resources by environments: in how many properties each differs from the baseline."""
    names = comparison.environments
    rows: dict[str, list[Row]] = {}
    for row in comparison.differences:
        if row.type not in ("output", "document"):
            rows.setdefault(row.address, []).append(row)
    counts = {address: [_differing(found, name, names[0]) for name in names] for address, found in rows.items()}
    ordered = sorted(counts, key=lambda address: (-sum(each or 0 for each in counts[address]), address))
    shown = sorted(ordered[:_MOST_ROWS])
    left = len(ordered) - len(shown)
    about = f"Numbers are properties that differ from {names[0]}; “new”: {names[0]} has no such resource; “–”: there is none." + (
        f" {left} resources that differ less are left out." if left else ""
    )
    label = max((len(each) for each in shown), default=10)
    figure = _figure(
        3.2 + 0.085 * min(label, 44) + 1.05 * len(names), 1.6 + 0.27 * max(len(shown), 3), f"Where environments of {project} differ", about
    )
    axes = figure.add_subplot()
    most = max([max(each or 0 for each in counts[address]) for address in shown] + [1])
    grid = [[_step(each, most) for each in counts[address]] for address in shown] or [[0] * len(names)]
    axes.imshow(grid, cmap=ListedColormap([_NEW, _ABSENT, *_STEPS]), vmin=-2.5, vmax=5.5, aspect="auto")
    for line, address in enumerate(shown):
        for column, each in enumerate(counts[address]):
            text = "–" if each is None else "new" if each < 0 else str(each) if each else "="
            axes.text(column, line, text, ha="center", va="center", fontsize=8.5, color="white" if grid[line][column] >= 4 else _INK)
    axes.set_xticks(range(len(names)), [_safe(cut_within(name, 22)) for name in names], fontsize=9.5)
    axes.set_yticks(range(len(shown)), [_safe(cut_within(each, 44)) for each in shown], fontsize=8.5, family="DejaVu Sans Mono")
    axes.xaxis.tick_top()
    axes.tick_params(length=0)
    for side in axes.spines.values():
        side.set_visible(False)
    axes.set_xticks([x - 0.5 for x in range(1, len(names))], minor=True)
    axes.set_yticks([y - 0.5 for y in range(1, len(shown))], minor=True)
    axes.grid(which="minor", color=_PAPER, linewidth=2)
    axes.tick_params(which="minor", length=0)
    return figure


def _step(count: int | None, most: int) -> int:
    """The colour of a cell: two of their own, then by how many differ."""
    return -1 if count is None else -2 if count < 0 else min(5, -(-count * 5 // most))


def _differing(rows: Sequence[Row], name: str, baseline: str) -> int | None:
    """In how many rows a column is not as the baseline; None where it has no such resource, -1 where only the baseline has none."""
    if any(row.kind == "presence" and name in row.absent for row in rows):
        return None
    if any(row.kind == "presence" and baseline in row.absent for row in rows):
        return -1
    found = 0
    for row in rows:
        if name not in row.values or baseline not in row.values:
            found += (name in row.values) != (baseline in row.values)
        elif not same(row.values[name], row.values[baseline]):
            found += 1
    return found


def totals(found: Sequence[Total], comparison: Comparison, project: str) -> Figure:
    """Numbers of resources by type, and the sums of numeric properties that differ, each environment beside the others."""
    names = comparison.environments
    resources = [each for each in found if not each.property]
    sums = [each for each in found if each.property and len(set(each.values.values())) > 1][:12]
    panels = len(sums) + 1
    columns = 2 if panels > 1 else 1
    lines = 1 + -(-len(sums) // columns)
    figure = _figure(
        11,
        1.2 + 0.34 * max(3, len(resources)) + 1.15 * (lines - 1),
        f"What environments of {project} add up to",
        "Sums over the effective properties of all resources of a type.",
    )
    grid = figure.add_gridspec(lines, columns, height_ratios=[0.34 * max(3, len(resources)) + 0.4, *([1.0] * (lines - 1))])
    axes = figure.add_subplot(grid[0, :])
    height = 0.8 / len(names)
    for column, name in enumerate(names):
        positions = [line + column * height - 0.4 + height / 2 for line in range(len(resources))]
        values = [each.values[name] for each in resources]
        bars = axes.barh(
            positions, values, height, color=_BARS[column % 8], hatch=_HATCHES[column % 8], edgecolor=_PAPER, label=_safe(name)
        )
        axes.bar_label(bars, fontsize=7.5, padding=2, color=_QUIET)
    axes.set_yticks(range(len(resources)), [_safe(each.type) for each in resources], fontsize=8.5, family="DejaVu Sans Mono")
    axes.invert_yaxis()
    axes.set_title("resources", loc="left", fontsize=9.5, color=_INK)
    axes.legend(fontsize=8.5, frameon=False, loc="lower right", bbox_to_anchor=(1.0, 1.0), ncols=min(len(names), 6))
    _bare(axes)
    for number, each in enumerate(sums):
        panel = figure.add_subplot(grid[1 + number // columns, number % columns])
        for column, name in enumerate(names):
            bars = panel.barh([column], [each.values[name]], 0.75, color=_BARS[column % 8], hatch=_HATCHES[column % 8], edgecolor=_PAPER)
            panel.bar_label(bars, [f"{each.values[name]:,.6g}"], fontsize=7.5, padding=2, color=_QUIET)
        panel.set_yticks(range(len(names)), [_safe(cut_within(name, 18)) for name in names], fontsize=7.5)
        panel.invert_yaxis()
        panel.margins(x=0.14)
        panel.set_title(_safe(f"{each.property} of {each.type}"), loc="left", fontsize=8.5, color=_INK)
        _bare(panel)
    return figure


def _bare(axes: "matplotlib.axes.Axes") -> None:
    axes.set_facecolor(_PAPER)
    axes.xaxis.set_visible(False)
    axes.tick_params(length=0)
    for side in ("top", "right", "bottom"):
        axes.spines[side].set_visible(False)
    axes.spines["left"].set_color("#c9c3b4")


def influence(comparison: Comparison, project: str) -> Figure:
    """Parameters by how many differing properties they are behind, and in how many places."""
    found = ranked(comparison)[:40]
    names = " and ".join(comparison.environments)
    about = f"Bars: properties that differ between {names} and that the parameter is behind. A property may have several."
    figure = _figure(9.5, 1.5 + 0.36 * max(3, len(found)), f"Which parameters are behind the differences of {project}", about)
    axes = figure.add_subplot()
    axes.barh(range(len(found)), [rows for _, rows, _, _ in found], 0.62, color="#0072b2", edgecolor=_PAPER)
    for line, (_, rows, places, _) in enumerate(found):
        axes.text(rows, line, f"  {counted(rows, 'row')} in {counted(places, 'place')}", va="center", fontsize=8.5, color=_QUIET)
    axes.set_yticks(range(len(found)), [_safe(cut_within(name, 40)) for name, *_ in found], fontsize=9, family="DejaVu Sans Mono")
    axes.invert_yaxis()
    axes.margins(x=0.2)
    _bare(axes)
    return figure
