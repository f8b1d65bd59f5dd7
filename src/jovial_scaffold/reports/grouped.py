"""Rows of a comparison of many columns: what each value is, and which columns have it, where they do not fit beside each other."""

from collections.abc import Iterator, Mapping, Sequence

from jovial_scaffold.reports.terminal import Style, cells, cut_within, padded, wrapped

_NAMED = 3  # columns that are named one by one
_TOLD = 6  # values that are


def by_value(texts: Mapping[str, str]) -> list[tuple[str, list[str]]]:
    """The different texts of columns, each with the columns that have it; what most have comes first."""
    found: dict[str, list[str]] = {}
    for name, text in texts.items():
        found.setdefault(text, []).append(name)
    return sorted(found.items(), key=lambda item: -len(item[1]))


def values_text(texts: Mapping[str, str]) -> str:
    """The same in one line: `1 in 18 · 3 in dusk-18, dusk-19 and 5 others`."""
    groups = by_value(texts)
    if len(groups) > _TOLD:
        return f"{len(groups)} different values"
    parts = []
    for number, (text, names) in enumerate(groups):
        if number == 0 and len(groups) > 1:
            parts.append(f"{text} in {len(names)}")
        elif len(names) == 1:
            parts.append(f"{text} in {names[0]} alone")
        else:
            parts.append(f"{text} in {names_text(names)}")
    return " · ".join(parts)


def names_text(names: Sequence[str]) -> str:
    """Columns, of many the first ones and how many others."""
    return ", ".join(names) if len(names) <= _NAMED + 1 else f"{', '.join(names[:_NAMED])} and {len(names) - _NAMED} others"


def group_lines(head: str, label: str, texts: Mapping[str, str], drivers: str, widths: Sequence[int], style: Style) -> Iterator[str]:
    """One row: what it is about, its values with their columns, and what drives it."""
    first, second = widths
    heads = [cut_within(each, first) for each in wrapped(head, first, "")] or [""]
    indent = first + second + 4
    driven = f"({drivers})" if drivers else ""
    lines = wrapped(f"{values_text(texts)} {driven}".strip(), max(style.width - indent, 24), "")
    for number in range(max(len(heads), len(lines))):
        shown = heads[number] if number < len(heads) else ""
        before = f"{style.paint('strong', padded(shown, first))}  {padded(cut_within(label, second) if number == 0 else '', second)}  "
        line = lines[number] if number < len(lines) else ""
        yield f"{before}{line.replace(driven, style.paint('driver', driven)) if driven else line}".rstrip()


def widths_of(heads: Sequence[str], labels: Sequence[str], width: int) -> tuple[int, int]:
    """How wide the addresses and the properties are."""
    return (
        min(max(map(cells, heads), default=4), max(10, width // 4)),
        min(max(map(cells, labels), default=4), max(12, width // 4)),
    )
