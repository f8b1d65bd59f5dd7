"""Which names an expression reads, and how deep: `station.code` reads the path ("code",) of `station`."""

from typing import NamedTuple

from jovial_scaffold.core.expressions.functions import FUNCTIONS
from jovial_scaffold.core.expressions.syntax import Call, Has, Index, Literal, Macro, Name, Node, Select, children


class Reference(NamedTuple):
    """A free name, the fields and constant keys read from it, and its place. `optional` where the first step is `.?` or `[?]`.

    So is what `present(x)` asks of: nothing is read from it there.

    `start` and `end` are those of the name; `chain_end` is where the last field or key ends.
    """

    name: str
    path: tuple[str | int, ...]
    optional: bool
    start: int
    end: int
    chain_end: int

    @property
    def alone(self) -> bool:
        """Whether nothing is read from the name."""
        return not self.path


def references(node: Node) -> list[Reference]:
    """All uses of names that the expression does not bind itself, in the order of the text."""
    found: list[Reference] = []
    stack: list[tuple[Node, frozenset[str]]] = [(node, frozenset())]
    while stack:
        current, bound = stack.pop()
        chain = _chain(current)
        if chain is not None:
            name, path, optional = chain
            if name.name not in bound:
                found.append(Reference(name.name, path, optional, name.start, name.end, current.end))
            stack.extend((index, bound) for index in _indexes(current))
        elif (asked := _asked(current)) is not None:
            name, path, _ = asked
            if name.name not in bound:
                found.append(Reference(name.name, path, True, name.start, name.end, current.end - 1))
            stack.extend((index, bound) for index in _indexes(current.arguments[0]))  # type: ignore[attr-defined]  # it is a Call
        elif isinstance(current, Macro):
            stack.append((current.target, bound))
            inside = bound | set(current.variables)
            stack.extend((body, inside) for body in current.bodies)
        else:
            stack.extend((child, bound) for child in children(current))
    return sorted(found, key=lambda reference: reference.start)


def bound_variables(node: Node) -> list[tuple[str, Macro]]:
    """The macro variables that an expression introduces, each with its macro."""
    found: list[tuple[str, Macro]] = []
    stack = [node]
    while stack:
        current = stack.pop()
        if isinstance(current, Macro):
            found.extend((variable, current) for variable in current.variables)
        stack.extend(children(current))
    return found


def tested_names(node: Node) -> frozenset[str]:
    """The names of which an expression asks whether they are there: `present(x)`."""
    found: set[str] = set()
    stack = [node]
    while stack:
        current = stack.pop()
        asked = _asked(current)
        if asked is not None:
            found.add(asked[0].name)
        stack.extend(children(current))
    return frozenset(found)


def _asked(node: Node) -> tuple[Name, tuple[str | int, ...], bool] | None:
    """What `present(…)` asks of."""
    is_present = isinstance(node, Call) and node.function == "present" and node.target is None and len(node.arguments) == 1
    return _chain(node.arguments[0]) if is_present else None  # type: ignore[attr-defined]  # it is a Call


def _chain(node: Node) -> tuple[Name, tuple[str | int, ...], bool] | None:
    path: list[str | int] = []
    optional = False
    while True:
        if isinstance(node, Name):
            return node, tuple(reversed(path)), optional
        if isinstance(node, Select | Has):
            path.append(node.field)
            optional = isinstance(node, Has) or node.optional
            node = node.operand
        elif isinstance(node, Index):
            if isinstance(node.index, Literal) and type(node.index.value) in (str, int):
                path.append(node.index.value)
            else:
                return None
            optional = node.optional
            node = node.operand
        else:
            return None


def _indexes(node: Node) -> list[Node]:
    found: list[Node] = []
    while isinstance(node, Select | Has | Index):
        if isinstance(node, Index):
            found.append(node.index)
        node = node.operand
    return found


def own_calls(node: Node) -> list[Call]:
    """Calls of what is no function of the language, in any order."""
    found: list[Call] = []
    stack = [node]
    while stack:
        current = stack.pop()
        if isinstance(current, Call) and (current.function, current.target is not None) not in FUNCTIONS:
            found.append(current)
        stack.extend(children(current))
    return found
