"""From "comes after" to rounds: groups of addresses, each of which needs only those before it."""

from collections.abc import Collection, Mapping

from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.rendering.rendering import Evaluated
from jovial_scaffold.core.words import listed, say


def rounds(after: Mapping[str, Collection[str]]) -> tuple[list[list[str]], list[str]]:
    """Rounds in order, each sorted, and the addresses that go in circles or wait for such. What is not a key of `after` is ignored."""
    known = after.keys()
    remaining = {address: set(firsts) & known for address, firsts in after.items()}
    waiting: dict[str, list[str]] = {}
    for address, firsts in remaining.items():
        for first in firsts:
            waiting.setdefault(first, []).append(address)
    ready = sorted(address for address, firsts in remaining.items() if not firsts)
    ordered: list[list[str]] = []
    while ready:
        ordered.append(ready)
        following = []
        for address in ready:
            del remaining[address]
            for waiter in waiting.get(address, ()):
                remaining[waiter].discard(address)
                if not remaining[waiter]:
                    following.append(waiter)
        ready = sorted(following)
    return ordered, sorted(remaining)


class Orders:
    """What came of the last order that was asked for: environments seldom differ in what comes after what."""

    def __init__(self) -> None:
        self._after: Mapping[str, Collection[str]] | None = None
        self._found: tuple[list[list[str]], list[str]] = [], []

    def of(self, after: Mapping[str, Collection[str]]) -> tuple[list[list[str]], list[str]]:
        """What `rounds` gives."""
        if after != self._after:
            self._after, self._found = after, rounds(after)
        return self._found


def put_in_order(rendering: Evaluated, orders: Orders) -> list[Finding]:
    """Bring the resources into deployment order, and report items of loops that wait for each other."""
    ordered, circling = orders.of({address: each.after for address, each in rendering.resources.items()})
    rendering.rounds = [list(each) for each in ordered]
    order = [address for each in rendering.rounds for address in each] + circling
    rendering.resources = {address: rendering.resources[address] for address in order}
    stuck = [rendering.resources[address].instance for address in circling]
    if not stuck or any(each.resource.name in each.scope.plan.cycles[1] for each in stuck):
        return []
    first = stuck[0]
    names = listed(each.address for each in stuck[:8])
    same = all(each.resource is first.resource and each.scope is first.scope for each in stuck)
    what = say("Items of `{}`", first.resource.name) if same else "These resources"
    message = say("{} wait for each other in a circle: {}.", what, names)
    span = first.resource.origin.key_span()
    return [
        Finding(
            "resource-cycle",
            "error",
            message,
            span,
            say("Let each item read only items before it.") if same else say("Take one of the references out."),
            first.address,
            "",
            (rendering.label,),
            first.scope.chain(),
        )
    ]
