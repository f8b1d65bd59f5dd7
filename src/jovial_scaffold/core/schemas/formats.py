"""The formats that JSON Schema's own vocabulary lacks: `cidr` and `address`. The others are the validator's."""

from collections.abc import Callable
from functools import lru_cache

from jovial_scaffold.core.regexes import regex

_SHAPE = regex(r"[0-9a-fA-F:.]+(?:/[0-9]{1,3})?\Z")


@lru_cache(maxsize=4096)
def _cidr(text: str) -> bool:
    """An IPv4 or IPv6 range in CIDR notation with no bits set after its prefix (RFC 4632, RFC 4291)."""
    import ipaddress

    if "/" not in text or not _SHAPE.match(text):
        return False
    try:
        ipaddress.ip_network(text)
    except ValueError:
        return False
    return True


def network_of(text: str) -> str:
    """The range that an address with a prefix length lies in; nothing where the text is none."""
    import ipaddress

    try:
        return str(ipaddress.ip_network(text, strict=False)) if "/" in text and _SHAPE.match(text) else ""
    except ValueError:
        return ""


@lru_cache(maxsize=4096)
def _address(text: str) -> bool:
    """An IPv4 or IPv6 address (RFC 791, RFC 4291)."""
    import ipaddress

    try:
        ipaddress.ip_address(text)
    except ValueError:
        return False
    return True


FORMATS: dict[str, Callable[[str], bool]] = {"cidr": _cidr, "address": _address}
