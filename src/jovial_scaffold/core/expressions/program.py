"""An expression that is ready to be evaluated many times: carefully at first, as generated code once it is hot."""

from collections.abc import Callable, Mapping
from typing import Any

from jovial_scaffold.core.expressions.errors import BudgetError
from jovial_scaffold.core.expressions.evaluation import MapScope, Scope, evaluate
from jovial_scaffold.core.expressions.generation import Generated, generate, generate_standalone
from jovial_scaffold.core.expressions.parser import parse
from jovial_scaffold.core.expressions.syntax import Macro, Node, children

# Generating and compiling costs about as much as this many careful evaluations (benchmarks/expressions measures both).
HOT = 24


class Program:
    """A syntax tree with a count of its evaluations."""

    __slots__ = ("_count", "_fast", "node")

    def __init__(self, node: Node) -> None:
        self.node = node
        self._count = 0
        self._fast: Generated | None = None

    def run(self, scope: Scope, variables: Mapping[str, Any]) -> Any:
        """The value, with `variables` before the scope's names. Raises EvaluationError with offsets in the expression's text."""
        fast = self._fast
        if fast is None:
            self._count += 1
            if self._count == HOT or (self._count == 1 and loops(self.node)):
                fast = self._fast = generate(self.node, frozenset(variables))
            if fast is None:
                return evaluate(self.node, scope, variables)
        try:
            return fast(scope.names, variables)
        except BudgetError as error:
            raise _over(error, self.node) from None
        except Exception:  # whatever it is: the careful evaluator says what it means
            return evaluate(self.node, scope, variables)


class Expression:
    """A compiled expression. `evaluate(bindings)` gives its value for a map of names, or raises EvaluationError with `start` and `end`
    in the text. (It is an attribute, so that generated code can take its place.)"""

    __slots__ = ("_count", "evaluate", "node", "text")

    def __init__(self, text: str) -> None:
        self.text = text
        self.node = parse(text)
        self._count = 0
        self.evaluate: Callable[[Mapping[str, Any]], Any] = self._first

    def _first(self, bindings: Mapping[str, Any]) -> Any:
        self._count += 1
        if (self._count == HOT or (self._count == 1 and loops(self.node))) and not any("." in name for name in bindings):
            self.evaluate = generate_standalone(self.node, self._carefully) or self._carefully
            return self.evaluate(bindings)
        return self._carefully(bindings)

    def _carefully(self, bindings: Mapping[str, Any], error: Exception | None = None) -> Any:
        if isinstance(error, BudgetError):
            raise _over(error, self.node) from None
        return evaluate(self.node, MapScope(bindings))


def loops(node: Node) -> bool:
    """Whether an expression goes over lists or maps: it may do so often, and is worth generated code from the first time on."""
    stack = [node]
    while stack:
        current = stack.pop()
        if isinstance(current, Macro) and current.name != "bind":
            return True
        stack.extend(children(current))
    return False


def _over(error: BudgetError, node: Node) -> BudgetError:
    error.start, error.end = node.start, node.end
    return error


def compile_expression(text: str) -> Expression:
    """An expression that can be evaluated many times. Raises SyntaxProblem with `start` and `end` in the text.

    Values in Python: int is `int`, uint is `values.UInt`, double is `float`, string is `str`, bytes is `bytes`, bool is `bool`, null
    is `None`, list is `list`, map is `dict` (boolean keys are `values.TRUE_KEY` and `FALSE_KEY`), timestamp and duration are
    `times.Timestamp` and `times.Duration` (with `nanos`), an optional is `values.Optional` or `values.NONE`, a type `values.TypeValue`.
    """
    return Expression(text)
