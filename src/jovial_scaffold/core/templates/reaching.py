"""What reaches a secret property: what of named values, functions and parameters stands there is shown in no line of a file.

A property may be secret in part only: then that holds for what stands at those parts, as the shape of its schema says.
"""

from collections.abc import Iterable, Iterator, Mapping
from typing import Any

from jovial_scaffold.core.expressions.placeholders import Formula, Joined
from jovial_scaffold.core.expressions.syntax import (
    Call,
    Conditional,
    Has,
    Index,
    ListLiteral,
    Literal,
    Macro,
    MapLiteral,
    Name,
    Node,
    Select,
    children,
)
from jovial_scaffold.core.schemas.shapes import Shape, secret_pointers, secret_shape
from jovial_scaffold.core.templates.model import (
    Compiled,
    Constant,
    Declaration,
    Dynamic,
    Function,
    ListValue,
    MapValue,
    Named,
    parts_of,
)
from jovial_scaffold.core.text.source import value_at

_TEXTUAL = (str, int, float, list, dict)
_CHOOSING = frozenset(("filter", "all", "exists", "exists_one"))
_MOST_SHAPES = 12  # of one name, after which all of it is taken for secret
WHOLE = Shape(write_only=True, marks=True)
"""The shape of what is secret as a whole."""
Reached = tuple[str, Shape]
"""A name, of a function too, and what of its value stands at a secret place; no name stands for a text that is written out in the expression."""


def flowing(node: Node) -> Iterator[str]:
    """The names, of functions too, whose values may be what an expression gives, or a part of it: not those that only decide or select."""
    waiting = [node]
    while waiting:
        current = waiting.pop()
        if isinstance(current, Name):
            yield current.name
        elif isinstance(current, Index):
            waiting.append(current.operand)
        elif isinstance(current, Conditional):
            waiting += (current.then, current.otherwise)
        else:
            if isinstance(current, Call):
                yield current.function
            waiting += children(current)


class Reaching:
    """Finds what stands at the secret places of what expressions give; of a part of one, for the same places, once."""

    def __init__(self, functions: Mapping[str, Function]) -> None:
        self._functions = functions
        self._known: dict[tuple[Node, Shape], tuple[Reached, ...]] = {}
        self._around: dict[tuple[str | None, Shape], Shape] = {}

    def of(self, node: Node, shape: Shape) -> tuple[Reached, ...]:
        """The names and texts of an expression that stand there."""
        key = (node, shape)
        if key not in self._known:
            self._known[key] = ()  # of a function that calls itself, which is a mistake
            self._known[key] = tuple(dict.fromkeys(self._found(node, shape))) if shape.holds_secrets() else ()
        return self._known[key]

    def of_any(self, shape: Shape) -> Shape:
        """The shape of a list or map, any part of which may be what has a shape."""
        return self._around.setdefault((None, shape), Shape(items=shape, others=shape, marks=True))

    def _of_field(self, name: str, shape: Shape) -> Shape:
        """The shape of a map, of which a property has a shape."""
        return self._around.setdefault((name, shape), Shape(properties={name: shape}, marks=True))

    def _found(self, node: Node, shape: Shape) -> Iterator[Reached]:
        if isinstance(node, Name):
            yield node.name, shape
        elif isinstance(node, Literal):
            if shape.write_only and isinstance(node.value, str) and node.value:
                yield "", WHOLE
        elif isinstance(node, Select):
            yield from self.of(node.operand, self._of_field(node.field, shape))
        elif isinstance(node, Index):
            yield from self.of(node.operand, self.of_any(shape))
        elif isinstance(node, Conditional):
            yield from (*self.of(node.then, shape), *self.of(node.otherwise, shape))
        elif isinstance(node, MapLiteral):
            for key, value in zip(node.keys, node.values, strict=True):
                below = _below(shape, key.value) if isinstance(key, Literal) and isinstance(key.value, str) else WHOLE
                yield from self.of(value, below) if below is not None else ()
                yield from self.of(key, WHOLE) if shape.write_only else ()
        elif isinstance(node, ListLiteral):
            for index, item in enumerate(node.items):
                below = _below(shape, index)
                yield from self.of(item, below) if below is not None else ()
        elif isinstance(node, Macro):
            yield from self._of_macro(node, shape)
        elif isinstance(node, Call):
            yield from self._of_call(node, shape)
        elif not isinstance(node, Has):
            for each in children(node):
                yield from self.of(each, shape)

    def _of_macro(self, node: Macro, shape: Shape) -> Iterator[Reached]:
        """Of what a macro gives: what its body reads of an item is read of what it goes over."""
        if node.name in _CHOOSING:
            yield from self.of(node.target, shape)
            return
        is_bound = node.name == "bind"
        for below in (WHOLE,) if shape.write_only else (shape,) if is_bound else (*shape.children(), shape):
            for name, inner in self.of(node.bodies[-1], below):
                if name in node.variables:
                    yield from self.of(node.target, inner if is_bound else self.of_any(inner))
                else:
                    yield name, inner

    def _of_call(self, node: Call, shape: Shape) -> Iterator[Reached]:
        """Of what a call gives: of a function of the template, what its body hands on of its arguments."""
        function = self._functions.get(node.function) if node.target is None else None
        if function is None or not isinstance(function.body.content, Formula):
            for each in children(node):
                yield from self.of(each, shape)
            return
        yield node.function, shape
        arguments = dict(zip(function.takes, node.arguments, strict=False))
        for name, inner in self.of(function.body.content.node, shape):
            if name in arguments:
                yield from self.of(arguments[name], inner)


