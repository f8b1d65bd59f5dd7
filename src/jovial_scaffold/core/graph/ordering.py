"""From "comes after" to waves: groups of addresses, each of which needs only those before it."""

from collections.abc import Collection, Mapping


def waves(after: Mapping[str, Collection[str]]) -> tuple[list[list[str]], list[str]]:
    """Waves in order, each sorted, and the addresses that go in circles or wait for such. What is not a key of `after` is ignored."""
    remaining = {address: {first for first in firsts if first in after} for address, firsts in after.items()}
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
