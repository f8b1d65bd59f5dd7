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


class Facts(NamedTuple):
    """What one walk over an expression finds."""

    reads: list[Reference]  #: uses of names that it does not bind itself, in the order of the text
    names: frozenset[str]  #: their names
    steps: frozenset[tuple[str, str]]  #: each name with the first field read from it, or nothing
    bound: list[tuple[str, Macro]]  #: the macro variables that it introduces
    own_calls: list[Call]  #: calls of what is no function of the language, in any order
    nested: bool  #: whether a loop stands inside of a loop


def facts(node: Node) -> Facts:
    """Everything that is asked of an expression before it has a value."""
    reads: list[Reference] = []
    bound: list[tuple[str, Macro]] = []
    calls: list[Call] = []
    nested = False
    stack: list[tuple[Node, frozenset[str], bool]] = [(node, _NOTHING, False)]
    while stack:
        current, inner, inside = stack.pop()
        kind = type(current)
        if kind is Literal:
            continue
        if kind is Macro:
            assert isinstance(current, Macro)
            loops = current.name != "bind"
            nested = nested or (loops and inside)
            bound.extend((variable, current) for variable in current.variables)
            stack.append((current.target, inner, inside or loops))
            within = inner | set(current.variables)
            stack.extend((body, within, inside or loops) for body in current.bodies)
            continue
        if kind in _CHAINED and (chain := _chain(current)) is not None:
            name, path, optional = chain
            if name.name not in inner:
                reads.append(Reference(name.name, path, optional, name.start, name.end, current.end))
            if path:
                stack.extend((index, inner, inside) for index in _indexes(current))
            continue
        if kind is Call:
            assert isinstance(current, Call)
            asked = _asked(current)
            if asked is not None:
                name, path, _ = asked
                if name.name not in inner:
                    reads.append(Reference(name.name, path, True, name.start, name.end, current.end - 1))
                stack.extend((index, inner, inside) for index in _indexes(current.arguments[0]))
                continue
            if (current.function, current.target is not None) not in FUNCTIONS:
                calls.append(current)
        stack.extend((child, inner, inside) for child in children(current))
    if len(reads) > 1:
        reads.sort(key=_start)
    steps = frozenset((each.name, str(each.path[0]) if each.path else "") for each in reads)
    return Facts(reads, frozenset(each.name for each in reads), steps, bound, calls, nested)


_NOTHING: frozenset[str] = frozenset()
_CHAINED = frozenset((Name, Select, Has, Index))


def _start(reference: Reference) -> int:
    return reference.start


def references(node: Node) -> list[Reference]:
    """All uses of names that the expression does not bind itself, in the order of the text."""
    return facts(node).reads


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
