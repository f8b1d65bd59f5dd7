"""From a rendered value back to where it comes from: the place in the template, and the parameters behind it.

Asked for only by findings, comparisons and explanations; rendering itself carries none of it.
"""

from typing import TYPE_CHECKING, Any

from jovial_scaffold.core.expressions.placeholders import Formula
from jovial_scaffold.core.expressions.references import references
from jovial_scaffold.core.expressions.syntax import Call, Conditional, Index, Literal, MapLiteral, Name, Node, Select
from jovial_scaffold.core.findings import Related, Span
from jovial_scaffold.core.limits import RELATED_PLACES
from jovial_scaffold.core.rendering.computing import OMITTED, Site
from jovial_scaffold.core.templates.compiling import formulas_of
from jovial_scaffold.core.templates.model import Compiled, Condition, Dynamic, ListValue, Loop, MapValue, Resource
from jovial_scaffold.core.text.source import Pointer

if TYPE_CHECKING:
    from jovial_scaffold.core.rendering.environment import Environment, Instance

Source = tuple[str, Pointer]
"""A parameter and the path read from it; `context.environment` and its like stand as names of their own."""

Positions = dict[str, tuple[Loop, Any]]


class Tracer:
    """Follows expressions through loops, values and other resources to parameters."""

    def __init__(self, environment: "Environment") -> None:
        self.environment = environment
        self.template = environment.template

    def leaf(self, instance: "Instance", pointer: Pointer) -> tuple[Compiled, Pointer, Positions]:
        """The part of the template that made the value at a pointer, and what remains of the pointer inside it."""
        compiled: Compiled = instance.resource.properties
        positions: Positions = {}
        if instance.resource.loop:
            positions = dict.fromkeys(instance.resource.loop.variables, (instance.resource.loop, instance.position))
        variables = instance.variables
        for depth, step in enumerate(pointer):
            if isinstance(compiled, MapValue):
                found = dict(compiled.entries).get(str(step))
                if found is None:
                    return compiled, pointer[depth:], positions
                compiled = found
            elif isinstance(compiled, ListValue) and isinstance(step, int):
                item = self._item(compiled, step, variables)
                if item is None:
                    return compiled, pointer[depth:], positions
                compiled, variables, more = item
                positions = {**positions, **more}
            else:
                return compiled, pointer[depth:], positions
        return compiled, (), positions

    def _item(self, compiled: ListValue, index: int, variables: Any) -> tuple[Compiled, Any, Positions] | None:
        """The entry of a list that gave item `index`, counting what loops repeat and conditions leave out."""
        computer = self.environment.computer
        counted = 0
        for item in compiled.items:
            rounds = [(variables, None)]
            if isinstance(item, MapValue) and item.loop:
                rounds = computer.rounds(item.loop, variables, Site()) or []
            for scope, position in rounds:
                if isinstance(item, MapValue) and item.when and computer.condition(item.when, scope, Site()) is not True:
                    continue
                if isinstance(item, Dynamic) and computer.value(item, scope, Site()) is OMITTED:
                    continue
                if counted == index:
                    more = dict.fromkeys(item.loop.variables, (item.loop, position)) if isinstance(item, MapValue) and item.loop else {}
                    return item, scope, more
                counted += 1
        return None

    def place(self, instance: "Instance", pointer: Pointer, on_key: bool = False) -> Span:
        """Where the value at a pointer was written; the resource itself for what was not."""
        compiled, rest, _ = self.leaf(instance, pointer)
        if not pointer or (compiled is instance.resource.properties and rest):
            return instance.resource.origin.key_span()
        if isinstance(compiled, Dynamic):
            formulas = compiled.formulas()
            if isinstance(compiled.content, Formula) and not on_key:
                return compiled.origin.inner_span(formulas[0].offset, formulas[0].offset + len(formulas[0].text.rstrip()))
            return compiled.origin.value_span()
        origin = compiled.origin.child(*rest)
        return origin.key_span() if on_key else origin.value_span()

    # -- parameters behind a value

    def sources(self, instance: "Instance", pointer: Pointer) -> list[Source]:
        """The parameters that a rendered value was computed from."""
        compiled, rest, positions = self.leaf(instance, pointer)
        found: dict[Source, None] = {}
        self._compiled(compiled, rest, positions, found, set())
        return list(found)

    def presence_sources(self, resource: Resource) -> list[Source]:
        """The parameters that decide whether a resource is there, or which items it has."""
        found: dict[Source, None] = {}
        positions: Positions = dict.fromkeys(resource.loop.variables, (resource.loop, None)) if resource.loop else {}
        for condition in (resource.loop.over if resource.loop else None, resource.when, resource.key):
            if condition is not None and isinstance(condition.content, Formula):
                self._formula(condition.content.node, positions, found, set())
        return list(found)

    def loop_sources(self, resource: Resource, position: Any) -> list[Source]:
        """The parameter that holds one item of a loop."""
        found: dict[Source, None] = {}
        if resource.loop and isinstance(resource.loop.over.content, Formula):
            self._path(resource.loop.over.content.node, (position,), {}, found, set())
        return list(found)

    def condition_sources(self, condition: Condition) -> list[Source]:
        """The parameters that a condition reads."""
        found: dict[Source, None] = {}
        if isinstance(condition.content, Formula):
            self._formula(condition.content.node, {}, found, set())
        return list(found)

    def related(self, sources: list[Source]) -> tuple[Related, ...]:
        """The lines of parameter files that set these values."""
        related: dict[Related, None] = {}
        for name, path in sources:
            setting = self.environment.parameters.setting((name, *path))
            span = setting.span() if setting else None
            if span is not None and setting is not None:
                related[Related(span, f"`{'.'.join(map(str, setting.pointer))}` is set here.")] = None
        return tuple(related)[: RELATED_PLACES.most]

    def _compiled(self, compiled: Compiled, rest: Pointer, positions: Positions, found: dict[Source, None], seen: set[str]) -> None:
        while rest and isinstance(compiled, MapValue):
            below = dict(compiled.entries).get(str(rest[0]))
            if below is None:
                return
            compiled, rest = below, rest[1:]
        if isinstance(compiled, Dynamic) and isinstance(compiled.content, Formula):
            self._path(compiled.content.node, rest, positions, found, seen)
        elif isinstance(compiled, ListValue) and rest:
            # The item is not there: what decides about the items of the list has left it out.
            for item in compiled.items:
                if isinstance(item, MapValue):
                    for condition in (item.loop.over if item.loop else None, item.when):
                        if condition is not None and isinstance(condition.content, Formula):
                            self._formula(condition.content.node, positions, found, seen)
        else:
            for formula, _, _ in formulas_of(compiled):
                self._formula(formula.node, positions, found, seen)

    def _path(self, node: Node, rest: Pointer, positions: Positions, found: dict[Source, None], seen: set[str]) -> None:
        """An expression of which only the part at `rest` was used: exact for chains of fields, choices, and maps that are put together."""
        chain = _chain(node)
        if chain is not None:
            self._name(chain[0], (*chain[1], *rest), positions, found, seen)
        elif isinstance(node, Conditional):
            self._formula(node.condition, positions, found, seen)
            self._path(node.then, rest, positions, found, seen)
            self._path(node.otherwise, rest, positions, found, seen)
        elif isinstance(node, Call) and node.function == "patched" and rest:
            base, patch = node.arguments
            if not self._entry(patch, rest, positions, found, seen):
                self._path(base, rest, positions, found, seen)
        elif not (rest and self._entry(node, rest, positions, found, seen)):
            self._formula(node, positions, found, seen)

    def _entry(self, node: Node, rest: Pointer, positions: Positions, found: dict[Source, None], seen: set[str]) -> bool:
        """Follow the entry of a map literal that `rest` names. False where the expression is none, or has no such entry."""
        if isinstance(node, MapLiteral):
            for key, value in zip(node.keys, node.values, strict=True):
                if isinstance(key, Literal) and key.value == rest[0]:
                    self._path(value, rest[1:], positions, found, seen)
                    return True
        return False

    def _formula(self, node: Node, positions: Positions, found: dict[Source, None], seen: set[str]) -> None:
        for reference in references(node):
            self._name(reference.name, reference.path, positions, found, seen)

    def _name(self, name: str, path: Pointer, positions: Positions, found: dict[Source, None], seen: set[str]) -> None:
        if name in positions:
            self._variable(name, path, positions, found, seen)
        elif name in self.template.parameters:
            self._parameter(name, path, found, seen)
        elif name in self.template.values:
            if name not in seen:
                self._compiled(self.template.values[name].value, path, {}, found, seen | {name})
        elif name in self.template.resources:
            self._resource(self.template.resources[name], path, found, seen)
        elif name == "context" and path:
            found[f"context.{path[0]}", tuple(path[1:])] = None

    def _variable(self, name: str, path: Pointer, positions: Positions, found: dict[Source, None], seen: set[str]) -> None:
        loop, position = positions[name]
        if not isinstance(loop.over.content, Formula):
            return
        is_item = name == loop.variables[-1]
        step: Pointer = (position,) if position is not None and is_item else ()
        outer = {other: where for other, where in positions.items() if where[0] is not loop}
        self._path(loop.over.content.node, (*step, *path) if step else (), outer, found, seen)

    def _parameter(self, name: str, path: Pointer, found: dict[Source, None], seen: set[str]) -> None:
        declaration = self.template.parameters[name]
        if name in self.environment.parameters.defaulted and declaration.default is not None and name not in seen:
            before = len(found)
            self._compiled(declaration.default, path, {}, found, seen | {name})
            if len(found) > before:
                return
        found[name, path] = None

    def _resource(self, resource: Resource, path: Pointer, found: dict[Source, None], seen: set[str]) -> None:
        if resource.name in seen:
            return
        if resource.loop:
            path = path[1:]
        positions: Positions = dict.fromkeys(resource.loop.variables, (resource.loop, None)) if resource.loop else {}
        if path:
            self._compiled(resource.properties, path, positions, found, seen | {resource.name})


def _chain(node: Node) -> tuple[str, Pointer] | None:
    """`a.b[0]` as its name and path; None for any other expression."""
    path: list[str | int] = []
    while isinstance(node, Select | Index):
        if isinstance(node, Select):
            path.append(node.field)
            node = node.operand
        elif isinstance(node.index, Literal) and isinstance(node.index.value, str | int):
            path.append(node.index.value)
            node = node.operand
        else:
            return None
    return (node.name, tuple(reversed(path))) if isinstance(node, Name) else None
