"""The section `renames`: what is the same thing under a new address, and whether the entries can be followed."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Any

from jovial_scaffold.core.findings import Related
from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.templates.model import Rename, Resource
from jovial_scaffold.core.text.source import Origin
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.words import NOTHING, Described, Sentence, nearest, say

#: an address, or what stands before the rest of one
ADDRESS = regex(r"[a-z][a-z0-9_]*(?:/[A-Za-z0-9_.%-]+)*\Z")
_EXAMPLE = say("For example: gate/hut: gate/lodge")


class Chain:
    """Addresses followed from old to new. The entry with the longest old address that stands at the front of one counts, and each counts
    once: so a circle ends, and something can move into what now has its name (`queue: queue/main`)."""

    def __init__(self, entries: Iterable[tuple[str, str]]) -> None:
        self._new: dict[str, str] = {}
        for old, new in entries:
            self._new.setdefault(old, new)

    def __bool__(self) -> bool:
        return bool(self._new)

    def back(self, address: str) -> Iterable[str]:
        """The addresses that something may have had before it came to an address, the latest first."""
        return self._reached(address, [(new, old) for old, new in self._new.items()])

    def _reached(self, address: str, entries: Iterable[tuple[str, str]]) -> Iterable[str]:
        """The addresses that one becomes where any entries, each once, put their second address in the place of their first."""
        found: list[tuple[str, frozenset[tuple[str, str]]]] = [(address, frozenset())]
        for each, used in found:  # which grows
            for entry in entries:
                front, other = entry
                if entry not in used and f"{each}/".startswith(f"{front}/"):
                    found.append((f"{other}{each[len(front) :]}", used | {entry}))
        return list(dict.fromkeys(each for each, _ in found[1:]))

    def ahead(self, address: str) -> Iterable[str]:
        """The addresses that something may have come to, by any entry at its front, the next ones first."""
        return self._reached(address, self._new.items())

    def steps(self, address: str) -> Iterable[str]:
        """The addresses that one leads to, one after the other."""
        used: set[str] = set()
        while True:
            front = address
            while front and (front not in self._new or front in used):
                front = front.rpartition("/")[0]
            if not front:
                return
            used.add(front)
            address = f"{self._new[front]}{address[len(front) :]}"
            yield address


def read_renames(
    entries: Sequence[tuple[str, Any, Origin]], resources: Mapping[str, Resource], report: Callable[..., None], unread: bool
) -> tuple[Rename, ...]:
    """The entries that can be followed, by the old address. `unread` says that a part of the template is lost: then nobody knows what is there."""
    found: dict[str, Rename] = {}
    for old, new, origin in entries:
        if new is UNKNOWN:
            continue
        if old in found:
            first = Related(found[old].origin.key_span(), say("The first one is here."))
            report("rename-invalid", say("`{}` was renamed twice.", old), origin.key_span(), say("Keep one of the two."), related=(first,))
        elif not ADDRESS.match(old):
            report("rename-invalid", say("`{}` is no address.", old), origin.key_span(), _EXAMPLE)
        elif not isinstance(new, str) or not ADDRESS.match(new):
            report(
                "rename-invalid",
                say("The new address of {} is an address, and this is {}.", old, Described(new)),
                origin.value_span(),
                _EXAMPLE,
            )
        else:
            found[old] = Rename(old, new, origin)
    renames = tuple(found[old] for old in sorted(found))
    fine = _told_apart(renames, report)
    if not unread:
        _check_addresses(fine, resources, report)
    return fine


def _path(addresses: Sequence[str]) -> Sentence:
    found = say("{}", addresses[0])
    for each in addresses[1:]:
        found = say("{} -> {}", found, each)
    return found


def _told_apart(renames: tuple[Rename, ...], report: Callable[..., None]) -> tuple[Rename, ...]:
    """The entries without those that go in a circle, or to where another one goes already."""
    chain = Chain((each.old, each.new) for each in renames)
    circling = [each for each in renames if each.old in chain.steps(each.old)]
    if circling:
        circle = [circling[0].old, *chain.steps(circling[0].old)]
        circle = circle[: circle.index(circling[0].old, 1) + 1]
        related = tuple(Related(each.origin.key_span(), say("This is a part of the circle.")) for each in circling[1:])
        message = say("These renames go in a circle: {}.", _path(circle))
        hint = say("Two things that change names need two deployments and a name between them.")
        report("rename-invalid", message, circling[0].origin.key_span(), hint, related=related)
    targets: dict[str, Rename] = {}
    fine = []
    for each in renames:
        if each in circling:
            continue
        first = targets.setdefault(each.new, each)
        if first is each:
            fine.append(each)
            continue
        message = say("Both {} and {} are renamed to {}.", first.old, each.old, each.new)
        hint = say(
            "If one was renamed to the other first, write `{}: {}` instead: renames are followed one after the other.", each.old, first.old
        )
        related = (Related(first.origin.key_span(), say("The first one is here.")),)
        report("rename-invalid", message, each.origin.key_span(), hint, related=related)
    return tuple(fine)


def _check_addresses(renames: tuple[Rename, ...], resources: Mapping[str, Resource], report: Callable[..., None]) -> None:
    """Report new addresses that nothing can have, and old ones that something has."""
    for each in renames:
        missing = _missing(each.new, resources)
        followed = any(each.new == other.old or each.new.startswith(f"{other.old}/") for other in renames)
        if missing is not None and not followed:
            name, known = missing
            message = say("`{}` was renamed to {}, and there is no {}.", each.old, each.new, name)
            report("rename-invalid", message, each.origin.value_span(), nearest(name, known, _declared(known)))
        there = resources.get(each.old)
        if there is not None and there.loop is None and there.module is None:
            message = say("`{}` was renamed to {}, and is there still.", each.old, each.new)
            hint = say("As long as something has the old address, it is what runs there.")
            related = (Related(there.origin.key_span(), say("It is declared here.")),)
            report("rename-invalid", message, each.origin.key_span(), hint, "warning", related=related)


def _declared(known: Iterable[str]) -> Sentence:
    return say("Name a resource of this template.") if known else NOTHING


def _missing(address: str, resources: Mapping[str, Resource]) -> tuple[str, list[str]] | None:
    """The part of an address that cannot be there, and what can; None where all may be."""
    steps = address.split("/")
    here: Mapping[str, Resource] | None = resources
    while steps:
        name = steps.pop(0)
        resource = here.get(name) if here is not None else None
        if resource is None:
            return name, [*here] if here is not None else []
        if resource.loop is not None and steps:
            steps.pop(0)
        if resource.module is None and resource.type is None:
            return None
        here = resource.module.template.resources if resource.module is not None else None
    return None
