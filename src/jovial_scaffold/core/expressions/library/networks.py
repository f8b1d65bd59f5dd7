"""Address ranges: `carve`, `within`, `overlaps`, for IPv4 and IPv6 in CIDR notation (RFC 4632, RFC 4291)."""

from functools import lru_cache
from typing import Any

from jovial_scaffold.core.expressions.errors import EvaluationError


@lru_cache(maxsize=4096)
def network(text: str) -> Any:
    """The range that a text names. Raises EvaluationError for anything else, also for one with bits set after its prefix."""
    import ipaddress

    try:
        return ipaddress.ip_network(text, strict="/" in text)
    except ValueError as error:
        hint = (
            f"The range is {ipaddress.ip_network(text, strict=False)}." if "host bits" in str(error) else "A range looks like 10.20.0.0/16."
        )
        raise EvaluationError("{} is not an address range.", text, hint=hint, id="range-invalid") from None


def carve(cidr: str, new_prefix: int, index: int) -> str:
    """Block `index` of length `new_prefix` inside `cidr`."""
    whole = network(cidr)
    if not whole.prefixlen <= new_prefix <= whole.max_prefixlen:
        raise EvaluationError(
            f"A /{new_prefix} does not fit into {{}}: prefix lengths from {whole.prefixlen} to {whole.max_prefixlen} do.",
            cidr,
            id="range-invalid",
        )
    count = 1 << (new_prefix - whole.prefixlen)
    if not 0 <= index < count:
        raise EvaluationError(
            f"{{}} holds {count:,} blocks of /{new_prefix}, and number {index} is asked for.",
            cidr,
            hint="Numbers start at 0.",
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
