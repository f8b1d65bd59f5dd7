"""A syntax tree to nested Python functions: cheaper to make than generated code, and quicker to run than the careful evaluator.

For expressions without loops, which most are: each is evaluated a few times only. As generated code does, a closure gives the right
value or raises: it knows plain values only, and leaves marks, absorbed errors and the place of an error to the careful evaluator.
"""

from collections.abc import Callable
from typing import Any

from jovial_scaffold.core.expressions import fast
from jovial_scaffold.core.expressions.functions import FUNCTIONS
from jovial_scaffold.core.expressions.operators import BINARY, weighed
from jovial_scaffold.core.expressions.syntax import (
    Call,
    Conditional,
    Index,
    ListLiteral,
    Literal,
    MapLiteral,
    Name,
    Node,
    Operation,
    Select,
)

Closure = Callable[[Any, Any], Any]
_PLAIN = frozenset((str, int, bool, float, type(None)))
_LEFT_OUT = frozenset(("type", "dyn"))


def closure(node: Node) -> Closure | None:
    """A function of names and variables; None for forms that are left to others."""
    make = _MAKE.get(type(node))
    return make(node) if make else None


def _literal(node: Literal) -> Closure | None:
    value = node.value
    return (lambda names, variables: value) if type(value) in _PLAIN else None


def _name(node: Name) -> Closure:
    name = node.name
    return lambda names, variables: variables[name] if name in variables else names[name]


def _select(node: Select) -> Closure | None:
    operand, field = closure(node.operand), node.field
    if operand is None:
        return None
    if node.optional:
        return lambda names, variables: fast.optional_field(operand(names, variables), field)
    return lambda names, variables: operand(names, variables)[field]


def _index(node: Index) -> Closure | None:
    operand, key = closure(node.operand), closure(node.index)
    if operand is None or key is None or node.optional:
        return None
    return lambda names, variables: fast.index(operand(names, variables), key(names, variables))


def _operation(node: Operation) -> Closure | None:
    operator = node.operator
    if len(node.operands) != 2:
        return None
    left, right = closure(node.operands[0]), closure(node.operands[1])
    if left is None or right is None:
        return None
    if operator == "&&":
        return lambda names, variables: _boolean(left(names, variables)) and _boolean(right(names, variables))
    if operator == "||":
        return lambda names, variables: _boolean(left(names, variables)) or _boolean(right(names, variables))
    run = _OPERATORS.get(operator) or BINARY.get(operator)
    return (lambda names, variables: run(left(names, variables), right(names, variables))) if run else None


def _boolean(value: Any) -> bool:
    if value is True or value is False:
        return bool(value)
    raise TypeError(value)


_OPERATORS: dict[str, Callable[[Any, Any], Any]] = {"==": fast.equals, "!=": fast.differs, "in": fast.contains, **fast.ORDER}


def _conditional(node: Conditional) -> Closure | None:
    condition, then, otherwise = closure(node.condition), closure(node.then), closure(node.otherwise)
    if condition is None or then is None or otherwise is None:
        return None
    return lambda names, variables: then(names, variables) if _boolean(condition(names, variables)) else otherwise(names, variables)


def _call(node: Call) -> Closure | None:
    function = FUNCTIONS.get((node.function, node.target is not None))
    operands = [closure(each) for each in ((node.target,) if node.target is not None else ()) + node.arguments]
    if function is None or node.function in _LEFT_OUT or any(each is None for each in operands):
        return None
    run = fast.DIRECT.get((node.function, node.target is not None, len(operands))) or fast.dispatcher(function)
    made = [each for each in operands if each is not None]
    return lambda names, variables: run(*[each(names, variables) for each in made])


def _list(node: ListLiteral) -> Closure | None:
    items = [closure(item) for item in node.items]
    if any(node.optional) or any(item is None for item in items):
        return None
    made = [item for item in items if item is not None]
    return lambda names, variables: weighed([item(names, variables) for item in made])


def _map(node: MapLiteral) -> Closure | None:
    keys = [key.value if isinstance(key, Literal) and type(key.value) is str else None for key in node.keys]
    values = [closure(value) for value in node.values]
    if any(node.optional) or None in keys or len(set(keys)) != len(keys) or any(value is None for value in values):
        return None
    made = [(key, value) for key, value in zip(keys, values, strict=True) if value is not None]
    return lambda names, variables: weighed({key: value(names, variables) for key, value in made})


_MAKE: dict[type, Callable[[Any], Closure | None]] = {
    Literal: _literal,
    Name: _name,
    Select: _select,
    Index: _index,
    Operation: _operation,
    Conditional: _conditional,
    Call: _call,
    ListLiteral: _list,
    MapLiteral: _map,
}
