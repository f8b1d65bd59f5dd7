"""The syntax tree: one frozen node for each form of the grammar, with its offsets in the text."""

from collections.abc import Iterator
from typing import Any

from jovial_scaffold.core.records import record


@record
class Node:
    """Characters `start` to `end` of the expression."""

    start: int
    end: int


@record
class Literal(Node):
    value: Any


@record
class Name(Node):
    name: str


@record
class Select(Node):
    """`operand.field` or `operand.?field`."""

    operand: Node
    field: str
    optional: bool
    field_start: int


@record
class Has(Node):
    """`has(operand.field)`."""

    operand: Node
    field: str


@record
class Index(Node):
    """`operand[index]` or `operand[?index]`."""

    operand: Node
    index: Node
    optional: bool


@record
class Call(Node):
    """`function(arguments)`; with a target, `target.function(arguments)`. Namespaced functions have dots in their name."""

    function: str
    target: Node | None
    arguments: tuple[Node, ...]
    name_start: int


@record
class Operation(Node):
    """An operator with one or two operands; `operator` is its own text."""

    operator: str
    operands: tuple[Node, ...]
    at: int


@record
class Conditional(Node):
    condition: Node
    then: Node
    otherwise: Node


@record
class ListLiteral(Node):
    """`optional` marks the items written `?item`."""

    items: tuple[Node, ...]
    optional: tuple[bool, ...]


@record
class MapLiteral(Node):
    keys: tuple[Node, ...]
    values: tuple[Node, ...]
    optional: tuple[bool, ...]


@record
class Macro(Node):
    """`target.name(variables…, bodies…)`: the bodies see the variables."""

    name: str
    target: Node
    variables: tuple[str, ...]
    bodies: tuple[Node, ...]


def children(node: Node) -> tuple[Node, ...]:
    """The nodes directly below a node."""
    match node:
        case Select(operand=operand) | Has(operand=operand):
            return (operand,)
        case Index(operand=operand, index=index):
            return (operand, index)
        case Call(target=target, arguments=arguments):
            return arguments if target is None else (target, *arguments)
        case Operation(operands=operands):
            return operands
        case Conditional(condition=condition, then=then, otherwise=otherwise):
            return (condition, then, otherwise)
        case ListLiteral(items=items):
            return items
        case MapLiteral(keys=keys, values=values):
            return (*keys, *values)
        case Macro(target=target, bodies=bodies):
            return (target, *bodies)
    return ()


def nodes(whole: Node) -> Iterator[Node]:
    """A node and all below it."""
    waiting = [whole]
    while waiting:
        node = waiting.pop()
        yield node
        waiting += children(node)
