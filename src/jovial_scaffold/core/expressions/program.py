"""An expression that is ready to be evaluated many times: carefully at first, as generated code once it is hot."""

from collections.abc import Callable, Mapping
from typing import Any

from jovial_scaffold.core.expressions.closures import Closure, closure
from jovial_scaffold.core.expressions.errors import BudgetError, EvaluationError, StepsError
from jovial_scaffold.core.expressions.evaluation import evaluate
from jovial_scaffold.core.expressions.generation import Generated, generate, generate_standalone
from jovial_scaffold.core.expressions.parser import parse
from jovial_scaffold.core.expressions.references import Facts, Reference, facts
from jovial_scaffold.core.expressions.scopes import MapScope, Names, Scope
from jovial_scaffold.core.expressions.syntax import Call, Macro, Node
from jovial_scaffold.core.expressions.types import ANY, Type, settled, type_of_value
from jovial_scaffold.core.text.unknown import UNKNOWN

# Generating and compiling costs about as much as this many careful evaluations (benchmarks/expressions measures both).
HOT = 24


class Program:
    """A syntax tree with a count of its evaluations."""

    __slots__ = ("_closure", "_count", "_facts", "_generated", "_variables", "fast", "node")

    def __init__(self, node: Node) -> None:
        self.node = node
        self._count = 0
        self.fast: Generated | None = None  # set once the expression is hot, for places with the same `_variables`
        self._variables: frozenset[str] = frozenset()
        self._generated: dict[frozenset[str], Generated | None] = {}
        self._closure: Closure | None = None
        self._facts: Facts | None = None

    def __reduce__(self) -> tuple[type["Program"], tuple[Node]]:
        return Program, (self.node,)  # what was made of it is made anew elsewhere

    @property
    def facts(self) -> Facts:
        """What one walk over it finds, found once."""
        if self._facts is None:
            self._facts = facts(self.node)
        return self._facts

    @property
    def bound(self) -> list[tuple[str, Macro]]:
        """The macro variables that it introduces."""
        return self.facts.bound

    @property
    def own_calls(self) -> list[Call]:
        """Calls of what is no function of the language: those of a template, and unknown ones."""
        return self.facts.own_calls

    @property
    def reads(self) -> list[Reference]:
        """The names that it reads."""
        return self.facts.reads

    def quick(self, names: Names, variables: Mapping[str, Any]) -> Any:
        """The value, without a careful look: raises anything where it is not plain."""
        fast = self.fast
        if fast is not None and variables.keys() != self._variables:
            fast = self._generate(variables)  # the same text at another place, where a name means something else
        if fast is None:
            self._count += 1
            if self._count == HOT or (self._count == 1 and self.facts.nested):
                fast = self._generate(variables)
            if fast is None:
                if self._count == 1:
                    self._closure = closure(self.node)
                fast = self._closure
                if fast is None:
                    raise _NotQuick
        return fast(names, variables)

    def _generate(self, variables: Mapping[str, Any]) -> Generated | None:
        """Code for places where these names are variables: which ones are is written into it."""
        names = frozenset(variables)
        if names not in self._generated:
            self._generated[names] = generate(self.node, names)
        self.fast, self._variables = self._generated[names], names
        return self.fast

    def run(self, scope: Scope, variables: Mapping[str, Any]) -> Any:
        """The value, with `variables` before the scope's names. Raises EvaluationError with offsets in the expression's text."""
        try:
            return self.quick(scope.names, variables)
        except BudgetError as error:
            raise _over(error, self.node) from None
        except RecursionError:
            raise  # the careful evaluator would need more room still
        except Exception:  # whatever it is: the careful evaluator says what it means
            if self.fast is not None:
                return evaluate(self.node, scope, variables)
        try:
            return evaluate(self.node, scope, variables)
        except StepsError:
            # What is too much for the careful evaluator may be little for generated code.
            if self._count != 1 or self._generate(variables) is None:
                raise
        return self.run(scope, variables)


class _NotQuick(Exception):
    """The careful evaluator has to do it."""


class Expression:
    """A compiled expression. `evaluate(bindings)` gives its value for a map of names, or raises EvaluationError with `start` and `end`
    in the text. (It is an attribute, so that generated code can take its place.)"""

    __slots__ = ("_count", "_types", "evaluate", "node", "text")

    def __init__(self, text: str, types: Mapping[str, Type]) -> None:
        self.text = text
        self.node = parse(text)
        self._count = 0
        self._types = types
        self.evaluate: Callable[..., Any] = self._first

    def _first(self, bindings: Mapping[str, Any] | None = None) -> Any:
        self._count += 1
        if (self._count == HOT or (self._count == 1 and facts(self.node).nested)) and not any("." in name for name in bindings or ()):
            self.evaluate = generate_standalone(self.node, self._carefully) or self._carefully
            return self.evaluate(bindings)
        try:
            return self._carefully(bindings)
        except StepsError as error:
            quick = generate_standalone(self.node, self._carefully) if self._count == 1 else None
            if quick is None:
                raise error from None
            self.evaluate = quick
            return quick(bindings)

    def _carefully(self, bindings: Mapping[str, Any] | None = None, error: Exception | None = None) -> Any:
        if isinstance(error, BudgetError):
            raise _over(error, self.node) from None
        return evaluate(self.node, MapScope(bindings or {}))

    def check(self) -> tuple[Type, list[EvaluationError]]:
        """The type of the result for names of the types given to `compile_expression`, and the errors that would come about: one that is
        sure to, or those behind conditions that are not known."""
        from jovial_scaffold.core.expressions.checking import Checker

        checker = Checker(MapScope({name: settled(known) for name, known in self._types.items()}))
        try:
            result = checker.check(self.node, {})
        except EvaluationError as error:
            return ANY, [error]
        return (ANY if result is UNKNOWN else type_of_value(result)), checker.problems


def _over(error: BudgetError, node: Node) -> BudgetError:
    error.start, error.end = node.start, node.end
    return error


def compile_expression(text: str, types: Mapping[str, Type] | None = None) -> Expression:
    """An expression that can be evaluated many times. Raises SyntaxProblem with `start` and `end` in the text.

    `types` says what is known of names before their values are, for `check`; `schemas.types.type_of_schema` makes a type of a JSON Schema.

    Values in Python: int is `int`, uint is `values.UInt`, double is `float`, string is `str`, bytes is `bytes`, bool is `bool`, null
    is `None`, list is `list`, map is `dict` (boolean keys are `values.TRUE_KEY` and `FALSE_KEY`), timestamp and duration are
    `times.Timestamp` and `times.Duration` (with `nanos`), an optional is `values.Optional` or `values.NONE`, a type `values.TypeValue`.
    """
    return Expression(text, types or {})
