"""The formats that JSON Schema's own vocabulary lacks, `cidr` and `address`, and what all of them are called. The others are the validator's."""

from collections.abc import Callable
from functools import lru_cache

from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.words import NOTHING, Operand, Sentence, say

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

_FORMAT_WORDS: dict[str, tuple[Operand, Sentence]] = {
    "cidr": ("an address range", say("A range looks like 10.20.0.0/16.")),
    "address": ("an address", say("An address looks like 10.20.0.5.")),
    "date-time": ("a date and time", say("It looks like 2026-11-23T06:20:00Z.")),
    "date": ("a date", say("It looks like 2026-11-23.")),
    "uri": ("a URI", say("It looks like https://ridgeline.example/timetable.")),
    "email": ("an e-mail address", say("It looks like desk@ridgeline.example.")),
    "hostname": ("a host name", say("It looks like timetable.ridgeline.example.")),
    "uuid": ("a UUID", NOTHING),
    "duration": ("a duration", say("It looks like P30D or PT15M.")),
}


def format_words(name: str) -> tuple[Operand, Sentence]:
    """What texts of a format are called, and what one looks like."""
    return _FORMAT_WORDS.get(name, (say("text of the format {}", name), NOTHING))
