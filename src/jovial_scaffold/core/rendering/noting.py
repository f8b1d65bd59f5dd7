"""The names that an expression looks up when it is evaluated: what stands behind a condition that does not hold is none of them."""

from collections.abc import Mapping
from typing import Any

from jovial_scaffold.core.expressions.errors import EvaluationError
from jovial_scaffold.core.expressions.evaluation import evaluate
from jovial_scaffold.core.expressions.scopes import LookupScope, OwnFunction, Scope
from jovial_scaffold.core.expressions.syntax import Node


class _Noting(LookupScope):
    """A scope that notes what it is asked for."""

    def __init__(self, below: Scope) -> None:
        self._below = below
        self.meter = getattr(below, "meter", None)  # what is done here counts as what is done there
        self.asked: set[str] = set()

    def value(self, name: str) -> Any:
        """The value of a name. Raises EvaluationError."""
        self.asked.add(name)
        return self._below.value(name)

    def function(self, name: str) -> OwnFunction | None:
        """A function of the scope below."""
        return self._below.function(name)


def names_looked_up(node: Node, scope: Scope, variables: Mapping[str, Any]) -> set[str] | None:
    """The names that the value of an expression was computed from, without its variables; None where it has no value."""
    noting = _Noting(scope)
    try:
        evaluate(node, noting, variables)
    except EvaluationError:
        return None
    return noting.asked
