"""Patterns over addresses, types and properties: `*` for any text and `?` for any character, and nothing else."""

import re
from functools import lru_cache


@lru_cache(maxsize=256)
def pattern(text: str) -> re.Pattern[str]:
    """A pattern that matches whole texts."""
    return re.compile("".join(".*" if char == "*" else "." if char == "?" else re.escape(char) for char in text) + r"\Z", re.DOTALL)
