"""Settings that change nothing, as text and as JSON."""

from collections.abc import Iterator, Sequence
from typing import Any

from jovial_scaffold.core.changes.idle import SAME, Idle
from jovial_scaffold.reports.terminal import Style, cells, padded, wrapped
from jovial_scaffold.reports.words import counted, listed, path_shown, visible

_ROOM = 24  # columns beside a setting, for which it is not told below


def idle_text(found: Sequence[Idle], style: Style, base: str = "") -> str:
    """Each with its place, where it changes nothing, and why."""
    return "\n".join(_lines(found, style, base)) + "\n"


def _lines(found: Sequence[Idle], style: Style, base: str) -> Iterator[str]:
    if not found:
        yield "Every setting changes something where it is set."
        return
    number = len({(each.parameter, each.span) for each in found})
    yield style.paint(
        "strong",
        f"{counted(number, 'setting changes', 'settings change')} nothing where {'it is' if number == 1 else 'they are'} set",
    )
    places = [visible(f"{path_shown(base, each.span.file)}:{each.span.line}") for each in found]
    width, names = max(map(cells, places)), max(cells(visible(each.parameter)) for each in found)
    for place, each in zip(places, found, strict=True):
        why = "has that value without it" if each.reason == SAME else "nothing that is deployed hangs on it"
        told = f"{visible(listed(each.environments))}: {why}"
        room = style.width - width - names - 6
        lines = wrapped(told, room, "") if room >= _ROOM else []
        head = f"  {style.paint('place', padded(place, width))}  {padded(visible(each.parameter), names)}"
        yield f"{head}  {style.paint('faint', lines[0])}" if lines else head.rstrip()
        indent = " " * (width + names + 6 if lines else 4)
        yield from (style.paint("faint", f"{indent}{line}") for line in (lines[1:] if lines else wrapped(told, style.width - 4, "")))


def idle_document(project: str, found: Sequence[Idle]) -> dict[str, Any]:
    """`jovial-idle/1`."""
    return {
        "format": "jovial-idle/1",
        "project": project,
        "settings": [
            {
                "parameter": each.parameter,
                "file": each.span.file,
                "line": each.span.line,
                "environments": list(each.environments),
                "reason": each.reason,
            }
            for each in found
        ],
    }
