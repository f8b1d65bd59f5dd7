"""Findings of files that may hold secrets: where something stands that is not to be shown, only the sentence without its operands is."""

import re
from collections.abc import Iterable

from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.records import replace
from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.text.source import Source
from jovial_scaffold.core.words import NOTHING

# Words of keys by which people recognise a secret that nobody declared.
SECRETIVE = regex("password|passphrase|passwd|secret|token|credential|private|api_?key", re.IGNORECASE)


def discreet(source: Source, findings: Iterable[Finding], unreadable: bool = False) -> list[Finding]:
    """What a reader says of a file: of lines with something hidden, without what it read there. In a file that cannot be read, or that
    somebody knows nothing of, that is everything."""
    if source.broken or unreadable:
        source.hide_all()
    return [
        replace(each, message=each.message.masked_whole(), hint=NOTHING)
        if each.span and each.span.file == source.name and source.hides(each.span)
        else each
        for each in findings
    ]
