"""From a rendered value back to where it comes from: the place in the template, and the parameters behind it.

Asked for only by findings, comparisons and explanations; rendering itself carries none of it. It is long because every kind of
value leads to its source by a step of its own.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, NamedTuple

from jovial_scaffold.core.expressions.placeholders import Formula
from jovial_scaffold.core.expressions.references import references
from jovial_scaffold.core.expressions.syntax import Call, Conditional, Index, Literal, MapLiteral, Name, Node, Select
from jovial_scaffold.core.findings import Related, Span
from jovial_scaffold.core.limits import RELATED_PLACES
from jovial_scaffold.core.rendering.computing import OMITTED, Site
from jovial_scaffold.core.rendering.instances import Instance, Surroundings
from jovial_scaffold.core.templates.compiling import formulas_of, written_span
from jovial_scaffold.core.templates.model import (
    Compiled,
    Condition,
    Document,
    Dynamic,
    ListValue,
    Loop,
    MapValue,
    Overlaid,
    Placeholder,
    Resource,
)
from jovial_scaffold.core.templates.names import content_uses
from jovial_scaffold.core.text.source import Pointer, part
from jovial_scaffold.core.words import say

Source = tuple[str, Pointer]
"""A parameter and the path read from it; `context.environment` and its like stand as names of their own."""

Positions = dict[str, tuple[Loop, Any]]


class Leaf(NamedTuple):
    """A part of the template, what remains of a pointer inside of it, and the loop variables there with their positions."""

    compiled: Compiled
    rest: Pointer
    positions: Positions
    variables: Mapping[str, Any]


class _Position(str):
    """Where an item stands in its loop's source, left open: it is the same step for all items, whatever their number is."""

    __slots__ = ("loop",)

    def __new__(cls, loop: Loop) -> "_Position":
        """A step that is equal to every other of the same loop, and to no key."""
        made = super().__new__(cls, "\0")
        made.loop = loop
        return made

    loop: Loop

    def __eq__(self, other: object) -> bool:
        return type(other) is _Position and other.loop is self.loop

    def __hash__(self) -> int:
        return hash(self.loop)


@dataclass(slots=True)
class Kept:
    """What tracers of one comparison have found: sources by part of the template, and names read."""

    sources: dict[tuple[Any, ...], list[Source]] = field(default_factory=dict)
    names: dict[Compiled, frozenset[str]] = field(default_factory=dict)


