"""What a name reaches: the properties, outputs and documents that may be computed from a parameter, a value, a lookup or a resource.

Found from what is written, through names, functions, modules, and what a rebuild gives anew; so it may name too much, never too little.
"""

from collections.abc import Callable, Iterator, Mapping
from typing import Any, NamedTuple

from jovial_scaffold.core.changes.aligning import same
from jovial_scaffold.core.changes.changing import possible_effect
from jovial_scaffold.core.expressions.placeholders import Formula
from jovial_scaffold.core.expressions.references import Reference
from jovial_scaffold.core.parameters.layers import Layer
from jovial_scaffold.core.records import record
from jovial_scaffold.core.rendering.instances import Surroundings
from jovial_scaffold.core.rendering.rendering import Evaluated
from jovial_scaffold.core.schemas.annotations import CHANGE_EFFECTS
from jovial_scaffold.core.templates.compiling import formulas_of, presence_uses
from jovial_scaffold.core.templates.inputs import CONTEXT
from jovial_scaffold.core.templates.model import Compiled, Condition, Document, ListValue, Lookup, MapValue, Resource, Template, parts_of
from jovial_scaffold.core.text.source import Origin, Pointer
from jovial_scaffold.core.text.unknown import UNKNOWN

PRESENCE = "add or remove"
_OUTPUT = "outputs."  # before the name of an output among names
_ALL = "*"  # of a resource, whatever can be read of it


class Touched(NamedTuple):
    """Something that a name may reach: a property of a resource, with what changing it does; a resource's being there (no property); an
    output or a document, whose type says so."""

    address: str
    property: str
    type: str
    effect: str


@record
class _Reach:
    """What some names reach in one template."""

    #: of each resource the properties, `*` for its being there
    properties: dict[str, set[str]]
    outputs: set[str]
    documents: set[str]
    #: of each use of a module, the parameters that it is given otherwise
    given: dict[str, frozenset[str]]
    #: of each resource, the parts that are written with what is reached
    places: dict[str, set[Pointer]]


class Asked(NamedTuple):
    """What it is asked for: names of templates, wherever they are used, and of single uses, by what their addresses begin with. Parts of the
    context go by `context.labels.tier` and their like."""

    of_template: Mapping[Template, frozenset[str]]
    of_use: Mapping[str, frozenset[str]] = {}

    def in_scope(self, scope: Surroundings) -> frozenset[str]:
        """The names in one use."""
        return self.of_template.get(scope.template, _NOTHING) | self.of_use.get(scope.prefix, _NOTHING)


_NOTHING: frozenset[str] = frozenset()


