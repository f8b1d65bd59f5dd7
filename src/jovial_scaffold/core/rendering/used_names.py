"""Which names an expression read when it was evaluated: of what is chosen, the side that was taken; of what is indexed, the item."""

from collections.abc import Iterator, Mapping
from typing import Any

from jovial_scaffold.core.expressions.errors import EvaluationError
from jovial_scaffold.core.expressions.evaluation import evaluate
from jovial_scaffold.core.expressions.syntax import Call, Conditional, Has, Index, Literal, Macro, MapLiteral, Name, Node, Select, children
from jovial_scaffold.core.expressions.values import NONE, Optional
from jovial_scaffold.core.rendering.instances import Surroundings
from jovial_scaffold.core.text.source import Pointer


def evaluated(node: Node, scope: Surroundings, variables: Mapping[str, Any], otherwise: Any = None) -> Any:
    """The value of an expression, or something else where it has none."""
    try:
        return evaluate(node, scope, variables)
    except EvaluationError:
        return otherwise


def used_names(
    node: Node, rest: Pointer, scope: Surroundings, variables: Mapping[str, Any], bound: frozenset[str]
) -> Iterator[tuple[str, Pointer, bool]]:
    """Names with the paths that were read from them, and calls; indexes that are computed are followed to the item they chose."""
    if isinstance(node, Conditional):
        yield from used_names(node.condition, (), scope, variables, bound)
        chosen = evaluated(node.condition, scope, variables) if not bound else None
        for side, when in ((node.then, True), (node.otherwise, False)):
            if chosen is not (not when):
                yield from used_names(side, rest, scope, variables, bound)
        return
    chain = _chain(node, scope, variables, bound)
    if chain is not None:
        name, path, inner = chain
        if name not in bound:
            yield name, (*path, *rest), False
        for each in inner:
            yield from used_names(each, (), scope, variables, bound)
        return
    if isinstance(node, Call):
        if node.function == "patched" and rest and len(node.arguments) == 2:
            entry = _entry(node.arguments[1], rest[0])
            yield from used_names(entry or node.arguments[0], rest[1:] if entry else rest, scope, variables, bound)
            if not isinstance(node.arguments[1], MapLiteral):
                yield from used_names(node.arguments[1], rest, scope, variables, bound)
            return
        if node.target is None and node.function in scope.template.functions:
            yield node.function, (), True
        if node.function == "orValue" and node.target is not None:
            held = evaluated(node.target, scope, variables) if not bound else None
            yield from used_names(node.target, rest, scope, variables, bound)
            if not (isinstance(held, Optional) and held is not NONE):
                yield from used_names(node.arguments[0], rest, scope, variables, bound)
            return
    inside = bound | set(node.variables) if isinstance(node, Macro) else bound
    for child in children(node):
        yield from used_names(child, (), scope, variables, inside if not (isinstance(node, Macro) and child is node.target) else bound)


def _entry(node: Node, key: str | int) -> Node | None:
    """The value that a map literal gives a key."""
    if isinstance(node, MapLiteral):
        for each, value in zip(node.keys, node.values, strict=True):
            if isinstance(each, Literal) and each.value == key:
                return value
    return None


def _chain(node: Node, scope: Surroundings, variables: Mapping[str, Any], bound: frozenset[str]) -> tuple[str, Pointer, list[Node]] | None:
    path: list[str | int] = []
    inner: list[Node] = []
    while isinstance(node, Select | Index | Has):
        if isinstance(node, Index):
            key = evaluated(node.index, scope, variables) if not bound else None
            inner.append(node.index)
            if not isinstance(key, str | int):
                path.clear()  # which item was read is not known: all of it
            else:
                path.append(key)
        else:
            path.append(node.field)
        node = node.operand
    return (node.name, tuple(reversed(path)), inner) if isinstance(node, Name) else None
