"""The letters that a pattern takes at all: a text that holds another one does not match it, whatever stands around it."""

import re

_CLASS = r"\[\^?(?:\\.|[^\]\\\[])+\]"
_TOKEN = re.compile(rf"(?P<letter>{_CLASS}|\\[^bBAzZ0-9pPkuUxQE]|[^\[\](){{}}|?*+.^$\\])|(?P<around>\(\?:|\(|\)|\||[?*+]|\{{\d*,?\d*\}})")


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
