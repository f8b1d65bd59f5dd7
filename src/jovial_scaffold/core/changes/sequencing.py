"""The order of a deployment: what each step waits for, the rounds that follow, and where no order meets all of it.

What is made comes after what it needs; what is removed goes before what it needed; what frees a name or a range goes before what takes it
(`identity` and `apart` of the catalog); what stops using a resource changes before that is removed.
"""

from collections.abc import Iterator, Mapping, Sequence
from itertools import pairwise
from typing import Any, NamedTuple

from jovial_scaffold.core.changes.effect_records import Effect, Step
from jovial_scaffold.core.changes.snapshots import Snapshot, dependencies
from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.graph.ordering import rounds
from jovial_scaffold.core.rendering.identities import identity_key, ranges
from jovial_scaffold.core.rendering.rendering import Evaluated
from jovial_scaffold.core.schemas.catalog import ResourceType
from jovial_scaffold.core.words import Sentence, Value, listed, say, together

_CIRCLE = 6  # steps of a circle that are named
_DEEDS = {"make": say("made"), "change": say("changed"), "remove": say("removed")}


class Order(NamedTuple):
    """Steps in rounds, and what is wrong with them."""

    rounds: tuple[tuple[Step, ...], ...]
    findings: tuple[Finding, ...]


class _Edge(NamedTuple):
    """Why a step waits for another."""

    strength: int
    because: Sentence


_NEEDED, _TAKEN, _LEFT = range(3)  # what must hold; what a cloud refuses otherwise; what may be given up for the others


def order_of(found: Sequence[Effect], rendering: Evaluated | None, snapshot: Snapshot, older: Mapping[str, str], label: str) -> Order:
    """The steps in rounds. Without a rendering, all is removed. `older` gives the address in the rendering for each in the snapshot."""
    steps = _Steps(found)
    steps.need(rendering)
    steps.part(dependencies(snapshot), older)
    if rendering is not None:
        steps.exclude(rendering, snapshot)
    ordered, circling = _waves(steps.waits, _LEFT)
    if not circling:
        return Order(tuple(ordered), ())
    finding = _impossible(steps.waits, circling, label)
    for strength in (_TAKEN, _NEEDED):
        ordered, circling = _waves(steps.waits, strength)
        if not circling:
            break
    return Order((*ordered, *((each,) for each in circling)), (finding,))


class _Steps:
    """The steps of some effects, and what each waits for."""

    def __init__(self, found: Sequence[Effect]) -> None:
        self._found = found
        self._made = {each.address for each in found if each.effect in ("add", "rebuild")}
        self._changed = {each.address for each in found if each.effect in ("in_place", "restart", "locked", "rename", "move")}
        self._gone = {each.formerly or each.address for each in found if each.effect in ("remove", "rebuild")}
        self._removed = {each.address for each in found if each.effect == "remove"}
        self.waits: dict[Step, dict[Step, _Edge]] = {Step("make", address): {} for address in self._made}
        self.waits |= {Step("change", address): {} for address in self._changed}
        self.waits |= {Step("remove", address): {} for address in self._gone}

    def need(self, rendering: Evaluated | None) -> None:
        """What is made or changed comes after what it needs; what is rebuilt is removed first."""
        for own in self.waits:
            resource = rendering.resources.get(own.address) if rendering is not None and own.deed != "remove" else None
            for first in resource.after if resource is not None else ():
                needed = self._deed(first)
                if needed is not None:
                    self.waits[own][needed] = _Edge(_NEEDED, say("needs it"))
        for each in self._found:
            if each.effect == "rebuild":
                self.waits[Step("make", each.address)][Step("remove", each.formerly or each.address)] = _Edge(_NEEDED, say("is rebuilt"))

    def part(self, before: Mapping[str, set[str]], older: Mapping[str, str]) -> None:
        """What is removed goes before what it needed, and after what stops using it; `before` is what each that runs needs."""
        for address, needs in before.items():
            now = older.get(address, address)
            for first in needs & self._gone:
                if address in self._gone:
                    self.waits[Step("remove", first)][Step("remove", address)] = _Edge(_NEEDED, say("is used by it"))
                elif first in self._removed and now in self._changed:
                    self.waits[Step("remove", first)][Step("change", now)] = _Edge(_LEFT, say("is used by it until then"))

    def exclude(self, rendering: Evaluated, snapshot: Snapshot) -> None:
        """What frees a name or a range goes before what takes it."""
        freed: dict[Any, tuple[Step, Sentence]] = {}
        taken: list[tuple[Any, Effect]] = []
        for each in self._found:
            there = each.formerly or each.address
            deployed, resource = snapshot.resources.get(there), rendering.resources.get(each.address)
            old = dict(_claims(deployed.type, deployed.properties)) if deployed is not None else {}
            new = dict(_claims(resource.type, resource.properties)) if resource is not None else {}
            if there in self._gone:
                freed |= {claim: (Step("remove", there), about) for claim, about in old.items()}
            elif each.address in self._changed:
                freed |= {claim: (Step("change", each.address), about) for claim, about in old.items() if claim not in new}
            if each.address in self._made or each.address in self._changed:
                taken += [(claim, each) for claim in new if each.address in self._made or claim not in old]
        below: dict[Any, list[Any]] = {}  # the ranges inside of each range, of those that are freed
        for claim in freed:
            for around in _around(claim):
                below.setdefault(around, []).append(claim)
        for claim, each in taken:
            own = self._deed(each.address)
            for met in (claim, *_around(claim), *below.get(claim, ())):
                if own is not None and met in freed and freed[met][0].address not in (each.address, each.formerly):
                    self.waits[own].setdefault(freed[met][0], _Edge(_TAKEN, say("takes {}", freed[met][1])))

    def _deed(self, address: str) -> Step | None:
        return Step("make", address) if address in self._made else Step("change", address) if address in self._changed else None