class Impact:
    """What names reach in a project, found once for each template and the names that are its own."""

    def __init__(self) -> None:
        self._known: dict[tuple[Template, frozenset[str]], _Reach] = {}
        self._asked = Asked({})
        self._of_all_uses: dict[Template, frozenset[str]] = {}

    def of(self, rendering: Evaluated, asked: Asked) -> list[Touched]:
        """What some names of the project's template, and of the modules that it uses, reach in one environment, by address."""
        if asked != self._asked:
            self._known, self._asked = {}, asked
            self._of_all_uses = dict(asked.of_template)
            for scope in _scopes(rendering) if asked.of_use else ():
                self._of_all_uses[scope.template] = self._of_all_uses.get(scope.template, _NOTHING) | asked.in_scope(scope)
        reach = self._reach(rendering.scope.template, asked.in_scope(rendering.scope))
        found = [*self._in_scope(rendering.scope, reach)]
        found += [
            Touched(rendering.scope.template.output_address(name), "", "output", "in_place")
            for name in sorted(reach.outputs & rendering.outputs.keys())
        ]
        found += [Touched(name, "", "document", "in_place") for name in sorted(reach.documents & rendering.documents.keys())]
        return found

    def _in_scope(self, scope: Surroundings, reach: _Reach) -> Iterator[Touched]:
        for name, resource in sorted(scope.template.resources.items()):
            properties = reach.properties.get(name, set())
            if not properties and resource.module is None:
                continue
            instances = scope.instances(resource) or {}
            if not instances and _ALL in properties:
                yield from _would_be(resource, scope.prefix)
            for instance in instances.values():
                if instance.inside is not None and resource.module is not None:
                    given = reach.given.get(name, _NOTHING) | self._asked.in_scope(instance.inside)
                    yield from self._in_scope(instance.inside, self._reach(resource.module.template, given))
                    if _ALL in properties:
                        yield from _present(instance.inside)
                    continue
                effects: dict[str, list[str]] = {}
                for place in reach.places.get(name, ()):
                    effects.setdefault(str(place[0]), []).append(possible_effect(resource.type, place))
                for each, possible in sorted(effects.items()):
                    yield Touched(instance.address, each, resource.type_text, max(possible, key=CHANGE_EFFECTS.index))
                if _ALL in properties:
                    yield Touched(instance.address, "", resource.type_text, PRESENCE)

    def _reach(self, template: Template, seeds: frozenset[str]) -> _Reach:
        if (template, seeds) not in self._known:
            self._known[template, seeds] = _Reach({}, set(), set(), {}, {})  # a module that uses itself reaches nothing more
            self._known[template, seeds] = self._found(template, seeds)
        return self._known[template, seeds]

    def _found(self, template: Template, seeds: frozenset[str]) -> _Reach:
        names, functions = set(seeds), {name for name in seeds if name in template.functions}
        reach = _Reach({name: {_ALL} for name in seeds if name in template.resources}, set(), set(), {}, {})

        def hits(*written: Compiled | Condition | None) -> bool:
            return any(
                _hits(formula, names, functions, reach.properties, template) for each in written for formula, *_ in formulas_of(each)
            )

        size = -1
        while size != (
            size := len(names) + len(functions) + sum(map(len, reach.properties.values())) + sum(map(len, reach.given.values()))
        ):
            functions |= {each.name for each in template.functions.values() if hits(each.body)}
            names |= {each.name for each in template.parameters.values() if each.default is not None and hits(each.default)}
            names |= {each.name for each in template.values.values() if hits(each.value)}
            names |= {each.name for each in template.lookups.values() if hits(each.where, each.newest)}
            names |= {each.name for each in template.documents.values() if _document_hits(each, hits, names, functions, reach, template)}
            for resource in template.resources.values():
                own = self._of_resource(resource, hits, names, reach)
                if own:
                    reach.properties.setdefault(resource.name, set()).update(own)
        reach.outputs.update(each.name for each in template.outputs.values() if _OUTPUT + each.name in seeds or hits(each.value))
        reach.documents.update(names & template.documents.keys())
        return reach

    def _of_resource(self, resource: Resource, hits: Any, names: set[str], reach: _Reach) -> set[str]:
        """The properties of a resource that are reached, `*` where its being there is."""
        found = {_ALL} if any(hits(Condition(formula, origin)) for formula, origin, _ in presence_uses(resource)) else set()
        variables = set(resource.variables) if resource.loop is not None and hits(resource.loop.over) else set[str]()

        def reads(compiled: Compiled | Condition) -> bool:
            return hits(compiled) or any(variables.intersection(each.program.read_names) for each, *_ in formulas_of(compiled))

        places = {place for name, value in resource.properties.entries for place in _reading(value, (name,), reads)}
        if places and resource.module is None:
            reach.places[resource.name] = places
        entries = {str(place[0]) for place in places}
        found |= entries
        if resource.module is not None:
            given = frozenset((*entries, *filter(_is_context, names)))
            reach.given[resource.name] = given
            module = resource.module.template
            found |= self._reach(module, given | self._of_all_uses.get(module, _NOTHING)).outputs
        elif resource.type is not None and any(possible_effect(resource.type, each) == "rebuild" for each in places):
            # What is made again gets new values from the cloud.
            found |= {
                name for name, part in resource.type.schema.get("properties", {}).items() if isinstance(part, dict) and part.get("readOnly")
            }
        return found


def _reading(value: Compiled, at: Pointer, reads: Callable[[Compiled | Condition], bool]) -> Iterator[Pointer]:
    """The innermost parts of a value that read something that is reached; an item of a list as a whole, where that decides whether it is there."""
    if not parts_of(value):
        if reads(value):
            yield at
        return
    if isinstance(value, MapValue):
        conditions = [each for each in (value.when, value.loop.over if value.loop else None) if each is not None]
        if any(map(reads, conditions)):
            yield at
    for index, (key, part) in enumerate(parts_of(value)):
        step: Pointer = (key,) if isinstance(value, MapValue) else (index,) if isinstance(value, ListValue) else ()
        yield from _reading(part, (*at, *step), reads)


def _would_be(resource: Resource, prefix: str) -> Iterator[Touched]:
    """What is not there now, and would be: of a use, what is in the module."""
    name = f"{prefix}{resource.name}"
    if resource.module is None:
        yield Touched(name, "", resource.type_text, PRESENCE)
        return
    for each in resource.module.template.resources.values():
        yield from _would_be(each, f"{name}/")


def _present(scope: Surroundings) -> Iterator[Touched]:
    """What is there in a use of a module."""
    for resource in scope.template.resources.values():
        for instance in (scope.instances(resource) or {}).values():
            if instance.inside is not None:
                yield from _present(instance.inside)
            else:
                yield Touched(instance.address, "", resource.type_text, PRESENCE)


def _scopes(rendering: Evaluated) -> list[Surroundings]:
    """The project's own, and that of each use of a module in which something is."""
    found: dict[Surroundings, None] = {rendering.scope: None}
    for resource in rendering.resources.values():
        scope = resource.instance.scope
        while scope not in found:
            found[scope] = None
            if scope.use is None:
                break
            scope = scope.use.scope
    return list(found)


def _is_context(name: str) -> bool:
    return name.partition(".")[0] == CONTEXT