def _below(shape: Shape, step: str | int) -> Shape | None:
    if shape.write_only:
        return WHOLE
    return shape.of(step) if isinstance(step, str) else shape.item(step)


def hide_reaching(
    reads: Iterable[Reached],
    values: Mapping[str, Named],
    functions: Mapping[str, Function],
    parameters: Mapping[str, Declaration],
    reaching: Reaching,
) -> tuple[frozenset[str], dict[str, tuple[Shape, ...]]]:
    """Show in no line what is written in the values, functions and defaults that stands at secret places; the names of which no value is to be shown:
    what is written there is secret, or declared without saying that it is; and of parameters, what of their values stands there."""
    declared = {name: shape for name, each in parameters.items() if (shape := secret_shape(each.schema)) is not None}
    waiting, seen = [*declared.items(), *reads], dict[str, list[Shape]]()
    leading: dict[str, set[str]] = {}
    open_names: set[str] = set()  # what is secret only because of where it stands
    while waiting:
        name, shape = waiting.pop()
        before = seen.setdefault(name, [])
        if WHOLE in before or shape in before:
            continue
        if len(before) >= _MOST_SHAPES or shape.write_only:
            shape = WHOLE
        before.append(shape)
        if name in parameters:
            default = parameters[name].default
            following = list(_hidden(default, shape, reaching)) if default is not None else []
            if name not in declared or not _covers(declared[name], shape):
                open_names.add(name)
        elif name in values:
            following = list(_hidden(values[name].value, shape, reaching))
        elif name in functions:
            body = functions[name].body
            following = list(reaching.of(body.content.node, shape)) if isinstance(body.content, Formula) else []
            if shape.write_only or any(not each for each, _ in following):
                body.origin.source.hide(body.origin.pointer)
            following = [each for each in following if each[0] not in functions[name].takes]
        else:
            open_names.add(name)
            continue
        if name not in parameters and any(not each for each, _ in following):
            open_names.add(name)
        leading.setdefault(name, set()).update(each for each, _ in following if each)
        waiting += [each for each in following if each[0]]
    while more := {each for each, others in leading.items() if each not in open_names and each not in parameters and others & open_names}:
        open_names |= more
    names = frozenset(open_names.union(name for name, shapes in seen.items() if WHOLE in shapes))
    return names, {name: tuple(shapes) for name, shapes in seen.items() if name in parameters}


def _covers(declared: Shape, shape: Shape, met: set[tuple[Shape, Shape]] | None = None) -> bool:
    """Whether a declaration says itself that all that a shape says is secret is so. Schemas may refer to themselves: `met` are those pairs that
    are being compared."""
    met = set() if met is None else met
    if declared.write_only or (declared, shape) in met or not shape.holds_secrets():
        return True
    met.add((declared, shape))
    if shape.write_only:
        return False
    pairs = [(declared.of(name), below) for name, below in shape.properties.items()]
    pairs += [(declared.item(index), below) for index, below in enumerate(shape.prefix) if below is not None]
    if shape.items is not None:
        pairs += [(each, shape.items) for each in (*declared.prefix, declared.items)]
    rest = [shape.others, *(below for _, below in shape.patterns)]
    pairs += [(each, below) for below in rest if below is not None for each in (*declared.properties.values(), declared.others)]
    return all(below is None or (own is not None and _covers(own, below, met)) or not below.holds_secrets() for own, below in pairs)


def _hidden(compiled: Compiled, shape: Shape, reaching: Reaching) -> Iterator[Reached]:
    """Hide what is written at the secret places of a value; gives what that leads on to, and no name for what is written there itself."""
    if not shape.holds_secrets():
        return
    if isinstance(compiled, Constant):
        for pointer in ((),) if shape.write_only else secret_pointers(shape, compiled.value):
            value: Any = value_at(compiled.value, pointer)
            if isinstance(value, _TEXTUAL) and not isinstance(value, bool):
                compiled.origin.source.hide((*compiled.origin.pointer, *pointer))
                yield "", WHOLE
    elif isinstance(compiled, Dynamic):
        formulas = compiled.formulas()
        found = [each for formula in formulas for each in reaching.of(formula.node, shape)]
        is_written = isinstance(compiled.content, Joined) or any("'" in each.text or '"' in each.text for each in formulas)
        if (shape.write_only and is_written) or any(not name for name, _ in found):
            compiled.origin.source.hide(compiled.origin.pointer)
            yield "", WHOLE
        yield from found
    elif isinstance(compiled, MapValue):
        for name, entry in compiled.entries:
            below = _below(shape, name)
            yield from _hidden(entry, below, reaching) if below is not None else ()
    elif isinstance(compiled, ListValue):
        for index, item in enumerate(compiled.items):
            for below in {_below(shape, index), WHOLE if shape.write_only else shape.items} - {None}:
                assert below is not None
                yield from _hidden(item, below, reaching)
    else:
        for _, part in parts_of(compiled):
            yield from _hidden(part, shape, reaching)