def _claims(kind: ResourceType | None, properties: Mapping[str, Any]) -> Iterator[tuple[Any, Sentence]]:
    """What nothing else of the type may have at the same time: the identity, and each range."""
    if kind is None:
        return
    key = identity_key(kind, properties)
    if key is not None:
        yield ("identity", key), say("{}", listed(say("`{}` {}", name, Value(properties[name])) for name in kind.identity))
    for name, _, found in ranges(kind, properties):
        yield ("range", kind.name, name, found), say("the range {}", Value(str(found)))


def _around(claim: Any) -> Iterator[Any]:
    """The wider ranges that a range is a part of."""
    if claim and claim[0] == "range":
        yield from ((*claim[:3], claim[3].supernet(new_prefix=length)) for length in range(claim[3].prefixlen))


def _impossible(waits: Mapping[Step, Mapping[Step, _Edge]], circling: Sequence[Step], label: str) -> Finding:
    """That steps wait for each other, and why each does."""
    stuck = set(circling)
    path = [circling[0]]
    while path.count(path[-1]) < 2:  # each that is stuck waits for one that is
        path.append(min((each for each in waits[path[-1]] if each in stuck), key=lambda step: (step.address, step.deed)))
    circle = path[path.index(path[-1]) :]
    edges = [(later, sooner, waits[later][sooner]) for later, sooner in pairwise(circle)]
    told = [
        say(
            "{} has to be {} after {} is {}, as it {}.",
            later.address,
            _DEEDS[later.deed],
            sooner.address,
            _DEEDS[sooner.deed],
            edge.because,
        )
        for later, sooner, edge in edges[:_CIRCLE]
    ]
    message = together(say("No order fits."), *told)
    must = all(edge.strength != _LEFT for *_, edge in edges)
    hint = say("Deploy twice: first with another name or range for one of them, or without what uses what is to go.")
    return Finding("order-impossible", "error" if must else "warning", message, None, hint, circle[0].address, "", (label,))


def _waves(waits: Mapping[Step, Mapping[Step, _Edge]], strength: int) -> tuple[list[tuple[Step, ...]], list[Step]]:
    texts = {f"{step.address}\0{step.deed}": step for step in waits}
    ordered, circling = rounds(
        {
            f"{step.address}\0{step.deed}": [f"{each.address}\0{each.deed}" for each, edge in firsts.items() if edge.strength <= strength]
            for step, firsts in waits.items()
        }
    )
    return [tuple(texts[text] for text in each) for each in ordered], [texts[text] for text in circling]