class Tracer:
    """Follows expressions through loops, values and other resources to parameters.

    What was found is kept in `kept`, for as long as a comparison lasts.
    """

    def __init__(self, environment: Surroundings, kept: "Kept | None" = None) -> None:
        self.environment = environment
        self.template = environment.template
        self._kept = kept
        self._through_module = False
        self._items: dict[tuple[str, Compiled, int], tuple[Compiled, Any, Positions] | None] = {}

    @property
    def root(self) -> Surroundings:
        """The outermost environment, whose parameters the layers set."""
        environment = self.environment
        while environment.use is not None:
            environment = environment.use.scope
        return environment

    def leaf(self, instance: Instance, pointer: Pointer) -> "Leaf":
        """The part of the template that made the value at a pointer."""
        compiled: Compiled = instance.resource.properties
        positions: Positions = {}
        if instance.resource.loop:
            positions = dict.fromkeys(instance.resource.loop.variables, (instance.resource.loop, instance.position))
        variables = instance.variables
        for depth, step in enumerate(pointer):
            while isinstance(compiled, Overlaid):
                compiled, variables = self.layer(compiled, pointer[depth:], variables)
            if isinstance(compiled, MapValue):
                found = compiled.entry(str(step))
                if found is None:
                    return Leaf(compiled, pointer[depth:], positions, variables)
                compiled = found
            elif isinstance(compiled, ListValue) and isinstance(step, int):
                item = self._item_of(instance, compiled, step, variables)
                if item is None:
                    return Leaf(compiled, pointer[depth:], positions, variables)
                compiled, variables, more = item
                positions = {**positions, **more}
            else:
                return Leaf(compiled, pointer[depth:], positions, variables)
        while isinstance(compiled, Overlaid):
            compiled, variables = self.layer(compiled, (), variables)
        return Leaf(compiled, (), positions, variables)

    def layer(self, compiled: Overlaid, rest: Pointer, variables: Any) -> tuple[Compiled, Any]:
        """Which of the two values of an overlay gave the part at `rest`: the resource's own where it has the part."""
        own = compiled.own
        if rest and isinstance(own, MapValue) and own.when is None:
            written = own.entry(str(rest[0]))
            if written is None:
                return compiled.base, {}
            if not isinstance(written, MapValue):
                return own, variables
        value = self.environment.computer.value(own, variables, Site())
        for step in rest:
            if not isinstance(value, dict | list) or isinstance(value, list) != isinstance(step, int):
                break
            try:
                value = part(value, step)
            except KeyError:
                return compiled.base, {}
        return compiled.own, variables

    def _item_of(self, instance: Instance, compiled: ListValue, index: int, variables: Any) -> tuple[Compiled, Any, Positions] | None:
        """The same as `_item`, found once for the properties of one item."""
        if self._kept is None or variables is not instance.variables:
            return self._item(compiled, index, variables)
        key = (instance.address, compiled, index)
        if key not in self._items:
            self._items[key] = self._item(compiled, index, variables)
        return self._items[key]

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

    def place(self, instance: Instance, pointer: Pointer, on_key: bool = False) -> Span:
        """Where the value at a pointer was written; the resource itself for what was not."""
        compiled, rest, *_ = self.leaf(instance, pointer)
        if not pointer or (compiled is instance.resource.properties and rest):
            return instance.resource.origin.key_span()
        if isinstance(compiled, Dynamic):
            if on_key:  # of a key that was computed, the whole value is the place
                return compiled.origin.value_span() if rest else compiled.origin.key_span()
            return written_span(compiled, rest)
        origin = compiled.origin.child(*rest)
        return origin.key_span() if on_key else origin.value_span()

    # -- parameters behind a value

    def sources(self, instance: Instance, pointer: Pointer) -> list[Source]:
        """The parameters that a rendered value was computed from."""
        compiled, rest, positions, _ = self.leaf(instance, pointer)
        return self._kept_sources(compiled, rest, positions) if self._kept is not None else self.compiled_sources(compiled, rest, positions)

    def compiled_sources(self, compiled: Compiled, rest: Pointer, positions: Positions | None = None) -> list[Source]:
        """The parameters that a part of the template is computed from."""
        found: dict[Source, None] = {}
        self._compiled(compiled, rest, positions or {}, found, set())
        return list(found)

    def _kept_sources(self, compiled: Compiled, rest: Pointer, positions: Positions) -> list[Source]:
        """The same, found once for all items of a loop over a list or map of parameters: what differs is where the item stands."""
        assert self._kept is not None
        if positions:
            names = self._kept.names.get(compiled)
            if names is None:
                names = frozenset(reference.name for formula, _, _ in formulas_of(compiled) for reference in references(formula.node))
                self._kept.names[compiled] = names
            positions = {name: where for name, where in positions.items() if name in names}
        symbolic: Positions = {}
        for name, (loop, position) in positions.items():
            plain = position is not None and self._loops_over_parameter(loop)
            symbolic[name] = (loop, _Position(loop) if plain else position)
        key = (*self._here(), compiled, rest, *((name, loop, position) for name, (loop, position) in symbolic.items()))
        own = (self.environment, *key)
        found = self._kept.sources.get(key)
        if found is None:
            found = self._kept.sources.get(own)
        if found is None:
            self._through_module = False
            found = self.compiled_sources(compiled, rest, symbolic)
            self._kept.sources[own if self._through_module else key] = found
        if not any(type(position) is _Position for _, position in symbolic.values()):
            return found
        at = dict(positions.values())
        return [(name, tuple(at[step.loop] if type(step) is _Position else step for step in path)) for name, path in found]

    def _loops_over_parameter(self, loop: Loop) -> bool:
        chain = _chain(loop.over.content.node) if isinstance(loop.over.content, Formula) else None
        known = self.environment.parameters
        return (
            chain is not None and chain[0] in self.template.parameters and self.environment.use is None and chain[0] not in known.defaulted
        )

    def placeholder_sources(self, document: Document, placeholders: "list[Placeholder]") -> list[Source]:
        """The parameters behind some placeholders of a document."""
        found: dict[Source, None] = {}
        for each in placeholders:
            for reference in references(each.formula.node):
                narrowed = (document.narrowed or {}).get(reference.name)
                if narrowed is not None:
                    self._compiled(narrowed, reference.path, {}, found, set())
                elif document.narrowed is None:
                    self._name(reference.name, reference.path, {}, found, set())
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
        key = (condition, *self._here())
        if self._kept is not None and key in self._kept.sources:
            return self._kept.sources[key]
        self._through_module = False
        found: dict[Source, None] = {}
        if isinstance(condition.content, Formula):
            self._reads(condition.content, {}, found, set())
        if self._kept is not None and not self._through_module:
            self._kept.sources[key] = list(found)
        return list(found)

    def _here(self) -> tuple[Any, ...]:
        """What tells environments apart for a trace: where a template is used by itself, only which parameters have their defaults."""
        used = self.environment.use is not None
        return (self.environment if used else self.environment.parameters.defaulted,)

    def related(self, sources: list[Source]) -> tuple[Related, ...]:
        """The lines of parameter files that set these values."""
        related: dict[Related, None] = {}
        for name, path in sources:
            setting = self.root.parameters.setting((name, *path))
            span = setting.span() if setting else None
            if span is not None and setting is not None:
                related[Related(span, say("`{}` is set here.", ".".join(map(str, setting.pointer))))] = None
        return tuple(related)[: RELATED_PLACES.most]

    def _compiled(self, compiled: Compiled, rest: Pointer, positions: Positions, found: dict[Source, None], seen: set[str]) -> None:
        if isinstance(compiled, Overlaid):
            self._compiled(compiled.own, rest, positions, found, seen)
            self._compiled(compiled.base, rest, {}, found, seen)
            return
        while rest and isinstance(compiled, MapValue):
            below = compiled.entry(str(rest[0]))
            if below is None:
                return
            compiled, rest = below, rest[1:]
        if isinstance(compiled, Dynamic) and isinstance(compiled.content, Formula):
            if rest or isinstance(compiled.content.node, Conditional):
                self._path(compiled.content.node, rest, positions, found, seen)
            else:
                self._reads(compiled.content, positions, found, seen)
        elif isinstance(compiled, ListValue) and rest:
            # The item is not there: what decides about the items of the list has left it out.
            for item in compiled.items:
                if isinstance(item, MapValue):
                    for condition in (item.loop.over if item.loop else None, item.when):
                        if condition is not None and isinstance(condition.content, Formula):
                            self._formula(condition.content.node, positions, found, seen)
        else:
            for formula, _, _ in formulas_of(compiled):
                self._reads(formula, positions, found, seen)

    def _reads(self, formula: Formula, positions: Positions, found: dict[Source, None], seen: set[str]) -> None:
        """All that an expression reads."""
        for reference in formula.program.reads:
            self._name(reference.name, reference.path, positions, found, seen)

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
            if self._kept is not None and not seen:
                found.update(dict.fromkeys(self._value_sources(name, path)))
            elif self._key(name) not in seen:
                self._compiled(self.template.values[name].value, path, {}, found, seen | {self._key(name)})
        elif name in self.template.lookups or name in self.template.documents:
            self._reads_of(name, found, seen)
        elif name in self.template.resources:
            self._resource(self.template.resources[name], path, found, seen)
        elif name == "context" and path:
            found[f"context.{path[0]}", tuple(path[1:])] = None

    def _value_sources(self, name: str, path: Pointer) -> list[Source]:
        """Behind a part of a named value; found once, since many properties read it."""
        assert self._kept is not None
        key = (*self._here(), self.template, name, path)
        kept = self._kept.sources.get(key)
        if kept is None:
            before, self._through_module = self._through_module, False
            found: dict[Source, None] = {}
            self._compiled(self.template.values[name].value, path, {}, found, {self._key(name)})
            kept = list(found)
            if not self._through_module:
                self._kept.sources[key] = kept
            self._through_module = before or self._through_module
        return kept

    def _variable(self, name: str, path: Pointer, positions: Positions, found: dict[Source, None], seen: set[str]) -> None:
        loop, position = positions[name]
        if not isinstance(loop.over.content, Formula):
            return
        is_item = name == loop.variables[-1]
        step: Pointer = (position,) if position is not None and is_item else ()
        outer = {other: where for other, where in positions.items() if where[0] is not loop}
        self._path(loop.over.content.node, (*step, *path) if step else (), outer, found, seen)

    def _reads_of(self, name: str, found: dict[Source, None], seen: set[str]) -> None:
        """All that a lookup or a document reads."""
        if self._key(name) in seen:
            return
        lookup = self.template.lookups.get(name)
        if lookup is not None:
            uses = formulas_of(lookup.where) + formulas_of(lookup.newest)
        else:
            document = self.template.documents[name]
            uses = content_uses(document)
            if document.narrowed is not None:
                uses = [use for each in document.narrowed.values() for use in formulas_of(each)]
        for formula, _, _ in uses:
            self._formula(formula.node, {}, found, seen | {self._key(name)})

    def _key(self, name: str) -> str:
        """A name in this environment: modules may have the same names inside."""
        return f"{self.environment.prefix}{name}"

    def _parameter(self, name: str, path: Pointer, found: dict[Source, None], seen: set[str]) -> None:
        declaration = self.template.parameters[name]
        use = self.environment.use
        if use is not None and self._key(name) in seen:
            return
        if use is not None and name in dict(use.resource.properties.entries):
            above = Tracer(use.scope)
            compiled, rest, positions, _ = above.leaf(use, (name, *path))
            above._compiled(compiled, rest, positions, found, seen | {self._key(name)})
            return
        if name in self.environment.parameters.defaulted and declaration.default is not None and self._key(name) not in seen:
            before = len(found)
            self._compiled(declaration.default, path, {}, found, seen | {self._key(name)})
            if len(found) > before:
                return
        found[name, path] = None

    def _resource(self, resource: Resource, path: Pointer, found: dict[Source, None], seen: set[str]) -> None:
        key = self._key(f"{resource.name}:{path[0] if path else ''}")
        if key in seen:
            return
        if resource.module is not None:
            self._output(resource, path, found, seen | {key})
            return
        if resource.loop:
            path = path[1:]
        positions: Positions = dict.fromkeys(resource.loop.variables, (resource.loop, None)) if resource.loop else {}
        if path:
            self._compiled(resource.properties, path, positions, found, seen | {key})

    def _output(self, resource: Resource, path: Pointer, found: dict[Source, None], seen: set[str]) -> None:
        """What an output of a module was computed from; of a loop, the item that is named, or any."""
        self._through_module = True
        instances = self.environment.instances(resource) or {}
        key = str(path[0]) if resource.loop and path else None
        instance = instances.get(key) or next(iter(instances.values()), None)
        path = path[1:] if resource.loop else path
        output = instance.inside.template.outputs.get(str(path[0])) if instance and instance.inside and path else None
        if instance is None or instance.inside is None or output is None:
            return
        Tracer(instance.inside)._compiled(output.value, path[1:], {}, found, seen)


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
