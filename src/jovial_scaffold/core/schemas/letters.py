"""The letters that a pattern takes at all: a text that holds another one does not match it, whatever stands around it."""

import re
from typing import NamedTuple

from jovial_scaffold.core.regexes import regex

_CLASS = r"\[\^?(?:\\.|[^\]\\\[])+\]"
_TOKEN = regex(rf"(?P<letter>{_CLASS}|\\[^bBAzZ0-9pPkuUxQE]|[^\[\](){{}}|?*+.^$\\])|(?P<around>\(\?:|\(|\)|\||[?*+]|\{{\d*,?\d*\}})")


def letters_of(pattern: str) -> re.Pattern[str] | None:
    """What texts match that have no other letters than those that may stand in what a pattern matches from beginning to end; None where that
    is not told by looking at its letters: it leaves a part of the text alone, or has more in it than classes, groups and repetitions."""
    if not (pattern.startswith("^") and pattern.endswith("$") and not pattern.endswith("\\$")):
        return None
    at, depth, found = 1, 0, []
    while at < len(pattern) - 1:
        token = _TOKEN.match(pattern, at)
        if token is None or token.end() > len(pattern) - 1:
            return None
        around = token["around"]
        depth += (around or "").startswith("(") - (around == ")")
        if around == "|" and not depth:
            return None  # one side of which is not anchored
        if token["letter"]:
            found.append(token["letter"] if len(token["letter"]) > 1 else re.escape(token["letter"]))
        at = token.end()
    try:
        return re.compile(f"(?:{'|'.join(dict.fromkeys(found))})*", re.DOTALL)
    except re.error:
        return None


class Form(NamedTuple):
    """A pattern that says which letter comes first, and which ones after it: a text matches exactly if its letters do, and it is long enough."""

    first: re.Pattern[str]
    others: re.Pattern[str]
    least: int


_FORM = regex(rf"\^({_CLASS})?({_CLASS})([*+])\$")


def form_of(pattern: str) -> Form | None:
    """The form of a pattern such as `^[a-z][a-z0-9-]*$`; None for all that say more."""
    match = _FORM.fullmatch(pattern)
    if match is None or "\\" in pattern or "[^" in pattern:
        return None  # classes by name are not the same to all readers of patterns
    first, others, sign = match.groups()
    return Form(re.compile(first or others), re.compile(f"{others}*"), (first is not None) + (sign == "+"))
