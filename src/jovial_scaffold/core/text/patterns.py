"""Patterns over addresses, types and properties: `*` for any text and `?` for any character, and nothing else."""

import re
from functools import lru_cache
from typing import Any


@lru_cache(maxsize=256)
def pattern(text: str) -> re.Pattern[str]:
    """A pattern that matches whole texts."""
    return re.compile("".join(".*" if char == "*" else "." if char == "?" else re.escape(char) for char in text) + r"\Z", re.DOTALL)


@lru_cache(maxsize=256)
def folder_pattern(text: str) -> re.Pattern[str]:
    """A pattern that matches whole paths; in it, `*` and `?` stand for what is in one folder."""
    return re.compile("".join("[^/]*" if char == "*" else "[^/]" if char == "?" else re.escape(char) for char in text) + r"\Z", re.DOTALL)


def linear_pattern(text: str) -> Any:
    """A regular expression that is matched in linear time (RE2), whatever a foreign file says. Raises ValueError where it is none."""
    import re2

    module: Any = re2  # it has no types
    options = module.Options()
    options.log_errors = False
    try:
        return module.compile(text, options=options)
    except module.error:
        raise ValueError from None
