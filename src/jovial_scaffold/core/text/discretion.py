"""Findings of files that may hold secrets: where something stands that is not to be shown, only the sentence without its operands is."""

import json
import re
from collections.abc import Iterable

from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.records import replace
from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.text.source import Source, value_at
from jovial_scaffold.core.words import NOTHING

# Words of keys by which people recognise a secret that nobody declared.
SECRETIVE = regex("password|passphrase|passwd|secret|token|credential|private|api_?key", re.IGNORECASE)


_SHORT = 3  # characters of a text that may stand by chance in another one


def secret_texts(sources: Iterable[Source]) -> re.Pattern[str] | None:
    """A pattern of all texts that some files hide, in the ways in which a notation may write them; None where there are none. A short one is only
    found as a word of its own."""
    found: set[str] = set()
    for source in sources:
        for pointer in source.hidden_pointers:
            waiting = [value_at(source.value, pointer, None)]
            while waiting:
                value = waiting.pop()
                if isinstance(value, dict) and value.keys() != {"$secret"}:
                    waiting += value.values()
                elif isinstance(value, list):
                    waiting += value
                elif (isinstance(value, str) and value.strip()) or (type(value) in (int, float) and len(str(value)) >= _SHORT):
                    found |= {each.strip() for line in str(value).splitlines() for each in _ways(line) if each.strip()}
    if not found:
        return None
    parts = [
        re.escape(each) if len(each) > _SHORT else rf"(?<![\w-]){re.escape(each)}(?![\w-])" for each in sorted(found, key=len, reverse=True)
    ]
    return re.compile("|".join(parts))


def _ways(text: str) -> Iterable[str]:
    return text, json.dumps(text)[1:-1], json.dumps(text, ensure_ascii=False)[1:-1], text.replace("'", "''")


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
