"""Macros: loops over lists and maps, also over those that only the deployment can know (CEL language definition, "Macros").

`Loops` is the part of the evaluator that runs them; what it needs of the rest stands first in it.
"""

from collections.abc import Callable, Iterable, Mapping
from typing import Any

from jovial_scaffold.core.expressions import operators, residuals
from jovial_scaffold.core.expressions.errors import BudgetError, EvaluationError
from jovial_scaffold.core.expressions.library.extensions import sorted_list
from jovial_scaffold.core.expressions.pending import Pending
from jovial_scaffold.core.expressions.syntax import Macro, Node
from jovial_scaffold.core.expressions.values import NONE, Optional, Record, Secret, deep_marks, key_value, sorted_keys
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.words import Derived, Value, say

Locals = Mapping[str, Any]


class Loops:
    """The macros of one evaluation."""

    def __init__(self) -> None:
        self.bound = 0  #: variables of loops over what is pending that stand around

    def run(self, node: Node, names: Locals) -> Any:
        """The value of an expression."""
        raise NotImplementedError

    def logic(self, node: Node, operands: Any, decisive: bool) -> Any:
        """`||` (decisive true) and `&&` (decisive false) of what some calls give."""
        raise NotImplementedError

    def strict(
        self, node: Node, function: Callable[..., Any], arguments: list[Any], left: Callable[[list[Any]], Any], shallow: bool = False
    ) -> Any:
        """A function of operands without marks, and what is left of it where they have some."""
        raise NotImplementedError

    def put(self, result: dict[Any, Any], key: Any, value: Any, node: Node) -> None:
        """Give a map an entry."""
        raise NotImplementedError

    def left_of(self, write: Callable[..., Any], known: list[Any], bodies: Iterable[Node], names: Locals) -> Any:
        """What is left where only the deployment can know which of some expressions is evaluated, or how often."""
        values: list[Any] = []
        for body in bodies:
            try:
                value = self.run(body, names)
            except BudgetError:
                raise
            except EvaluationError as error:  # it may never be reached
                value = residuals.failed(error.id)
            if isinstance(value, Record):
                value = value.whole()
            if deep_marks(value)[2]:
                return UNKNOWN
            values.append(value)
        return write(*known, *values)

    def macro(self, node: Macro, names: Locals) -> Any:
        target = self.run(node.target, names)
        if node.name == "bind":
            return self.run(node.bodies[0], {**names, node.variables[0]: target})
        secret = False
        if type(target) is Secret:
            target, secret = target.value, True
        if target is UNKNOWN:
            return target
        if type(target) is Pending:
            return self.macro_over_pending(node, Secret(target) if secret else target, names)
        if not secret:
            return self.looped(node, target, names)
        try:
            result = self.looped(node, target, names)
        except EvaluationError as error:
            error.mask()
            raise
        return result if isinstance(result, Secret) or result is UNKNOWN else Secret(result)

    def macro_over_pending(self, node: Macro, target: Any, names: Locals) -> Any:
        """What is left of a macro over what is pending: its bodies, with its variables renamed by how deep they stand."""
        first = self.bound
        self.bound += len(node.variables)
        variables = [residuals.bound_variable(first + index) for index in range(len(node.variables))]
        try:
            return self.left_of(
                lambda *bodies: residuals.looped(node.name, target, variables, bodies),
                [],
                node.bodies,
                {**names, **dict(zip(node.variables, variables, strict=True))},
            )
        finally:
            self.bound = first

    def looped(self, node: Macro, target: Any, names: Locals) -> Any:
        """A macro over what it goes over, marks taken off."""
        if node.name in ("optMap", "optFlatMap"):
            return self.optional_macro(node, target, names)
        if isinstance(target, Record):
            target = target.whole()
        if type(target) not in (list, dict):
            raise placed(
                EvaluationError(
                    say("{}() goes over a list or map, and this is {}: {}.", node.name, Derived(operators.a_type(target)), Value(target)),
                    id="type-mismatch",
                ),
                node.target,
            )
        return _MACROS[node.name](self, node, target, names)

    def optional_macro(self, node: Macro, target: Any, names: Locals) -> Any:
        if type(target) is not Optional:
            raise placed(
                EvaluationError(say("{}() takes an optional, and this is {}.", node.name, Value(target)), id="type-mismatch"), node.target
            )
        if target is NONE:
            return NONE
        result = self.run(node.bodies[0], {**names, node.variables[0]: target.value})
        return Optional(result) if node.name == "optMap" else result

    def rounds(self, node: Macro, target: Any, names: Locals) -> Any:
        """The variables of each round: an item or key, or with two variables index and item, or key and value."""
        if len(node.variables) == 2:
            one, two = node.variables
            pairs = enumerate(target) if type(target) is list else ((key_value(key), target[key]) for key in sorted_keys(target))
            for first, second in pairs:
                yield {**names, one: first, two: second}
            return
        variable = node.variables[0]
        for item in target if type(target) is list else map(key_value, sorted_keys(target)):
            yield {**names, variable: item}

    def quantifier(self, node: Macro, target: Any, names: Locals) -> Any:
        body = node.bodies[0]
        return self.logic(
            body, (lambda scope=scope: self.run(body, scope) for scope in self.rounds(node, target, names)), node.name == "exists"
        )

    def exactly_one(self, node: Macro, target: Any, names: Locals) -> Any:
        tests = [self.run(node.bodies[0], scope) for scope in self.rounds(node, target, names)]
        one = residuals.bound_variable(self.bound)
        return self.decided(node, tests, lambda plain: plain.count(True) == 1, lambda: residuals.looped("exists_one", tests, [one], [one]))

    def decided(self, node: Macro, tests: list[Any], result: Callable[[list[Any]], Any], left: Callable[[], Any]) -> Any:
        """A result that needs every test: unknown, pending or secret where one of them is; `left` writes what is left of pending ones."""
        if any(test is UNKNOWN for test in tests):
            return UNKNOWN
        if any(is_pending(test) for test in tests):
            return left()
        secret = any(type(test) is Secret for test in tests)
        plain = [test.value if type(test) is Secret else test for test in tests]
        for test in plain:
            if type(test) is not bool:
                raise placed(not_boolean(Secret(test) if secret else test), node.bodies[0])
        made = result(plain)
        return Secret(made) if secret and type(made) is not Secret else made

    def kept_rounds(self, scopes: list[Any], tests: list[Any], body: Node, write: Callable[[list[tuple[Any, Any, Any]]], Any]) -> Any:
        """What is left of the rounds that their tests do not rule out: scope, test and value of each."""
        rounds = []
        for scope, test in zip(scopes, tests, strict=True):
            if test is not False:
                value = self.left_of(lambda value: value, [], [body], scope)
                if value is UNKNOWN:
                    return UNKNOWN
                rounds.append((scope, test, value))
        return write(rounds)

    def filter(self, node: Macro, target: Any, names: Locals) -> Any:
        scopes = list(self.rounds(node, target, names))
        tests = [self.run(node.bodies[0], scope) for scope in scopes]
        variable = node.variables[0]
        return self.decided(
            node,
            tests,
            lambda plain: [scope[variable] for scope, test in zip(scopes, plain, strict=True) if test],
            lambda: residuals.listed([(test, scope[variable]) for scope, test in zip(scopes, tests, strict=True) if test is not False]),
        )

    def transform(self, node: Macro, target: Any, names: Locals) -> Any:
        """map and transformList, with or without a condition before the result."""
        scopes = list(self.rounds(node, target, names))
        body = node.bodies[-1]
        if len(node.bodies) == 1:
            return operators.weighed([self.run(body, scope) for scope in scopes])
        tests = [self.run(node.bodies[0], scope) for scope in scopes]

        def left() -> Any:
            return self.kept_rounds(scopes, tests, body, lambda rounds: residuals.listed([(test, value) for _, test, value in rounds]))

        return self.decided(
            node, tests, lambda plain: [self.run(body, scope) for scope, test in zip(scopes, plain, strict=True) if test], left
        )

    def transform_map(self, node: Macro, target: Any, names: Locals) -> Any:
        scopes = list(self.rounds(node, target, names))
        body = node.bodies[-1]
        entry = node.name == "transformMapEntry"
        tests = [self.run(node.bodies[0], scope) for scope in scopes] if len(node.bodies) == 2 else [True] * len(scopes)

        def left() -> Any:
            name = node.variables[0]
            return self.kept_rounds(
                scopes, tests, body, lambda rounds: residuals.mapped([(test, scope[name], value) for scope, test, value in rounds])
            )

        def build(plain: list[Any]) -> Any:
            result: dict[Any, Any] = {}
            secret = False
            values = [(scope, self.run(body, scope)) for scope, test in zip(scopes, plain, strict=True) if test]
            if entry and any(value is UNKNOWN for _, value in values):
                return UNKNOWN
            if entry and any(is_pending(value) for _, value in values):
                return residuals.called("transformMapEntry", [value for _, value in values], False)
            for scope, value in values:
                if entry and type(value) is Secret:  # which entries the map has is secret then
                    secret, value = True, value.value
                for key, item in value.items() if entry and type(value) is dict else ((scope[node.variables[0]], value),):
                    try:
                        self.put(result, key_value(key), item, body)
                    except EvaluationError as error:
                        if secret:
                            error.mask()
                        raise
            return Secret(result) if secret else result

        return self.decided(node, tests, build, left)

    def sort_by(self, node: Macro, target: Any, names: Locals) -> Any:
        scopes = list(self.rounds(node, target, names))
        keys = [self.run(node.bodies[0], scope) for scope in scopes]
        items = [scope[node.variables[0]] for scope in scopes]

        def ordered(plain: list[Any]) -> list[Any]:
            sorted_list(plain)  # says which keys cannot be ordered
            return [items[index] for index in sorted(range(len(items)), key=lambda index: plain[index])]

        return self.strict(node, ordered, [keys], lambda kept: residuals.called("sortBy", [items, *kept], True))


_MACROS: dict[str, Callable[[Loops, Macro, Any, Locals], Any]] = {
    "all": Loops.quantifier,
    "exists": Loops.quantifier,
    "exists_one": Loops.exactly_one,
    "existsOne": Loops.exactly_one,
    "filter": Loops.filter,
    "map": Loops.transform,
    "transformList": Loops.transform,
    "transformMap": Loops.transform_map,
    "transformMapEntry": Loops.transform_map,
    "sortBy": Loops.sort_by,
}


def placed(error: EvaluationError, node: Node) -> EvaluationError:
    """The error, at the node where it has no place yet."""
    if error.start < 0:
        error.start, error.end = node.start, node.end
    return error


def is_pending(value: Any) -> bool:
    """Whether a value is pending, or a secret that is."""
    return type(value) is Pending or (type(value) is Secret and type(value.value) is Pending)


def not_boolean(value: Any) -> EvaluationError:
    """The error of a condition that is none."""
    return EvaluationError(
        say("A condition is true or false, and this is {}: {}.", Derived(operators.a_type(value)), Value(value)), id="type-mismatch"
    )
