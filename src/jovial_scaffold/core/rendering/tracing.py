"""Which parameters a rendered value was computed from: what its part of the template reads, followed through names, other resources and
modules, however long the chains are and however often they meet.

Asked for only by findings, comparisons and explanations; rendering itself carries none of it.
"""

from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any, NamedTuple

from jovial_scaffold.core.expressions.placeholders import Formula
from jovial_scaffold.core.expressions.references import references
from jovial_scaffold.core.expressions.syntax import Call, Conditional, Index, Literal, MapLiteral, Name, Node, Select
from jovial_scaffold.core.findings import Related, Span
from jovial_scaffold.core.limits import NESTING, RELATED_PLACES
from jovial_scaffold.core.rendering.instances import Instance, Surroundings
from jovial_scaffold.core.rendering.placing import Placer, Positions
from jovial_scaffold.core.templates.compiling import formulas_of
from jovial_scaffold.core.templates.inputs import CONTEXT
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
from jovial_scaffold.core.text.source import Origin, Pointer
from jovial_scaffold.core.words import say

Source = tuple[str, Pointer]
"""A parameter and the path read from it; `context.environment` and its like stand as names of their own."""


class Step(NamedTuple):
    """A name of an environment, or of a use of a module, and what is read of it."""

    scope: Surroundings
    name: str
    path: Pointer


Reads = dict[Step | Source, None]
"""What something reads itself, each once, in order."""


class _Behind(NamedTuple):
    """The parameters behind a step, and whether one environment's uses of modules say which."""

    sources: tuple[Source, ...]
    through_module: bool


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
    """What tracers of one comparison have found: sources by part of the template and behind each step, and names read."""

    sources: dict[tuple[Any, ...], list[Source]] = field(default_factory=dict)
    names: dict[Compiled, frozenset[str]] = field(default_factory=dict)
    steps: dict[Step, _Behind] = field(default_factory=dict)


def tracer_of(scope: Surroundings) -> "Tracer":
    """The tracer of an environment, or of a use of a module, that is evaluated: what it found once need not be found again."""
    if scope not in scope.shared.tracers:
        scope.shared.tracers[scope] = Tracer(scope)
    found: Tracer = scope.shared.tracers[scope]
    return found


