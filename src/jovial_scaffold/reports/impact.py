"""What something reaches, as text and as JSON."""

from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from jovial_scaffold.core.changes.impact import PRESENCE, Touched
from jovial_scaffold.reports.folding import addresses_text
from jovial_scaffold.reports.terminal import Style, wrapped
from jovial_scaffold.reports.words import counted, listed, visible

_ORDER = ("rebuild", PRESENCE, "locked", "restart", "in_place")
_BESIDE = ("output", "document")
_TOLD = {"rebuild": "rebuilt", PRESENCE: "added or removed", "locked": "locked", "restart": "restarted", "in_place": "in place"}
_ROLES = {"rebuild": "error", PRESENCE: "error", "locked": "error", "restart": "warning"}


def impact_text(what: str, found: Mapping[str, Sequence[Touched]], style: Style) -> str:
    """What is reached, by what would happen to it, the severest first; environments in which that is the same stand together."""
    return "\n".join(_lines(what, found, style)) + "\n"


def _lines(what: str, found: Mapping[str, Sequence[Touched]], style: Style) -> Iterator[str]:
    alike: dict[tuple[Touched, ...], list[str]] = {}
    for name, touched in found.items():
        alike.setdefault(tuple(touched), []).append(name)
    for number, (touched, names) in enumerate(alike.items()):
        if number:
            yield ""
        resources = len({each.address for each in touched if each.type not in _BESIDE})
        head = f"{visible(what)} may reach {counted(resources, 'resource')} in {visible(listed(names))}"
        yield from (style.paint("strong", line) for line in wrapped(head, style.width, ""))
        if not touched:
            continue
        for effect in _ORDER:
            yield from _of_effect(effect, [each for each in touched if each.effect == effect and each.type not in _BESIDE], style)
        others = [f"{each.type} {each.address}" for each in touched if each.type in _BESIDE]
        if others:
            yield from _told("also", ", ".join(others), "", style)


def _of_effect(effect: str, touched: Sequence[Touched], style: Style) -> Iterator[str]:
    """Resources by the properties of theirs that are reached."""
    properties: dict[tuple[str, str], list[str]] = {}
    for each in touched:
        properties.setdefault((each.address, each.type), []).append(each.property)
    groups: dict[tuple[str, tuple[str, ...]], list[str]] = {}
    for (address, kind), names in properties.items():
        groups.setdefault((kind, tuple(names)), []).append(address)
    for number, ((_, reached), addresses) in enumerate(groups.items()):
        inside = ", ".join(filter(None, reached))
        told = f"{', '.join(addresses_text(addresses))}{f' ({inside})' if inside else ''}"
        yield from _told(_TOLD[effect] if number == 0 else "", told, _ROLES.get(effect, ""), style)


def _told(head: str, text: str, role: str, style: Style) -> Iterator[str]:
    width = max(map(len, _TOLD.values()))
    for number, line in enumerate(wrapped(visible(text), style.width - width - 4, "")):
        first = head.ljust(width) if number == 0 else " " * width
        yield f"  {style.paint(role, first) if role else first}  {line}"


def impact_document(project: str, what: str, found: Mapping[str, Sequence[Touched]]) -> dict[str, Any]:
    """`jovial-impact/1`."""
    return {
        "format": "jovial-impact/1",
        "project": project,
        "what": what,
        "environments": {
            name: [
                {
                    "kind": each.type if each.type in _BESIDE else "resource",
                    "address": each.address,
                    "property": each.property or None,
                    "type": each.type,
                    "effect": each.effect,
                }
                for each in touched
            ]
            for name, touched in found.items()
        },
    }