def _reads_context(reference: Reference, names: set[str]) -> bool:
    """Whether a reference reads a part of the context that is reached, what is around it, or what is in it."""
    path = tuple(str(each) for each in reference.path)
    asked = [tuple(each.split(".", 2)[1:]) for each in names if _is_context(each)]
    return any(each[: len(path)] == path[: len(each)] for each in asked)


def _hits(formula: Formula, names: set[str], functions: set[str], properties: Mapping[str, set[str]], template: Template) -> bool:
    """Whether an expression reads something that is reached."""
    if any(call.function in functions for call in formula.program.own_calls):
        return True
    for each in formula.program.reads:
        if each.name == CONTEXT and _reads_context(each, names):
            return True
        if each.name in names and each.name not in template.resources:
            return True
        reached = properties.get(each.name, set())
        if _ALL in reached or (reached and _reads_any(each, reached, template.resources[each.name])):
            return True
    return False


def _reads_any(reference: Reference, reached: set[str], resource: Resource) -> bool:
    """Whether a reference may read one of some properties of a resource: it does not where it names another, or asks only whether it is there."""
    if not reference.path:
        return not reference.optional
    known = resource.type.schema.get("properties", {}) if resource.type is not None else {}
    if resource.module is not None:
        known = resource.module.template.outputs
    read = {step for step in reference.path if step in known}
    return bool(read & reached) or not read


def _document_hits(document: Document, hits: Any, names: set[str], functions: set[str], reach: _Reach, template: Template) -> bool:
    given = list(document.narrowed.values()) if document.narrowed is not None else []
    if hits(document.to, *given):
        return True
    if document.narrowed is not None:
        return False
    return any(_hits(each.formula, names, functions, reach.properties, template) for each in document.placeholders)


def named_at(place: str, rendering: Evaluated) -> Asked:
    """The names that stand at `FILE:LINE`, of the template that has them, which may be that of a module: what a parameter file sets there,
    what is declared there, a label, and the lookups that choose the row there, by the use of the module."""
    file, _, number = place.rpartition(":")
    if not file or not number.isdigit():
        return Asked({})
    line, template = int(number), rendering.scope.template
    is_set = {
        name
        for layer in rendering.parameters.layers
        if layer.source is not None and layer.source.name == file
        for name in _set_at(layer, line)
        if name in template.parameters
    }
    found = {each: _declared_at(each, file, line) for each in _with_modules(template)}
    found[template] |= is_set
    origins = {
        name: origin for name, origin in rendering.parameters.context_origins.items() if name != "environment"
    }  # which is around all
    found[template].update(f"{CONTEXT}.{name}" for name, origin in origins.items() if _is_there(origin, file, line))
    chosen = {
        scope.prefix: frozenset(name for name, lookup in scope.template.lookups.items() if _chooses(scope, lookup, file, line))
        for scope in _scopes(rendering)
    }
    return Asked(
        {each: frozenset(names) for each, names in found.items() if names}, {prefix: names for prefix, names in chosen.items() if names}
    )


def named(what: str, rendering: Evaluated) -> Asked:
    """A name of the template, a part of the context, or what stands at `FILE:LINE`."""
    template = rendering.scope.template
    context = (f"{CONTEXT}.{each}" for each in (*rendering.context, *rendering.parameters.context_origins))
    if what in (*template.names, *template.functions, *context):
        return Asked({template: frozenset((what,))})
    return named_at(what, rendering)


def _with_modules(template: Template) -> list[Template]:
    """A template and those of all modules that it uses, at whatever depth, each once."""
    found = [template]
    for each in found:
        used = (resource.module.template for resource in each.resources.values() if resource.module is not None)
        found += (inner for inner in used if inner not in found)
    return found


def _is_there(origin: Origin, file: str, line: int) -> bool:
    span = origin.value_span()
    return span.file == file and min(span.line, origin.key_span().line) <= line <= span.end_line


def _declared_at(template: Template, file: str, line: int) -> set[str]:
    declared = (template.parameters, template.values, template.functions, template.lookups, template.resources, template.documents)
    found = {name for section in declared for name, each in section.items() if _is_there(each.origin, file, line)}
    known = found & {*template.names, *template.functions}
    return known | {_OUTPUT + name for name, each in template.outputs.items() if _is_there(each.origin, file, line)}


def _chooses(scope: Surroundings, lookup: Lookup, file: str, line: int) -> bool:
    """Whether a lookup gives the row there."""
    table = lookup.table
    if table is None or table.origin.source.name != file or table.broken:
        return False
    row = scope.value(lookup.name)
    there = [index for index, _ in enumerate(table.rows) if _is_there(table.origin.child(index), file, line)]
    return any(row is UNKNOWN or same(table.rows[index], row) for index in there)


def _set_at(layer: Layer, line: int) -> Iterator[str]:
    for name in layer.values:
        key, value = layer.key_span((name,)), layer.span((name,))
        if key is not None and value is not None and key.line <= line <= value.end_line:
            yield name
