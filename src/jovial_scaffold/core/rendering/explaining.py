"""Why a rendered value is what it is: a tree from the value through expressions, names, functions, lookups and modules to parameters.

It is long because each kind of thing that a value can come from has its step here.
"""

from collections.abc import Iterator, Mapping, Sequence
from enum import Enum
from typing import Any, Final

from jovial_scaffold.core import marks
from jovial_scaffold.core.expressions.errors import EvaluationError
from jovial_scaffold.core.expressions.pending import Pending
from jovial_scaffold.core.expressions.placeholders import Formula
from jovial_scaffold.core.expressions.syntax import Node
from jovial_scaffold.core.expressions.values import NONE, Optional, Record, Secret
from jovial_scaffold.core.findings import Span
from jovial_scaffold.core.records import replace, value_record
from jovial_scaffold.core.rendering.absence import Absent, absent_at
from jovial_scaffold.core.rendering.computing import OMITTED, plain
from jovial_scaffold.core.rendering.instances import Instance, Surroundings
from jovial_scaffold.core.rendering.placing import Positions
from jovial_scaffold.core.rendering.rendering import Evaluated
from jovial_scaffold.core.rendering.tracing import Source, tracer_of
from jovial_scaffold.core.rendering.used_names import evaluated, used_names
from jovial_scaffold.core.schemas.lists import NO_LISTS
from jovial_scaffold.core.templates.compiling import formulas_of, shown_text, written_span
from jovial_scaffold.core.templates.model import Compiled, Condition, Constant, Document, Dynamic, ListValue, MapValue, Overlaid, Resource
from jovial_scaffold.core.templates.reaching import flowing
from jovial_scaffold.core.text.source import Pointer, part, pointer_text, value_at
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.words import Value

_DEEPEST = 24
AGAIN = "as above"
"""What is said of a step that was told before."""
NO_ITEM = "no item has this key"
"""What is said of an item that a loop does not have."""


class _Missing(Enum):
    """There is no such value; one in every process."""

    MISSING = "missing"


_MISSING: Final = _Missing.MISSING


@value_record
class SetAt:
    """Where a layer sets a parameter, to what; the first one wins, the others are what it overrode."""

    place: str
    value: Any


@value_record
class Reason:
    """One step of an explanation.

    `kind` is property, value, parameter, default, argument, variable, lookup, row, function, output, resource, document, context, catalog
    or condition; `name` is what people call it, `written` its text in the file, `settings` the layers that set a parameter, and
    `elsewhere` the values of other environments (a mark of its own where there is none).
    """

    kind: str
    name: str
    value: Any
    span: Span | None = None
    written: str = ""
    note: str = ""
    settings: tuple[SetAt, ...] = ()
    elsewhere: Mapping[str, Any] | None = None
    reasons: tuple["Reason", ...] = ()

    @property
    def is_presence(self) -> bool:
        """Whether it says if a resource is there; of a property of one, the name has a colon."""
        return self.kind == "resource" and type(self.value) is bool and ":" not in self.name


class Unexplained(Exception):
    """There is nothing of that name."""


def explain(rendering: Evaluated, others: Sequence[Evaluated], address: str, pointer: Pointer) -> Reason:
    """The tree behind a property, a resource, an output, a document, a value or a parameter. Raises Unexplained."""
    return _Explainer(rendering, others).whole(address, pointer)


