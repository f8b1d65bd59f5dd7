"""What reaches a secret property: the named values, functions and parameters whose values stand there are shown in no line of a file."""

from collections.abc import Iterable, Iterator, Mapping
from typing import Any

from jovial_scaffold.core.expressions.placeholders import Formula, Joined
from jovial_scaffold.core.expressions.syntax import Call, Conditional, Index, Name, Node, children
from jovial_scaffold.core.templates.model import (
    Compiled,
    Constant,
    Declaration,
    Dynamic,
    Function,
    Named,
    parts_of,
)

_TEXTUAL = (str, int, float, list, dict)


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


def hide_reaching(
    names: Iterable[str], values: Mapping[str, Named], functions: Mapping[str, Function], parameters: Mapping[str, Declaration]
) -> frozenset[str]:
    """Show in no line what is written in the values, functions and defaults that some names lead to; all names on the way."""
    waiting, seen = list(names), set()
    while waiting:
        name = waiting.pop()
        if name in seen:
            continue
        seen.add(name)
        compiled: Compiled | None = values[name].value if name in values else None
        if name in parameters:
            compiled = parameters[name].default
        for each in (compiled, functions[name].body.content if name in functions else None):
            if isinstance(each, Formula):
                functions[name].body.origin.source.hide(functions[name].body.origin.pointer)
                waiting += flowing(each.node)
            elif each is not None:
                waiting += _hidden(each)
    return frozenset(seen)


def _hidden(compiled: Any) -> Iterator[str]:
    """Hide what is written in a value; gives the names that it leads on to."""
    if isinstance(compiled, Constant):
        if isinstance(compiled.value, _TEXTUAL) and not isinstance(compiled.value, bool):
            compiled.origin.source.hide(compiled.origin.pointer)
    elif isinstance(compiled, Dynamic):
        found = compiled.formulas()
        if isinstance(compiled.content, Joined) or any("'" in each.text or '"' in each.text for each in found):
            compiled.origin.source.hide(compiled.origin.pointer)
        for each in found:
            yield from flowing(each.node)
    for _, part in parts_of(compiled):
        yield from _hidden(part)
