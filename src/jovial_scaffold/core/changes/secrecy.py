"""Secrets on two sides of a change: what is secret on one shows on neither."""

from typing import Any

from jovial_scaffold.core.changes.effect_records import MISSING
from jovial_scaffold.core.expressions.pending import Pending, holds_secret
from jovial_scaffold.core.expressions.values import Secret


def as_secret(was: Any, becomes: Any) -> Any:
    """What runs, secret where the rendering is: then both are compared by what stands for them, and neither shows."""
    if isinstance(becomes, Secret) or (isinstance(becomes, Pending) and holds_secret(becomes)):
        return was if isinstance(was, Secret | Pending) else Secret(was)
    if isinstance(was, dict) and isinstance(becomes, dict):
        return {key: as_secret(item, becomes.get(key)) for key, item in was.items()}
    if isinstance(was, list) and isinstance(becomes, list) and len(was) == len(becomes):
        return [as_secret(item, other) for item, other in zip(was, becomes, strict=True)]
    return was


def covered(value: Any, other: Any) -> Any:
    """The value, secret where what stands in its place on the other side is."""
    if isinstance(value, Secret) or value is MISSING:
        return value
    if isinstance(other, Secret):
        return Secret(value)
    if isinstance(value, dict) and isinstance(other, dict):
        return {key: covered(item, other.get(key)) for key, item in value.items()}
    return value


def unseen_left_out(then: Any, now: Any) -> Any:
    """The value without secrets that the snapshot does not have: a cloud never gives them back, so nothing is said about them."""
    if not isinstance(then, dict) or not isinstance(now, dict):
        return then
    found = {}
    for key, item in then.items():
        if key in now:
            found[key] = unseen_left_out(item, now[key])
        elif isinstance(item, dict) and item:
            rest = unseen_left_out(item, {})
            if rest:
                found[key] = rest
        elif not isinstance(item, Secret):
            found[key] = item
    return found
