"""The syntax tree: one frozen node for each form of the grammar, with its offsets in the text."""

from dataclasses import dataclass
from typing import Any, dataclass_transform


@dataclass_transform(frozen_default=True)
def _node(cls: type) -> Any:
    """A frozen record; nodes are compared by identity, so equality and a long text form are not generated (start-up time)."""
    return dataclass(frozen=True, slots=True, eq=False, repr=False)(cls)


@_node
class Node:
    """Characters `start` to `end` of the expression."""

    start: int
    end: int


@_node
class Literal(Node):
    value: Any


@_node
class Name(Node):
    name: str


@_node
class Select(Node):
    """`operand.field` or `operand.?field`."""

    operand: Node
    field: str
    optional: bool
    field_start: int


@_node
class Has(Node):
    """`has(operand.field)`."""

    operand: Node
    field: str


@_node
class Index(Node):
    """`operand[index]` or `operand[?index]`."""

    operand: Node
    index: Node
    optional: bool


@_node
class Call(Node):
    """`function(arguments)`; with a target, `target.function(arguments)`. Namespaced functions have dots in their name."""

    function: str
    target: Node | None
    arguments: tuple[Node, ...]
    name_start: int


@_node
class Operation(Node):
    """An operator with one or two operands; `operator` is its own text."""

    operator: str
    operands: tuple[Node, ...]
    at: int


@_node
class Conditional(Node):
    condition: Node
    then: Node
    otherwise: Node


@_node
class ListLiteral(Node):
    """`optional` marks the items written `?item`."""

    items: tuple[Node, ...]
    optional: tuple[bool, ...]


@_node
class MapLiteral(Node):
    keys: tuple[Node, ...]
    values: tuple[Node, ...]
    optional: tuple[bool, ...]


@_node
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
