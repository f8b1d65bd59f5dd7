"""An expression that is ready to be evaluated many times: carefully at first, as generated code once it is hot."""

from collections.abc import Callable, Mapping
from typing import Any

from jovial_scaffold.core.expressions.closures import Closure, closure
from jovial_scaffold.core.expressions.errors import BudgetError, EvaluationError, StepsError
from jovial_scaffold.core.expressions.evaluation import evaluate
from jovial_scaffold.core.expressions.generation import generate_standalone
from jovial_scaffold.core.expressions.parser import parse
from jovial_scaffold.core.expressions.references import Facts, Reference, facts
from jovial_scaffold.core.expressions.scopes import MapScope, Names, Scope
from jovial_scaffold.core.expressions.shapes import Constants, Shape
from jovial_scaffold.core.expressions.syntax import Call, Macro, Node
from jovial_scaffold.core.expressions.types import ANY, Type, settled, type_of_value
from jovial_scaffold.core.text.unknown import UNKNOWN

# Generating and compiling costs about as much as this many careful evaluations (benchmarks/expressions measures both).
HOT = 24


class Program:
    """An expression: its shape, the constants that are its own, and its syntax tree once somebody asks for it."""

    __slots__ = ("_closure", "_node", "_own_facts", "_text", "constants", "shape")

    def __init__(self, node: Node | None, shape: Shape | None = None, constants: Constants = (), text: str = "") -> None:
        if shape is None:
            assert node is not None
            shape = Shape(node)
        self.shape = shape
        self.constants = constants
        self._node = node
        self._text = text
        self._own_facts: Facts | None = None
        self._closure: Closure | bool | None = False  # which is made where it is first needed

    def __reduce__(self) -> tuple[type["Program"], tuple[Node]]:
        return Program, (self.node,)  # what was made of it is made anew elsewhere

    @property
    def node(self) -> Node:
        """Its syntax tree."""
        if self._node is None:
            self._node = parse(self._text)
        return self._node

    @property
    def names(self) -> frozenset[str]:
        """The names that it reads."""
        return self.shape.names(self.constants)

    @property
    def read_names(self) -> list[str]:
        """The names that it reads, in the order of the text, as often as they stand there."""
        return [self.constants[name] if isinstance(name, int) else name for name, _ in self.shape.reading]

    @property
    def steps(self) -> frozenset[tuple[str, str]]:
        """Each name that it reads, with the first field read from it, or nothing."""
        return self.shape.steps(self.constants)

    @property
    def only_read(self) -> tuple[str, str] | None:
        """The name and the field, where it does nothing but read a field of a name; its syntax tree is not needed for that."""
        read = self.shape.only_read
        if read is None:
            return None
        name, field = read
        return (self.constants[name] if isinstance(name, int) else name), field

    @property
    def is_simple(self) -> bool:
        """Whether it introduces no variables and calls nothing but functions of the language."""
        return not self.shape.facts.bound and not self.shape.facts.own_calls

    @property
    def bound(self) -> list[tuple[str, Macro]]:
        """The macro variables that it introduces."""
        return self._facts.bound if self.shape.facts.bound else []

    @property
    def own_calls(self) -> list[Call]:
        """Calls of what is no function of the language: those of a template, and unknown ones."""
        return self._facts.own_calls if self.shape.facts.own_calls else []

    @property
    def reads(self) -> list[Reference]:
        """The uses of names that it does not bind itself, in the order of the text."""
        return self._facts.reads if self.shape.facts.reads else []

    @property
    def _facts(self) -> Facts:
        """With places, which are its own."""
        if not self.shape.holes:
            return self.shape.facts
        if self._own_facts is None:
            self._own_facts = facts(self.node)
        return self._own_facts

    def quick(self, names: Names, variables: Mapping[str, Any]) -> Any:
        """The value, without a careful look: raises anything where it is not plain."""
        shape = self.shape
        fast = shape.fast
        if fast is not None and variables.keys() != shape.variables:
            fast = shape.generate(variables)  # the same text at another place, where a name means something else
        if fast is None:
            shape.count += 1
            if shape.count == HOT or (shape.count == 1 and shape.facts.nested):
                fast = shape.generate(variables)
        # A resource may be hidden by a variable of its name, which is then none of its constants.
        if fast is None or (variables and not variables.keys().isdisjoint(self.constants)):
            if self._closure is False:
                self._closure = closure(self.node)
            if not self._closure:
                raise _NotQuick
            return self._closure(names, variables)  # type: ignore[operator]  # it is a closure
        return fast(names, variables, self.constants)

    def run(self, scope: Scope, variables: Mapping[str, Any]) -> Any:
        """The value, with `variables` before the scope's names. Raises EvaluationError with offsets in the expression's text."""
        try:
            return self.quick(scope.names, variables)
        except BudgetError as error:
            raise _over(error, self.node) from None
        except RecursionError:
            raise  # the careful evaluator would need more room still
        except Exception:  # whatever it is: the careful evaluator says what it means
            if self.shape.fast is not None:
                return evaluate(self.node, scope, variables)
        try:
            return evaluate(self.node, scope, variables)
        except StepsError:
            # What is too much for the careful evaluator may be little for generated code.
            if self.shape.generate(variables) is None:
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
