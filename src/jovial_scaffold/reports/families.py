"""Families of environments as text and as JSON."""

from collections import Counter
from collections.abc import Iterator, Sequence
from typing import Any

from jovial_scaffold.core.changes.aspects import Aspects
from jovial_scaffold.core.changes.families import Families
from jovial_scaffold.core.changes.matrix import Comparison, Row, row_label
from jovial_scaffold.reports.folding import folded
from jovial_scaffold.reports.terminal import Style, wrapped
from jovial_scaffold.reports.words import counted, listed, visible

_NAMED = 4  # rows that are named
_FEW = 3  # families of which all pairs are told
_HEAD = 4  # columns before a family


def families_text(found: Families, comparison: Comparison, style: Style) -> str:
    """Each family, and what tells families apart."""
    return "\n".join(_lines(found, comparison, style)) + "\n"


def _lines(found: Families, comparison: Comparison, style: Style) -> Iterator[str]:
    aspects = Aspects(comparison)
    yield f"{counted(len(comparison.environments), 'environment')} in {counted(len(found.families), 'family', 'families')}, echoes aside"
    alone = " but for values of their own" if found.own else ""
    for number, each in enumerate(found.families, 1):
        names = visible(listed(each.environments))
        for index, line in enumerate(wrapped(names, style.width - _HEAD, "")):
            yield style.paint("strong", f"{number if index == 0 else '':<{_HEAD}}{line}")
        told = f"differ among themselves in {_about(each.rows, aspects)}" if each.rows else f"are alike{alone}"
        if len(each.environments) > 1:
            yield from wrapped(told, style.width, " " * _HEAD)
    if found.own:
        yield ""
        yield from wrapped(f"Many have values that no other has, which tell none apart, in {_about(found.own, aspects)}", style.width, "")
    shown = _nearest(found)
    for (one, other), rows in shown.items():
        yield ""
        yield style.paint("strong", f"{one + 1} and {other + 1}")
        yield from wrapped(f"always differ in {_about(rows, aspects)}" if rows else "never differ in the same", style.width, " " * _HEAD)
        behind = Counter(driver.parameter for row in rows for driver in row.drivers)
        if behind:
            named = listed([f"{visible(name)} ({count:,})" for name, count in sorted(behind.items(), key=lambda each: (-each[1], each[0]))])
            yield from wrapped(f"driven by {named}", style.width, " " * _HEAD)

    if len(shown) < len(found.apart):
        yield ""
        told = "Each family stands beside that of those before it from which it differs least; --format json has all pairs."
        yield from (style.paint("faint", line) for line in wrapped(told, style.width, ""))


def _nearest(found: Families) -> dict[tuple[int, int], tuple[Row, ...]]:
    """What tells families apart: of very few, all; else each and the one before it from which it differs least."""
    if len(found.families) <= _FEW:
        return dict(found.apart)
    nearest = (
        min(((one, other) for one in range(other)), key=lambda pair: (len(found.apart[pair]), pair))
        for other in range(1, len(found.families))
    )
    return {pair: found.apart[pair] for pair in nearest}


def _about(rows: Sequence[Row], aspects: Aspects) -> str:
    """How many rows, about what, and which most of them are."""
    by_aspect = Counter(aspects.of(row) for row in rows)
    told = ", ".join(f"{visible(name)} {count:,}" for name, count in by_aspect.most_common())
    places = sorted(_places(rows), key=lambda each: -each[1])
    more = len(rows) - sum(count for _, count in places[:_NAMED])
    named = [visible(text) for text, _ in places[:_NAMED]]
    return f"{counted(len(rows), 'row')} ({told}): {listed([*named, *([f'{more:,} more'] if more else [])])}"


def _places(rows: Sequence[Row]) -> Iterator[tuple[str, int]]:
    """Where rows are, with how many of them are there: what stands alike in many items of a loop is told once."""
    by_part: dict[str, list[str]] = {}
    for row in rows:
        by_part.setdefault(row_label(row).removeprefix(row.address), []).append(row.address)
    for part, addresses in by_part.items():
        for text, count in folded(addresses).items():
            yield f"{text} ({part.removeprefix(':')})" if part and count > 1 else f"{text}{part}", count


def families_document(found: Families) -> dict[str, Any]:
    """What JSON has of them: places by address and property."""
    return {
        "families": [
            {"environments": list(each.environments), "differing": [row_label(row) for row in each.rows]} for each in found.families
        ],
        "own": [row_label(row) for row in found.own],
        "apart": [{"families": [one, other], "differing": [row_label(row) for row in rows]} for (one, other), rows in found.apart.items()],
    }
