"""The kinds of values in words, and the name among many that was probably meant."""

from collections.abc import Iterable
from typing import Any

_KINDS = (
    (bool, "a boolean"),
    (int, "an integer"),
    (float, "a number"),
    (str, "text"),
    (list, "a list"),
    (dict, "a map"),
    (type(None), "null"),
)


def kind(value: Any) -> str:
    """`an integer`, `text`, `a map`: what a value is, with its article."""
    return next((name for type_, name in _KINDS if isinstance(value, type_)), "a value")


def near(name: str, known: Iterable[str]) -> str:
    """The known name that was probably meant, or nothing."""
    import difflib

    candidates = [candidate for candidate in known if candidate != name]
    folded = {candidate.casefold().replace("-", "_"): candidate for candidate in reversed(candidates)}
    same = folded.get(name.casefold().replace("-", "_"))
    if same:
        return same
    found = difflib.get_close_matches(name, candidates, 1, 0.7)
    return found[0] if found else ""