class _Explainer:
    def __init__(self, rendering: Evaluated, others: Sequence[Evaluated]) -> None:
        self.rendering = rendering
        self.others = others
        self.shown: set[tuple[Any, ...]] = set()
        #: by label, where another environment has the item that is explained: for a part of a parameter here, the part there, if any
        self.counterparts: dict[str, dict[Source, Pointer | None]] = {}

    def whole(self, address: str, pointer: Pointer) -> Reason:
        resource = self.rendering.resources.get(address)
        if resource is not None:
            self._find_items(resource.instance)
            return self.property(resource.instance, pointer) if pointer else self.presence(resource.instance)
        scope = self.rendering.scope
        output = scope.template.output_at(address)
        if output is not None:
            value = _at(scope.output(output.name), pointer)
            elsewhere = {each.label: _at(each.outputs.get(output.name, _MISSING), pointer) for each in self.others}
            return self.compiled("output", _label(address, pointer), output.value, pointer, {}, {}, scope, value, elsewhere, 0)
        for name in (address,) if address in scope.template.names - scope.template.resources.keys() else ():
            return next(self.name(name, pointer, {}, {}, scope, 0))
        absent = absent_at(scope, address)
        if absent is None:
            raise Unexplained
        return self.absence(absent, address)

    def _find_items(self, instance: Instance) -> None:
        """Items of a loop meet by their keys, wherever parameter files have them."""
        if instance.resource.loop is None or instance.scope.use is not None:
            return
        here = tracer_of(instance.scope).loop_sources(instance.resource, instance.position)
        for other in self.others:
            resource = other.resources.get(instance.address)
            there: list[Source] = []
            if resource is not None:
                there = tracer_of(resource.instance.scope).loop_sources(resource.instance.resource, resource.instance.position)
            alike = [name for name, _ in here] == [name for name, _ in there]
            self.counterparts[other.label] = {source: there[index][1] if alike else None for index, source in enumerate(here)}

    def _in_other(self, other: Evaluated, name: str, path: Pointer) -> Any:
        """What a part of a parameter is in another environment."""
        for (source, prefix), there in self.counterparts.get(other.label, {}).items():
            if prefix and source == name and path[: len(prefix)] == prefix:
                if there is None:
                    return _MISSING
                path = (*there, *path[len(prefix) :])
                break
        return _at(other.parameters.values.get(name, _MISSING), path)

    def property(self, instance: Instance, pointer: Pointer, depth: int = 0) -> Reason:
        """A property of a resource: as it was written, or the catalog's default, or pending."""
        scope = instance.scope
        resource = self.rendering.resources[instance.address]
        lists = resource.type.lists if resource.type is not None else NO_LISTS
        pointer = lists.positions(resource.properties, pointer)
        value = _at(resource.properties, pointer)
        named = lists.keys(resource.properties, pointer)  # items meet by their keys, wherever they stand
        name = _label(instance.address, named)
        elsewhere = {}
        for other in self.others:
            there = other.resources.get(instance.address)
            elsewhere[other.label] = _at(there.properties, lists.positions(there.properties, named)) if there else _MISSING
        if value is _MISSING:
            effective = _at(resource.effective, pointer)
            if effective is _MISSING:
                raise Unexplained
            note = "only the deployment will know it" if isinstance(effective, Pending) else f"the default of {resource.type_text}"
            note = "not set" if effective is UNKNOWN else note
            return Reason("catalog", name, effective, resource.instance.resource.origin.key_span(), "", note)
        compiled, rest, positions, variables = tracer_of(scope).leaf(instance, pointer)
        return self.compiled("property", name, compiled, rest, positions, dict(variables), scope, value, elsewhere, depth)

    def presence(self, instance: Instance) -> Reason:
        """Why a resource is there at all, or what keeps it from being there."""
        resource, scope = instance.resource, instance.scope
        positions: Positions = dict.fromkeys(resource.loop.variables, (resource.loop, instance.position)) if resource.loop else {}
        reasons = []
        for what, condition in (("$per", resource.loop.over if resource.loop else None), ("$when", resource.when), ("$key", resource.key)):
            if condition is not None:
                names = {} if what == "$per" else dict(instance.variables)
                reasons.append(self.condition(what, condition, positions if what != "$per" else {}, names, scope))
        if scope.use is not None:
            reasons.append(self.presence(scope.use))
        elsewhere = {other.label: other.scope.instance_at(instance.address) is not None for other in self.others}
        note = "" if reasons else "it has no condition"
        is_there = instance.address in self.rendering.resources or self.rendering.scope.instance_at(instance.address) is not None
        if not is_there:
            reasons = [each for each in reasons if each.value is False] or reasons
        return Reason(
            "resource", instance.address, is_there, resource.origin.key_span(), _kind(resource), note, (), elsewhere, tuple(reasons)
        )

    def absence(self, absent: Absent, address: str) -> Reason:
        """Why a resource, or an item of a loop, is not there."""
        resource, scope, instance = absent
        if instance is not None:
            return self.presence(instance)
        elsewhere = {other.label: other.scope.instance_at(address) is not None for other in self.others}
        assert resource.loop is not None  # what is single has an instance
        above = (self.presence(scope.use),) if scope.use is not None else ()
        reasons = (self.condition("$per", resource.loop.over, {}, {}, scope), *above)
        return Reason("resource", address, False, resource.origin.key_span(), _kind(resource), NO_ITEM, (), elsewhere, reasons)

    def condition(
        self, what: str, condition: Condition, positions: Positions, variables: dict[str, Any], scope: Surroundings, depth: int = 0
    ) -> Reason:
        if isinstance(condition.content, Constant):
            return Reason("condition", what, condition.content.value, condition.origin.value_span())
        value = _as_shown(evaluated(condition.content.node, scope, variables, UNKNOWN))
        if depth > _DEEPEST:
            found = tracer_of(scope).condition_sources(condition)
            reasons = list(self.parameters(found, scope, depth))
        else:
            reasons = self.references(condition.content.node, (), positions, variables, scope, depth + 1)
        told = Reason("condition", what, value, condition.origin.value_span(), shown_text(condition), reasons=tuple(reasons))
        return _concealed(told) if isinstance(value, list | dict) and _leads_to_secrets(condition, scope) else told

    # -- what a value was computed from

    def compiled(
        self,
        kind: str,
        name: str,
        compiled: Compiled,
        rest: Pointer,
        positions: Positions,
        variables: dict[str, Any],
        scope: Surroundings,
        value: Any,
        elsewhere: Mapping[str, Any] | None,
        depth: int,
        key: tuple[Any, ...] = (),
    ) -> Reason:
        """A value that the template writes. What has a `key` is explained where it is met first."""
        while isinstance(compiled, Overlaid):
            compiled, variables = tracer_of(scope).layer(compiled, rest, variables)
        while rest and isinstance(compiled, MapValue):
            below = compiled.entry(str(rest[0]))
            if below is None:
                break
            compiled, rest = below, rest[1:]
        span = written_span(compiled, rest)
        if key and not self.first(*key):
            return Reason(kind, name, value, span, note=AGAIN)
        note = "put in by `everywhere`" if compiled.origin.pointer[:1] == ("everywhere",) else ""
        if isinstance(compiled, Constant):
            return Reason(kind, name, value, span, note=note or "written there", elsewhere=elsewhere)
        reasons: list[Reason] = []
        written = ""
        if isinstance(compiled, Dynamic):
            whole = isinstance(compiled.content, Formula)
            written = compiled.formulas()[0].text.strip() if whole else str(_written(compiled))
            written = marks.SECRET if compiled.origin.source.conceals(compiled.origin.pointer) else written
        if depth > _DEEPEST:
            note = note or "by further steps"
            reasons = list(self.further(compiled, rest, positions, scope, depth))
        elif isinstance(compiled, Dynamic):
            for formula in compiled.formulas():
                reasons += self.references(formula.node, rest if whole else (), positions, variables, scope, depth + 1)
        elif isinstance(compiled, MapValue | ListValue):
            written = "several parts"
            reasons = self.parts(compiled, positions, variables, scope, depth)
        return Reason(kind, name, value, span, written, note, (), elsewhere, tuple(reasons))

    def further(self, compiled: Compiled, rest: Pointer, positions: Positions, scope: Surroundings, depth: int) -> Iterator[Reason]:
        """The parameters at the end of more steps than anybody reads."""
        return self.parameters(tracer_of(scope).compiled_sources(compiled, rest, positions), scope, depth)

    def parameters(self, sources: Sequence[Source], scope: Surroundings, depth: int) -> Iterator[Reason]:
        """Those that a trace led to."""
        root = tracer_of(scope).root
        for name, path in sources:
            _, is_context, entry = name.partition("context.")
            if is_context:
                yield from self.name("context", (entry, *path), {}, {}, root, depth)
            elif name in root.template.parameters:
                yield from self.name(name, path, {}, {}, root, depth)

    def parts(self, compiled: Compiled, positions: Positions, variables: dict[str, Any], scope: Surroundings, depth: int) -> list[Reason]:
        """What the parts of a map or list were computed from, each once."""
        found: dict[tuple[str, str], Reason] = {}
        for formula, _, _ in formulas_of(compiled):
            for each in self.references(formula.node, (), positions, variables, scope, depth + 1):
                found.setdefault((each.kind, each.name), each)
        return list(found.values())

    def document(self, document: Document, scope: Surroundings, depth: int) -> Iterator[Reason]:
        """What the placeholders of a document were filled in from, and what its target was made of, each once."""
        found: dict[tuple[str, str], Reason] = {}
        for narrowed in (document.narrowed or {}).values():
            for each in self.parts(narrowed, {}, {}, scope, depth):
                found.setdefault((each.kind, each.name), each)
        formulas = [] if document.narrowed is not None else [each.formula for each in document.placeholders]
        formulas += [formula for formula, _, _ in formulas_of(document.to)]
        for formula in formulas:
            for each in self.references(formula.node, (), {}, {}, scope, depth + 1):
                found.setdefault((each.kind, each.name), each)
        yield from found.values()

    def references(
        self, node: Node, rest: Pointer, positions: Positions, variables: dict[str, Any], scope: Surroundings, depth: int
    ) -> list[Reason]:
        """The names behind an expression, of `?:` only those of the side that was taken."""
        found: list[Reason] = []
        for name, path, is_call in dict.fromkeys(used_names(node, rest, scope, variables, frozenset())):
            if is_call:
                found += self.function(name, scope, depth)
            else:
                found += self.name(name, path, positions, variables, scope, depth)
        return found

    def function(self, name: str, scope: Surroundings, depth: int) -> Iterator[Reason]:
        function = scope.template.functions.get(name)
        if function is not None and self.first("function", scope, name):
            text = function.body.content.text.strip() if isinstance(function.body.content, Formula) else ""
            source, pointer = function.body.origin
            text = marks.SECRET if source.conceals(pointer) else text
            yield Reason("function", f"{name}({', '.join(function.takes)})", _MISSING, function.body.origin.value_span(), text)

    def first(self, *key: Any) -> bool:
        """Whether a step was not shown before."""
        if key in self.shown:
            return False
        self.shown.add(key)
        return True

    def name(
        self, name: str, path: Pointer, positions: Positions, variables: dict[str, Any], scope: Surroundings, depth: int
    ) -> Iterator[Reason]:
        """What stands behind a name."""
        found = self._behind(name, path, positions, variables, scope, depth)
        is_secret = name not in variables and name in scope.template.secret_names
        yield from map(_concealed, found) if is_secret else found

    def _behind(
        self, name: str, path: Pointer, positions: Positions, variables: dict[str, Any], scope: Surroundings, depth: int
    ) -> Iterator[Reason]:
        template = scope.template
        label = f"{scope.prefix}{_dotted(name, path)}"
        if name in variables:
            yield from self.variable(name, path, positions, variables, scope, depth)
        elif name in template.parameters:
            yield self.parameter(name, path, scope, depth)
        elif name in template.values:
            value = _at(_named(scope, name), path)
            elsewhere = self.elsewhere(scope, name, path)
            key = (scope, name, path)
            yield self.compiled("value", label, template.values[name].value, path, {}, {}, scope, value, elsewhere, depth, key)
        elif name in template.lookups:
            yield self.lookup(name, path, label, scope, depth)
        elif name in template.resources:
            yield from self.resource(template.resources[name], path, scope, depth)
        elif name in template.documents:
            document = template.documents[name]
            if not self.first(scope, name, ()):
                yield Reason("document", label, _named(scope, name), document.origin.key_span(), note=AGAIN)
                return
            reasons = tuple(self.document(document, scope, depth))
            note = f"from {document.file.source.name}"
            yield Reason("document", label, _named(scope, name), document.origin.key_span(), note=note, reasons=reasons)
        elif name == "context":
            value = _at(scope.shared.context, path)
            elsewhere = {other.label: _at(other.context, path) for other in self.others}
            origin = self.rendering.parameters.context_origins.get(".".join(map(str, path[:2])))
            yield Reason("context", _dotted(name, path), value, origin.key_span() if origin is not None else None, elsewhere=elsewhere)

    def elsewhere(self, scope: Surroundings, name: str, path: Pointer) -> Mapping[str, Any]:
        """A named value in the other environments; inside of a module, in the same use."""
        found = {}
        for other in self.others:
            there: Surroundings | None = other.scope
            if scope.use is not None:
                chain = other.scope.along(f"{scope.use.address}/x")
                there = None
                if chain:
                    uses = (chain[-1][0].instances(chain[-1][1]) or {}).values()
                    there = next((each.inside for each in uses if each.address == scope.use.address), None)
            found[other.label] = _at(_named(there, name), path) if there is not None else _MISSING
        return found

    def parameter(self, name: str, path: Pointer, scope: Surroundings, depth: int) -> Reason:
        declaration = scope.template.parameters[name]
        value = _at(_named(scope, name), path)
        key = (scope, name, path)
        use = scope.use
        if use is not None:
            label = f"{scope.prefix}{_dotted(name, path)}"
            if use.resource.properties.entry(name) is not None:
                compiled, rest, positions, variables = tracer_of(use.scope).leaf(use, (name, *path))
                return self.compiled("argument", label, compiled, rest, positions, dict(variables), use.scope, value, None, depth, key)
            if declaration.default is None:
                return Reason("argument", label, value, declaration.origin.key_span(), note="not given")
            return self.compiled("default", label, declaration.default, path, {}, {}, scope, value, None, depth, key)
        elsewhere = {other.label: self._in_other(other, name, path) for other in self.others}
        label = _dotted(name, path)
        if name in scope.parameters.defaulted and declaration.default is not None:
            found = self.compiled("default", label, declaration.default, path, {}, {}, scope, value, elsewhere, depth, key)
            return replace(found, note=found.note if found.note == AGAIN else "the default of the parameter; no file sets it")
        settings = []
        for layer in reversed(scope.parameters.layers):
            setting = scope.parameters.setting_in(layer, (name, *path))
            if setting is not None:
                settings.append(SetAt(setting.text(), _at(layer.values, setting.pointer)))
        span = declaration.origin.key_span()
        return Reason("parameter", label, value, span, settings=tuple(settings), elsewhere=elsewhere)

    def variable(
        self, name: str, path: Pointer, positions: Positions, variables: dict[str, Any], scope: Surroundings, depth: int
    ) -> Iterator[Reason]:
        """A loop variable: what the loop goes over, at this item's position."""
        if name not in positions:
            return
        loop, position = positions[name]
        over = loop.over.content
        if not isinstance(over, Formula):
            return
        is_item = name == loop.variables[-1]
        value = _at(variables[name], path)
        inner: Pointer = (position, *path) if is_item and position is not None else ()
        outer = {other: where for other, where in positions.items() if where[0] is not loop}
        reasons = self.references(over.node, inner, outer, {k: v for k, v in variables.items() if k in outer}, scope, depth + 1)
        found = Reason("variable", _dotted(name, path), value, loop.over.origin.value_span(), shown_text(loop.over), reasons=tuple(reasons))
        yield _concealed(found) if _leads_to_secrets(loop.over, scope) else found

    def lookup(self, name: str, path: Pointer, label: str, scope: Surroundings, depth: int) -> Reason:
        lookup = scope.template.lookups[name]
        row = _named(scope, name)
        elsewhere = self.elsewhere(scope, name, path)
        reasons: list[Reason] = []
        if lookup.table is not None and isinstance(row, dict):
            index = next((number for number, each in enumerate(lookup.table.rows) if each is row), None)
            if index is not None:
                place = lookup.table.origin.child(index)
                reasons.append(Reason("row", f"row {index + 1} of {lookup.table.name}", row, place.value_span()))
        written = ""
        if isinstance(lookup.where.content, Formula):
            written = shown_text(lookup.where)
            reasons += self.references(lookup.where.content.node, (), {}, {"row": row}, scope, depth + 1)
        return Reason("lookup", label, _at(row, path), lookup.origin.key_span(), written, "", (), elsewhere, tuple(reasons))

    def resource(self, resource: Resource, path: Pointer, scope: Surroundings, depth: int) -> Iterator[Reason]:
        """A property of another resource, or an output of a module."""
        instances = scope.instances(resource) or {}
        key = str(path[0]) if resource.loop and path else None
        instance = instances.get(key)
        rest = path[1:] if resource.loop else path
        if instance is None or not rest:
            reasons = (*self.items(resource, instances, scope, depth), *self.there(resource, instance, scope, depth))
            yield Reason("resource", f"{scope.prefix}{_label(resource.name, path)}", _MISSING, resource.origin.key_span(), reasons=reasons)
            return
        if resource.module is not None:
            inside = instance.inside
            output = inside.template.outputs.get(str(rest[0])) if inside else None
            if inside is not None and output is not None:
                value = _at(inside.output(output.name), rest[1:])
                label = _label(instance.address, rest)
                yield self.compiled("output", label, output.value, rest[1:], {}, {}, inside, value, None, depth, ("output", label))
            return
        if not self.first("resource", instance.address, rest):
            yield Reason("resource", _label(instance.address, rest), _MISSING, resource.origin.key_span(), note=AGAIN)
            return
        try:
            found = self.property(instance, rest, depth)
        except Unexplained:
            return
        reasons = (*found.reasons, *self.there(resource, instance, scope, depth))
        yield replace(found, kind="resource" if found.kind == "property" else found.kind, reasons=reasons)

    def items(self, resource: Resource, instances: "Mapping[str | None, Instance]", scope: Surroundings, depth: int) -> Iterator[Reason]:
        """What the items of a resource were computed from, where it is read as a whole, or at a key that a loop gives."""
        item = next(iter(instances.values()), None)
        if item is None or resource.module is not None or not self.first("items", scope, resource.name):
            return
        positions: Positions = {}
        if resource.loop is not None:
            positions = dict.fromkeys(resource.loop.variables, (resource.loop, None))
        yield from self.parts(resource.properties, positions, dict(item.variables), scope, depth)

    def there(self, resource: Resource, instance: "Instance | None", scope: Surroundings, depth: int) -> Iterator[Reason]:
        """Why a resource that is read is there, or is not; said once."""
        if not self.first("there", scope, resource.name, instance.address if instance is not None else ""):
            return
        positions: Positions = {}
        variables: dict[str, Any] = {}
        if resource.loop is not None:
            if instance is None:
                yield self.condition("$per", resource.loop.over, {}, {}, scope, depth)
                return
            positions = dict.fromkeys(resource.loop.variables, (resource.loop, instance.position))
            variables = dict(instance.variables)
        if resource.when is not None and not isinstance(resource.when.content, Constant):
            yield self.condition("$when", resource.when, positions, variables, scope, depth)


