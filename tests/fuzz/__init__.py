"""Fuzzers that know the structure of what they spoil: bounded and seeded in the tests, open-ended by hand (`python -m tests.fuzz`).

Each kind is a module with `attempt(chance)`: one case, which gives how far it came (`unusable`, `errors` or `clean`) and raises where a
promise does not hold.
"""

import importlib
import random
from collections.abc import Callable

from tests.fuzz import code

KINDS = (
    "projects",
    "secrets",
    "expressions",
    "trees",
    "commands",
    "endings",
    "imports",
    "drivers",
    "lists",
    "residuals",
    "yaml",
    "shapes",
    "static",
    "rules",
    "planted",
    "unused",
    "families",
    "moulds",
    "worlds",
    "reaching",
    "handing",
    "searching",
    "echoes",
    "copied",
    "causes",
    "renames",
    "impacts",
    "drift",
    "edges",
    "ripples",
    "proofs",
    "edits",
)


def attempt_of(kind: str) -> Callable[[random.Random], str]:
    """The function that tries one case of a kind."""
    attempt: Callable[[random.Random], str] = importlib.import_module(f"tests.fuzz.{kind}").attempt

    def with_code(chance: random.Random) -> str:
        """One case, in which shapes get code at once, as usual, or never; which of them leaves the case itself as it is."""
        state = chance.getstate()
        least = chance.choice((0, *code.USUAL, code.NEVER))
        chance.setstate(state)
        with code.code_from(least):
            return attempt(chance)

    return with_code
