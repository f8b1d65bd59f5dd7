"""Address ranges: `carve`, `within`, `overlaps`, for IPv4 and IPv6 in CIDR notation (RFC 4632, RFC 4291)."""

from functools import lru_cache
from typing import Any

from jovial_scaffold.core.expressions.errors import EvaluationError
from jovial_scaffold.core.words import Amount, Value, say


@lru_cache(maxsize=4096)
def network(text: str) -> Any:
    """The range that a text names. Raises EvaluationError for anything else, also for one with bits set after its prefix."""
    import ipaddress

    try:
        return ipaddress.ip_network(text, strict="/" in text)
    except ValueError as error:
        hint = (
            say("The range is {}.", str(ipaddress.ip_network(text, strict=False)))
            if "host bits" in str(error)
            else say("A range looks like 10.20.0.0/16.")
        )
        raise EvaluationError(say("{} is not an address range.", Value(text)), hint=hint, id="range-invalid") from None


def carve(cidr: str, new_prefix: int, index: int) -> str:
    """Block `index` of length `new_prefix` inside `cidr`."""
    whole = network(cidr)
    if not whole.prefixlen <= new_prefix <= whole.max_prefixlen:
        raise EvaluationError(
            say(
                "A /{} does not fit into {}: prefix lengths from {} to {} do.",
                new_prefix,
                Value(cidr),
                whole.prefixlen,
                whole.max_prefixlen,
            ),
            id="range-invalid",
        )
    count = 1 << (new_prefix - whole.prefixlen)
    if not 0 <= index < count:
        raise EvaluationError(
            say("{} holds {} blocks of /{}, and number {} is asked for.", Value(cidr), Amount(count), new_prefix, index),
            hint=say("Numbers start at 0."),
            id="range-invalid",
        )
    address = int(whole.network_address) + (index << (whole.max_prefixlen - new_prefix))
    return f"{type(whole.network_address)(address)}/{new_prefix}"


def within(inner: str, outer: str) -> bool:
    """Whether all of `inner` lies in `outer`."""
    a, b = network(inner), network(outer)
    return bool(a.version == b.version and a.subnet_of(b))


def overlaps(one: str, other: str) -> bool:
    """Whether the two share an address."""
    a, b = network(one), network(other)
    return bool(a.version == b.version and a.overlaps(b))
