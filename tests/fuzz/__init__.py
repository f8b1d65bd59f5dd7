"""Fuzzers that know the structure of what they spoil: bounded and seeded in the tests, open-ended by hand (`python -m tests.fuzz`).

Each kind is a module with `attempt(chance)`: one case, which gives how far it came (`unusable`, `errors` or `clean`) and raises where a
promise does not hold.
"""

import importlib
import random
from collections.abc import Callable

KINDS = ("projects", "secrets", "expressions", "trees", "commands", "endings", "imports", "drivers", "residuals", "yaml")


def attempt_of(kind: str) -> Callable[[random.Random], str]:
    """The function that tries one case of a kind."""
    attempt: Callable[[random.Random], str] = importlib.import_module(f"tests.fuzz.{kind}").attempt
    return attempt