def _named(scope: Surroundings, name: str) -> Any:
    try:
        value = scope.value(name)
    except EvaluationError:
        return _MISSING
    return _MISSING if value is NONE else value.value if type(value) is Optional else value


def _at(value: Any, pointer: Pointer) -> Any:
    for step in pointer:
        if isinstance(value, Secret | Pending) or value is UNKNOWN:
            return value
        if isinstance(value, Record):
            try:
                value = value.select(str(step))
            except EvaluationError:
                return _MISSING
            continue
        try:
            value = part(value, step)
        except KeyError:
            return _MISSING
    return _MISSING if value is OMITTED else _as_shown(value)


def _as_shown(value: Any) -> Any:
    """The value as plain data: of a loop over resources, it may hold some."""
    if not isinstance(value, Record | list | dict):
        return value
    try:
        return plain(value)
    except EvaluationError:
        return _MISSING


def _kind(resource: Resource) -> str:
    """The type of a resource, or the module that it uses, whether it is there or not."""
    return resource.type.id if resource.type is not None and resource.module is None else resource.type_text


def _label(address: str, path: Pointer) -> str:
    """A property of an address: `gates/kes:disks/0`."""
    return f"{address}:{pointer_text(path)}" if path else address


def _leads_to_secrets(over: Condition, scope: Surroundings) -> bool:
    """Whether what a loop goes over is written, or read, as something of which a part stands at a secret place."""
    names = flowing(over.content.node) if isinstance(over.content, Formula) else ()
    return over.origin.source.conceals(over.origin.pointer) or not scope.template.secret_names.isdisjoint(names)


def _concealed(reason: Reason) -> Reason:
    """A step whose value stands at a secret property, too: it may be all of the secret."""
    elsewhere = {label: _as_secret(each) for label, each in reason.elsewhere.items()} if reason.elsewhere is not None else None
    settings = tuple(replace(each, value=_as_secret(each.value)) for each in reason.settings)
    rows = tuple(_concealed(each) if each.kind == "row" else each for each in reason.reasons)
    return replace(reason, value=_as_secret(reason.value), settings=settings, elsewhere=elsewhere, reasons=rows)


def _as_secret(value: Any) -> Any:
    return value if value is _MISSING or isinstance(value, Secret) else Secret(value)


def _dotted(name: str, path: Pointer) -> str:
    """A part of a named value, as expressions write it: `stations[0].code`."""
    steps = (f"[{step}]" if isinstance(step, int) else f".{step}" if step.isidentifier() else f"[{Value(step)}]" for step in path)
    return "".join((name, *steps))


def _written(compiled: Dynamic) -> str:
    content = value_at(compiled.origin.source.value, compiled.origin.pointer)
    return content if isinstance(content, str) else ""


def is_missing(value: Any) -> bool:
    """Whether a value of a reason stands for "there is none"."""
    return value is _MISSING