class Tracer(Placer):
    """Follows what is read in one environment, or in one use of a module, to parameters.

    What was found is kept in `kept`, for as long as a comparison lasts.
    """

    def __init__(self, environment: Surroundings, kept: Kept | None = None) -> None:
        super().__init__(environment, kept is not None)
        self._kept = kept
        self._steps = kept.steps if kept is not None else {}
        self._through_module = False
        self._alike: dict[Any, list[Source]] = {}
        self._related: dict[tuple[Source, ...], tuple[Related, ...]] = {}
        #: where values would be mended (`causes.cause_of`), by what their expressions have in common
        self.causes: dict[Any, Span | None] = {}
        #: what is said of values that are wrong (`judging`), by what is wrong and the text that gives them
        self.drafts: dict[Any, Any] = {}

    def sources(self, instance: Instance, pointer: Pointer) -> list[Source]:
        """The parameters that a rendered value was computed from."""
        compiled, rest, positions, _ = self.leaf(instance, pointer)
        if self._kept is not None:
            return self._kept_sources(compiled, rest, positions)
        if positions or not isinstance(compiled, Dynamic):
            return self.compiled_sources(compiled, rest, positions)
        key = compiled.computing, rest  # the same may stand in very many resources, each with other words around it
        if key not in self._alike:
            self._alike[key] = self.compiled_sources(compiled, rest)
        return self._alike[key]

    def compiled_sources(self, compiled: Compiled, rest: Pointer, positions: Positions | None = None) -> list[Source]:
        """The parameters that a part of the template is computed from."""
        reads: Reads = {}
        self._compiled(compiled, rest, positions or {}, reads)
        return self._followed(reads)

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

    def placeholder_sources(self, document: Document, placeholders: list[Placeholder]) -> list[Source]:
        """The parameters behind some placeholders of a document."""
        reads: Reads = {}
        for each in placeholders:
            for reference in references(each.formula.node):
                narrowed = (document.narrowed or {}).get(reference.name)
                if narrowed is not None:
                    self._compiled(narrowed, reference.path, {}, reads)
                elif document.narrowed is None:
                    self._name(reference.name, reference.path, {}, reads)
        return self._followed(reads)

    def presence_sources(self, resource: Resource) -> list[Source]:
        """The parameters that decide whether a resource is there, or which items it has."""
        reads: Reads = {}
        positions: Positions = dict.fromkeys(resource.loop.variables, (resource.loop, None)) if resource.loop else {}
        for condition in (resource.loop.over if resource.loop else None, resource.when, resource.key):
            if condition is not None and isinstance(condition.content, Formula):
                self._formula(condition.content.node, positions, reads)
        return self._followed(reads)

    def loop_sources(self, resource: Resource, position: Any) -> list[Source]:
        """The parameter that holds one item of a loop."""
        reads: Reads = {}
        if resource.loop and isinstance(resource.loop.over.content, Formula):
            self._path(resource.loop.over.content.node, (position,), {}, reads)
        return self._followed(reads)

    def condition_sources(self, condition: Condition) -> list[Source]:
        """The parameters that a condition reads."""
        key = (condition, *self._here())
        if self._kept is not None and key in self._kept.sources:
            return self._kept.sources[key]
        self._through_module = False
        reads: Reads = {}
        if isinstance(condition.content, Formula):
            self._reads(condition.content, {}, reads)
        found = self._followed(reads)
        if self._kept is not None and not self._through_module:
            self._kept.sources[key] = found
        return found

    def _here(self) -> tuple[Any, ...]:
        """What tells environments apart for a trace: where a template is used by itself, only which parameters have their defaults."""
        used = self.environment.use is not None
        return (self.environment if used else self.environment.parameters.defaulted,)

    def related(self, sources: list[Source]) -> tuple[Related, ...]:
        """The lines of parameter files that set these values, and those of labels."""
        key = tuple(sources)
        if key not in self._related:
            related: dict[Related, None] = {}
            for name, path in sources:
                label = self.context_origin(name, path)
                if label is not None:
                    related[Related(label.value_span(), say("`{}` is set here.", ".".join(map(str, (name, *path[:1])))))] = None
                setting = self.root.parameters.setting((name, *path))
                span = setting.span() if setting else None
                if span is not None and setting is not None:
                    related[Related(span, say("`{}` is set here.", ".".join(map(str, setting.pointer))))] = None
            self._related[key] = tuple(related)[: RELATED_PLACES.most]
        return self._related[key]

    def context_origin(self, name: str, path: Pointer) -> Origin | None:
        """Where a part of the context is written, such as `context.labels` at `tier`; not the environment itself, which is around all of it."""
        known = ".".join(map(str, (name, *path[:1]))).removeprefix(f"{CONTEXT}.")
        return self.root.parameters.context_origins.get(known) if known != "environment" else None

    # -- what is read itself

    def _compiled(self, compiled: Compiled, rest: Pointer, positions: Positions, reads: Reads) -> None:
        if isinstance(compiled, Overlaid):
            self._compiled(compiled.own, rest, positions, reads)
            self._compiled(compiled.base, rest, {}, reads)
            return
        while rest and isinstance(compiled, MapValue):
            below = compiled.entry(str(rest[0]))
            if below is None:
                return
            compiled, rest = below, rest[1:]
        if isinstance(compiled, Dynamic) and isinstance(compiled.content, Formula):
            if rest or isinstance(compiled.content.node, Conditional):
                self._path(compiled.content.node, rest, positions, reads)
            else:
                self._reads(compiled.content, positions, reads)
        elif isinstance(compiled, ListValue) and rest:
            # The item is not there: what decides about the items of the list has left it out.
            for item in compiled.items:
                if isinstance(item, MapValue):
                    for condition in (item.loop.over if item.loop else None, item.when):
                        if condition is not None and isinstance(condition.content, Formula):
                            self._formula(condition.content.node, positions, reads)
        else:
            for formula, _, _ in formulas_of(compiled):
                self._reads(formula, positions, reads)

    def _reads(self, formula: Formula, positions: Positions, reads: Reads) -> None:
        """All that an expression reads."""
        for reference in formula.program.reads:
            self._name(reference.name, reference.path, positions, reads)

    def _path(self, node: Node, rest: Pointer, positions: Positions, reads: Reads) -> None:
        """An expression of which only the part at `rest` was used: exact for chains of fields, choices, and maps that are put together."""
        chain = _chain(node)
        if chain is not None:
            self._name(chain[0], (*chain[1], *rest), positions, reads)
        elif isinstance(node, Conditional):
            self._formula(node.condition, positions, reads)
            self._path(node.then, rest, positions, reads)
            self._path(node.otherwise, rest, positions, reads)
        elif isinstance(node, Call) and node.function == "patched" and rest:
            base, patch = node.arguments
            if not self._entry(patch, rest, positions, reads):
                self._path(base, rest, positions, reads)
        elif not (rest and self._entry(node, rest, positions, reads)):
            self._formula(node, positions, reads)

    def _entry(self, node: Node, rest: Pointer, positions: Positions, reads: Reads) -> bool:
        """Follow the entry of a map literal that `rest` names. False where the expression is none, or has no such entry."""
        if isinstance(node, MapLiteral):
            for key, value in zip(node.keys, node.values, strict=True):
                if isinstance(key, Literal) and key.value == rest[0]:
                    self._path(value, rest[1:], positions, reads)
                    return True
        return False

    def _formula(self, node: Node, positions: Positions, reads: Reads) -> None:
        for reference in references(node):
            self._name(reference.name, reference.path, positions, reads)

    def _name(self, name: str, path: Pointer, positions: Positions, reads: Reads) -> None:
        if name in positions:
            self._variable(name, path, positions, reads)
        elif name == "context":
            if path:
                reads[f"context.{path[0]}", tuple(path[1:])] = None
        elif len(path) <= NESTING.most:  # resources that wait for each other might read ever deeper
            reads[Step(self.environment, name, path)] = None

    def _variable(self, name: str, path: Pointer, positions: Positions, reads: Reads) -> None:
        loop, position = positions[name]
        if not isinstance(loop.over.content, Formula):
            return
        is_item = name == loop.variables[-1]
        step: Pointer = (position,) if position is not None and is_item else ()
        outer = {other: where for other, where in positions.items() if where[0] is not loop}
        self._path(loop.over.content.node, (*step, *path) if step else (), outer, reads)

    # -- what a step reads itself

    def _read_by(self, name: str, path: Pointer) -> Reads | None:
        """What a name of this environment reads, where only the part at a path is asked for; None where that is not known yet."""
        reads: Reads = {}
        template = self.template
        if name in template.parameters:
            self._parameter(name, path, reads)
        elif name in template.values:
            self._compiled(template.values[name].value, path, {}, reads)
        elif name in template.lookups:
            lookup = template.lookups[name]
            for formula, _, _ in formulas_of(lookup.where) + formulas_of(lookup.newest):
                self._formula(formula.node, {}, reads)
        elif name in template.documents:
            document = template.documents[name]
            narrowed = document.narrowed
            uses = content_uses(document) if narrowed is None else [use for each in narrowed.values() for use in formulas_of(each)]
            for formula, _, _ in uses:
                self._formula(formula.node, {}, reads)
        elif name in template.resources:
            resource = template.resources[name]
            if resource.module is not None:
                return self._output(resource, path)
            below = path[1:] if resource.loop else path
            positions: Positions = dict.fromkeys(resource.loop.variables, (resource.loop, None)) if resource.loop else {}
            if below:
                self._compiled(resource.properties, below, positions, reads)
        return reads

    def _parameter(self, name: str, path: Pointer, reads: Reads) -> None:
        declaration = self.template.parameters[name]
        use = self.environment.use
        if use is not None and use.resource.properties.entry(name) is not None:
            above = Tracer(use.scope)
            compiled, rest, positions, _ = above.leaf(use, (name, *path))
            above._compiled(compiled, rest, positions, reads)
            return
        if name in self.environment.parameters.defaulted and declaration.default is not None:
            self._compiled(declaration.default, path, {}, reads)
        if not reads:
            reads[name, path] = None

    def _output(self, resource: Resource, path: Pointer) -> Reads | None:
        """What an output of a module reads; of a loop, that of the item that is named, or of any."""
        instances = self.environment.instances(resource)
        if instances is None:
            return None
        key = str(path[0]) if resource.loop and path else None
        instance = instances.get(key) or next(iter(instances.values()), None)
        path = path[1:] if resource.loop else path
        output = instance.inside.template.outputs.get(str(path[0])) if instance and instance.inside and path else None
        reads: Reads = {}
        if instance is not None and instance.inside is not None and output is not None:
            Tracer(instance.inside)._compiled(output.value, path[1:], {}, reads)
        return reads

    # -- from reads to parameters

    def _followed(self, reads: Reads) -> list[Source]:
        """The parameters that some reads lead to, in the order in which they are met."""
        found: dict[Source, None] = {}
        for each in reads:
            if isinstance(each, Step):
                behind = self._behind(each)
                self._through_module = self._through_module or behind.through_module
                found.update(dict.fromkeys(behind.sources))
            else:
                found[each] = None
        return list(found)

    def _behind(self, start: Step) -> _Behind:
        """The parameters behind a step. Each step on the way is looked at once, those below before those above."""
        if start in self._steps:
            return self._steps[start]
        first = _Visit.of(start)
        if first is None:
            return self._reached(start)
        open_visits, under_way = [first], {start}
        while open_visits:
            visit = open_visits[-1]
            following = visit.next_unknown(self._steps)
            if following is None:
                behind = visit.behind()
                self._steps[visit.step] = behind
                under_way.discard(visit.step)
                open_visits.pop()
                continue
            entered = _Visit.of(following) if following not in under_way else None
            if entered is None:  # a circle, or what is not known yet: nothing of it is kept
                return self._reached(start)
            under_way.add(following)
            open_visits.append(entered)
        return self._steps[start]

    @staticmethod
    def _reached(start: Step) -> _Behind:
        """The same where steps go in a circle."""
        found: dict[Source, None] = {}
        seen, waiting = {start}, [start]
        while waiting:
            step = waiting.pop()
            reads = list(Tracer(step.scope)._read_by(step.name, step.path) or ())
            found.update(dict.fromkeys(each for each in reads if not isinstance(each, Step)))
            steps = [each for each in reads if isinstance(each, Step) and each not in seen]
            seen.update(steps)
            waiting += reversed(steps)
        return _Behind(tuple(found), True)


