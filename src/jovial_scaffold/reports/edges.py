"""What changes, as JSON and as rows of a table: one shape for effects, comparisons and ripples (docs/schemas/)."""

from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from jovial_scaffold.core.changes.edges import Edges, Origin
from jovial_scaffold.core.changes.effect_records import MISSING, SEVEREST, Beside, Change, Effect
from jovial_scaffold.core.expressions.marked import to_json
from jovial_scaffold.core.text.source import pointer_text
from jovial_scaffold.reports.effects import beside_texts, pointer_of, values_of
from jovial_scaffold.reports.words import listed

COLUMNS = ("effect", "resource", "type", "property", "was", "becomes", "why")  #: of `edges_rows`
_NO_ROUNDS: Mapping[str, int] = {}


def edges_entries(edges: Edges, rounds: Mapping[str, int] = _NO_ROUNDS) -> dict[str, Any]:
    """`effects` and `beside`; `rounds` says in which round of a deployment a resource is as it should be, where there is a deployment."""
    return {
        "effects": [_effect_entry(each, edges.origins.get(each.address, ()), rounds.get(each.address)) for each in edges.effects],
        "beside": [_beside_entry(each) for each in edges.beside],
    }


def _effect_entry(each: Effect, origins: tuple[Origin, ...], number: int | None) -> dict[str, Any]:
    return {
        "address": each.address,
        "effect": each.effect,
        "type": each.type,
        "formerly": each.formerly or None,
        "keep": each.keep,
        "holds_data": each.holds_data,
        "touched": [pointer_text(change.pointer) for change in each.changes if change.counted and change.certain],
        "changes": [_change_entry(change) for change in each.changes],
        "causes": [{"kind": kind, "parameter": parameter or None, "place": place or None} for kind, parameter, place in origins],
        "dragged": list(each.dragged),
        "round": number,
    }


def _sides(was: Any, becomes: Any) -> dict[str, Any]:
    sides = {"was": was, "becomes": becomes}
    return {name: to_json(value) for name, value in sides.items() if value is not MISSING}


def _change_entry(change: Change) -> dict[str, Any]:
    return {
        "pointer": pointer_text(change.pointer),
        **_sides(change.was, change.becomes),
        "effect": change.effect,
        "because": listed(change.because) or None,
        "certain": change.certain,
        "counted": change.counted,
    }


def _beside_entry(each: Beside) -> dict[str, Any]:
    return {
        "kind": each.kind,
        "name": each.name,
        "effect": each.effect,
        **_sides(each.was, each.becomes),
        "because": listed(each.because) or None,
        "certain": each.certain,
    }


def edges_rows(edges: Edges) -> Iterator[list[str]]:
    """A row for each property of each resource that changes, the severest first, and one for each output and part of a document."""
    for each in sorted(edges.effects, key=lambda each: SEVEREST.index(each.effect) if each.effect in SEVEREST else len(SEVEREST)):
        if each.effect == "unchanged":
            continue
        head = [each.effect, each.address, each.type]
        changes = [change for change in each.changes if change.counted]
        if not changes:
            yield [*head, "", "", "", f"formerly {each.formerly}" if each.formerly else ""]
        for change in changes:
            why = rebuilt_text(change.because) or ("" if change.certain else "may change")
            yield [*head, pointer_of(change), *values_of(change), listed(filter(None, (change.effect, why)))]
    for one in edges.beside:
        yield [one.effect, one.name, one.kind, "", *beside_texts(one), rebuilt_text(one.because)]


def rebuilt_text(because: Sequence[str]) -> str:
    """Which resources are rebuilt, and that they are; nothing where none is."""
    return f"{listed(because)} {'is' if len(because) == 1 else 'are'} rebuilt" if because else ""
