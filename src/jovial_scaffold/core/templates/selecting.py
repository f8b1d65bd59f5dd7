"""What an expression selects: the one name, and the part of it, whose value it gives as it is, through fields, keys, `?:` and `.orValue(…)`."""

from collections.abc import Callable, Mapping
from typing import Any

from jovial_scaffold.core.expressions.errors import EvaluationError
from jovial_scaffold.core.expressions.placeholders import Formula
from jovial_scaffold.core.expressions.syntax import Call, Conditional, Index, Name, Node, Select
from jovial_scaffold.core.expressions.values import NONE, Optional
from jovial_scaffold.core.findings import Span
from jovial_scaffold.core.templates.model import Compiled, Constant, Dynamic, ListValue, MapValue, Template
from jovial_scaffold.core.text.source import Pointer

Selection = tuple[str, Pointer]
_STEPS = 100  # from value to value, more than anybody follows


def selected(node: Node, value_of: Callable[[Node], Any], variables: Mapping[str, Any]) -> Selection | None:
    """The name and the path of the part that an expression gives; None where it computes, or gives a variable. `value_of` gives the values
    of keys and conditions."""
    path: Pointer = ()
    try:
        while True:
            if isinstance(node, Select):
                path = (node.field, *path)
                node = node.operand
            elif isinstance(node, Index):
                key = value_of(node.index)
                if type(key) not in (str, int):
                    return None
                path = (key, *path)
                node = node.operand
            elif isinstance(node, Conditional):
                held = value_of(node.condition)
                if type(held) is not bool:
                    return None
                node = node.then if held else node.otherwise
            elif isinstance(node, Call) and node.function == "orValue" and node.target is not None:
                found = value_of(node.target)
                if type(found) is not Optional:
                    return None
                node = node.arguments[0] if found is NONE else node.target
            else:
                return (node.name, path) if isinstance(node, Name) and node.name not in variables else None
    except EvaluationError:
        return None


def entry(compiled: Compiled, path: Pointer) -> tuple[Compiled, Pointer]:
    """A part of a named value as it is written, and what of the path is left there."""
    for depth, step in enumerate(path):
        below: Compiled | None = None
        if isinstance(compiled, MapValue) and compiled.when is None and compiled.loop is None:
            below = compiled.entry(str(step))
        elif isinstance(compiled, ListValue) and type(step) is int and not any(map(_may_move, compiled.items)):
            below = compiled.items[step] if step < len(compiled.items) else None
        if below is None:
            return compiled, path[depth:]
        compiled = below
    return compiled, ()


def _may_move(item: Compiled) -> bool:
    """Whether an item of a list may be more than one, or none."""
    return isinstance(item, MapValue) and (item.loop is not None or item.when is not None)


def leaf_of(
    formula: Formula, rest: Pointer, template: Template, value_of: Callable[[Node], Any], variables: Mapping[str, Any]
) -> Span | None:
    """Where the `rest` of what an expression gives is written among the named values; None where it is not written there as it is."""
    node = formula.node
    for _ in range(_STEPS):
        found = selected(node, value_of, variables)
        if found is None or found[0] not in template.values:
            return None
        name, path = found
        compiled, rest = entry(template.values[name].value, (*path, *rest))
        if isinstance(compiled, Constant):
            return compiled.origin.child(*rest).value_span()
        if not (isinstance(compiled, Dynamic) and isinstance(compiled.content, Formula)):
            return None
        node, variables = compiled.content.node, {}
    return None
