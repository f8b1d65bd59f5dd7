"""What may be a secret in a file that nobody declared anything about: the words of keys by which people recognise one."""

import re
from collections.abc import Iterable
from dataclasses import replace

from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.text.source import Source
from jovial_scaffold.core.words import NOTHING

WORDS = ("password", "passphrase", "passwd", "secret", "token", "credential", "private", "api_key", "apikey")
SECRETIVE = re.compile("|".join(WORDS), re.IGNORECASE)


def discreet(source: Source, findings: Iterable[Finding], names: Iterable[str] = WORDS) -> list[Finding]:
    """Findings of a file that cannot be read, without the lines that a secret may stand in: what follows one of the names is hidden."""
    found = list(findings)
    lines = {each.span: source.line(each.span.line) for each in found if each.span}
    source.hide_after(names)
    return [replace(each, hint=NOTHING) if each.span and source.line(each.span.line) != lines[each.span] else each for each in found]