class _Visit:
    """A step that is being looked at."""

    def __init__(self, step: Step, reads: Reads) -> None:
        self.step = step
        self._reads: Iterator[Step | Source] = iter(reads)
        self._waits_for: Step | None = None
        self._found: dict[Source, None] = {}
        self._last: tuple[Source, ...] = ()
        resource = step.scope.template.resources.get(step.name)
        self._through_module = resource is not None and resource.module is not None

    @classmethod
    def of(cls, step: Step) -> "_Visit | None":
        """The beginning; None where nobody knows yet what the step reads."""
        reads = Tracer(step.scope)._read_by(step.name, step.path)
        return cls(step, reads) if reads is not None else None

    def next_unknown(self, known: dict[Step, _Behind]) -> Step | None:
        """Take in what is known of the reads that follow; the first of which it is not."""
        waits_for, self._waits_for = self._waits_for, None
        while True:
            read = waits_for if waits_for is not None else next(self._reads, None)
            waits_for = None
            if read is None:
                return None
            if not isinstance(read, Step):
                self._found[read] = None
                continue
            behind = known.get(read)
            if behind is None:
                self._waits_for = read
                return read
            self._found.update(dict.fromkeys(behind.sources))
            self._last = behind.sources
            self._through_module = self._through_module or behind.through_module

    def behind(self) -> _Behind:
        """What was found; very long chains share one list."""
        found = tuple(self._found)
        return _Behind(self._last if found == self._last else found, self._through_module)


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
