"""The kinds of values in words."""

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
