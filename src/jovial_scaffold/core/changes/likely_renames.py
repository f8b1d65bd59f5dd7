"""One removed and one added of the same type whose properties are nearly equal: probably the same thing under another address."""

from collections.abc import Collection, Iterator, Mapping
from typing import Any

from jovial_scaffold.core.changes.aligning import likely_pairs, likeness
from jovial_scaffold.core.changes.effect_records import Effects
from jovial_scaffold.core.findings import Finding, Related
from jovial_scaffold.core.rendering.instances import EvaluatedResource
from jovial_scaffold.core.rendering.rendering import Evaluated
from jovial_scaffold.core.words import Counted, Sentence, say

_NEARLY_EQUAL = 0.75
_NAMED = 3  # of those that moved together


def likely_renames(result: Effects, rendering: Evaluated) -> Iterator[Finding]:
    """Notes that say what to write, one for all that moved from one address to another."""
    moved: dict[tuple[str, str], list[tuple[str, str]]] = {}
    for old, new in _pairs(result, rendering):
        moved.setdefault(_fronts(old, new), []).append((old, new))
    for (front, new_front), pairs in sorted(moved.items()):
        if all(_is_led_there(old, new, moved, rendering) for old, new in pairs):
            continue
        old, new = pairs[0]
        resource = rendering.resources[new]
        related = tuple(
            Related(result.snapshot.resources[each].origin.key_span(), say("`{}` runs now.", each)) for each, _ in pairs[:_NAMED]
        )
        message = (
            say("{} would be removed and {} added, and they are nearly the same.", old, new)
            if len(pairs) == 1
            else say("{} below {} would be removed, and nearly the same added below {}.", Counted(len(pairs), "resource"), front, new_front)
        )
        span = resource.instance.resource.origin.key_span()
        group = f"{resource.instance.resource.name} {front} {new_front}"
        yield Finding(
            "rename-likely", "note", message, span, _line(front, new_front, resource), new, "", (rendering.label,), related, group
        )


def _is_led_there(old: str, new: str, moved: Collection[tuple[str, str]], rendering: Evaluated) -> bool:
    """Whether what is proposed for something around it leads there, too, together with what modules say of themselves."""
    for front, new_front in moved:
        if old.startswith(f"{front}/"):
            there = f"{new_front}{old[len(front) :]}"
            if there != new and rendering.renames.followed(there, rendering.resources) == new:
                return True
    return False


def _line(old: str, new: str, resource: EvaluatedResource) -> Sentence:
    """What to write so that they stay."""
    if resource.instance.scope.use is None and new == resource.instance.resource.name and "/" not in old:
        return say("If it was renamed, write `$formerly: {}` in it: then it stays.", old)
    return say("If it was renamed, write `{}: {}` under `renames` of the template: then it stays.", old, new)


def _fronts(old: str, new: str) -> tuple[str, str]:
    """What stands before the steps that two addresses end with alike."""
    olds, news = old.split("/"), new.split("/")
    while len(olds) > 1 and len(news) > 1 and olds[-1] == news[-1]:
        olds.pop()
        news.pop()
    return "/".join(olds), "/".join(news)


def _pairs(result: Effects, rendering: Evaluated) -> list[tuple[str, str]]:
    """Old and new addresses, the likest first taken; each once."""
    before: dict[str, dict[str, Any]] = {}
    after: dict[str, dict[str, Any]] = {}
    for each in result.effects:
        kind = each.type.rpartition(".v")[0]
        if each.effect == "remove":
            before.setdefault(kind, {})[each.address] = result.snapshot.resources[each.address].properties
        elif each.effect == "add":
            after.setdefault(kind, {})[each.address] = result.snapshot.hidden(rendering.resources[each.address].properties)
    scored = []
    for kind in before.keys() & after.keys():
        for old, new in likely_pairs(_with_keys(before[kind]), _with_keys(after[kind])):
            score = likeness(before[kind][old], after[kind][new])
            if score >= _NEARLY_EQUAL:
                scored.append((-score, *_nearness(old, new), old, new))
    used: set[str] = set()
    found = []
    for *_, old, new in sorted(scored):
        if old not in used and new not in used:
            used |= {old, new}
            found.append((old, new))
    return found


def _nearness(old: str, new: str) -> tuple[int]:
    """Of those that are equally like, the ones whose addresses end alike belong together."""
    front, _ = _fronts(old, new)
    return (front.count("/") - old.count("/"),)


def _with_keys(properties: Mapping[str, Any]) -> list[tuple[str, Any]]:
    """Properties by address, each with the last part of the address as something to be found by."""
    return [(address, {**own, "": address.rpartition("/")[2]}) for address, own in properties.items()]
