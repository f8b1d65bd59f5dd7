"""One template in one environment: its names, lazily evaluated values, the items of its resources, and what reads what.

A use of a module is an `Environment` inside of another: its parameters are computed where it is used, when they are first read.
`rendering.render` gives the finished `Rendering`. All state of a rendering lives in its environments for as long as it runs.

It is long because names, parameters, resources and conditions read each other, and are evaluated when they are first read.
"""

from collections.abc import Callable, Iterable, Iterator, Mapping
from typing import Any
from urllib.parse import quote, unquote

from jovial_scaffold.core.expressions.errors import EvaluationError
from jovial_scaffold.core.expressions.pending import Pending
from jovial_scaffold.core.expressions.placeholders import Formula
from jovial_scaffold.core.expressions.program import Program
from jovial_scaffold.core.expressions.scopes import LookupScope, Names, OwnFunction
from jovial_scaffold.core.expressions.values import NONE, Optional, Record, Secret
from jovial_scaffold.core.findings import Finding, Related
from jovial_scaffold.core.limits import INSTANCES
from jovial_scaffold.core.meter import Meter
from jovial_scaffold.core.parameters.resolving import Parameters
from jovial_scaffold.core.records import replace
from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.rendering.computing import OMITTED, Computer, Site, plain, whole_doubles
from jovial_scaffold.core.rendering.documents import EvaluatedDocument, rendered_document
from jovial_scaffold.core.rendering.instances import NOTHING_READ, Instance, Order, Shared, Surroundings
from jovial_scaffold.core.rendering.lookups import look_up
from jovial_scaffold.core.rendering.messages import message_text
from jovial_scaffold.core.rendering.plan import Plan
from jovial_scaffold.core.rendering.records import AbsentRecord, LoopRecord, ModuleRecord, ResourceRecord
from jovial_scaffold.core.rendering.shapes import Code, Constants, Values
from jovial_scaffold.core.schemas.navigation import subschema
from jovial_scaffold.core.templates.compiling import default_part, reads_nothing_of, written_span
from jovial_scaffold.core.templates.model import (
    Compiled,
    Condition,
    Constant,
    Declaration,
    Requirement,
    Resource,
    may_be_absent,
)
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.words import NOTHING, Described, Value, nearest, say, told

_NO_VARIABLES: Mapping[str, Any] = {}
_PLAIN_KEY = regex(r"[A-Za-z0-9_.-]+\Z")


class _Names(dict[str, Any]):
    """What generated code looks names up in: values that read no resource are kept here, and resources, which note by themselves who reads
    them. All others are asked for each time."""

    __slots__ = ("_scope", "meter", "plain")

    def __init__(self, scope: "Environment") -> None:
        self._scope = scope
        self.meter = scope.shared.meter
        self.plain = _PlainNames(self)

    def __missing__(self, name: str) -> Any:
        value = self._scope.value(name)
        if self._scope.reads_nothing(name) or type(value) is ResourceRecord:
            self[name] = value
        return value


class _PlainNames(dict[str, Any]):
    """The same values as they may stand in a resource: one that stands in very many is made so once."""

    __slots__ = ("_names",)

    def __init__(self, names: _Names) -> None:
        self._names = names

    def __missing__(self, name: str) -> Any:
        value = self._names[name]
        result = plain(value)
        if name in self._names and not isinstance(value, Record):
            self[name] = result
        return result


class Environment(LookupScope):
    """The scope of a template's expressions in one environment. `use` is the use of a module that it belongs to, if any."""

    def __init__(self, plan: Plan, shared: Shared, parameters: Parameters, use: Instance | None = None) -> None:
        self.plan = plan
        self.template = plan.template
        self.shared = shared
        self.parameters = parameters
        self.use = use
        self.prefix = f"{use.address}/" if use else ""
        self.computer = Computer(self, parameters.environment, self.report)
        self._known: dict[str, tuple[Any, frozenset[str] | set[str]]] = {}
        self._names = _Names(self)
        self._defaulting: set[str] = set()
        self._instances: dict[str, dict[str | None, Instance] | None] = {}
        self._protected: dict[str, bool] = {}  # whether a resource is to be kept
        self._held: dict[Program, tuple[bool, frozenset[str]]] = {}  # conditions, with the addresses that they read
        self._outputs: dict[str, tuple[Any, set[str]]] = {}
        self.order = Order(self)
        self.documents: dict[str, EvaluatedDocument] = {}
        if use is None:  # modules that use modules multiply: known before one of them is made
            least = shared.plans.least_instances(plan.template)
            shared.instances = least if least > INSTANCES.most else 0

    def report(self, finding: Finding) -> None:
        """A finding; of a module, with the uses that led there."""
        chain = self.chain()
        self.shared.report(replace(finding, related=(*finding.related, *chain)) if chain else finding)

    def chain(self) -> tuple[Related, ...]:
        """The uses of modules that lead to this environment, the innermost first."""
        found = []
        use = self.use
        while use is not None:
            label = use.resource.module.label if use.resource.module else use.resource.type_text
            found.append(Related(use.resource.origin.key_span(), say("`{}` uses {} here.", use.address, label)))
            use = use.scope.use
        return tuple(found)

    @property
    def meter(self) -> Meter:
        """What the run may still do: whoever evaluates in this scope spends it."""
        return self.shared.meter

    @property
    def names(self) -> Names:
        """What generated code looks names up in."""
        return self._names

    def reads_nothing(self, name: str) -> bool:
        """Whether a name has a value that was computed without reading a resource."""
        found = self._known.get(name)
        return found is not None and not found[1]

    # -- names

    def value(self, name: str) -> Any:
        """The value of a name of the template. Raises EvaluationError where there is none."""
        found = self._known.get(name)
        if found is not None:
            if found[1]:
                self.shared.reading[-1] |= found[1]
            return found[0]
        template = self.template
        if name in template.resources:
            return self._resource(template.resources[name])
        if name in template.parameters and not self.order.receives:  # then nobody has to note what it reads
            value = self._parameter(template.parameters[name])
            self._known[name] = (value, NOTHING_READ)
            return value
        compute = self._computation(name)
        if compute is not None:
            return self._kept(self._known, name, compute)
        if name == "context":
            return self.shared.context
        if name in template.unknown_names or template.unread:
            return UNKNOWN
        raise EvaluationError(say("Nothing is called `{}`.", name), hint=nearest(name, self.plan.speller), id="name-unknown")

    def function(self, name: str) -> OwnFunction | None:
        """A function of the template."""
        return self.plan.functions.function(name)

    def _computation(self, name: str) -> Callable[[], Any] | None:
        template = self.template
        if name in template.parameters:
            return lambda: self._parameter(template.parameters[name])
        if name in template.values:
            return lambda: self._named(template.values[name].value)
        if name in template.lookups:
            return lambda: look_up(template.lookups[name], self.computer)
        if name in template.documents:
            return lambda: self.document(name).value
        return None

    def _kept(self, store: dict[str, Any], name: str, compute: Callable[[], Any]) -> Any:
        """Compute a value once, with the addresses that it was read from; each reader depends on them."""
        reading = self.shared.reading
        reading.append(set())
        value = compute()
        reads = reading.pop()
        store[name] = (value, reads)
        reading[-1] |= reads
        return value

    def _named(self, compiled: Compiled) -> Any:
        """A named value: an optional where it may be absent, so that whoever reads it has to say what then."""
        value = self.computer.whole(compiled, {}, Site())
        if not may_be_absent(compiled) or value is UNKNOWN or isinstance(value, Pending):
            return value
        return NONE if value is OMITTED else Optional(value)

    def document(self, name: str) -> EvaluatedDocument:
        """A document, filled in once."""
        if name not in self.documents:
            self.documents[name] = rendered_document(self.template.documents[name], self, f"{self.prefix}{name}")
        return self.documents[name]

    def output(self, name: str) -> Any:
        """An output of the template, OMITTED where it is absent; a module's are read from outside."""
        found = self._outputs.get(name)
        if found is None:
            output = self.template.outputs[name]
            return self._kept(self._outputs, name, lambda: self.computer.whole(output.value, {}, Site()))
        self.shared.reading[-1] |= found[1]
        return found[0]

    # -- parameters

    def _parameter(self, declaration: Declaration) -> Any:
        values = self.parameters.values
        if declaration.name not in values:
            values[declaration.name] = self._argument(declaration) if self.use else self._default(declaration)
        return values[declaration.name]

    def _argument(self, declaration: Declaration) -> Any:
        """What the use of a module sets a parameter to; what its schema says against it is reported where the use is judged."""
        assert self.use is not None
        use, name = self.use, declaration.name
        for written, compiled in use.resource.properties.entries:
            if written == name:
                value = use.scope.property(use, name, compiled)
                break
        else:
            value = OMITTED
        use.scope.shared.reading[-1] |= (use.property_reads or {}).get(name, NOTHING_READ)
        if value is OMITTED:
            return self._default(declaration)
        if value is UNKNOWN or isinstance(value, Pending):
            return value
        if isinstance(value, Record):
            value = value.whole()
        checker = self.plan.checker
        if type(value) is checker.simple_type(declaration):
            return value
        if checker.violations(declaration, value) or self._has_doubles_as_integers(declaration, value):
            return UNKNOWN
        return value if isinstance(value, Secret) else checker.marked(declaration, checker.as_declared(declaration, value))

    def _default(self, declaration: Declaration) -> Any:
        name = declaration.name
        if declaration.default is None or not reads_nothing_of(self.plan.later_names, declaration.default):
            return UNKNOWN  # that it reads what is not there yet is said of the template
        if self.use is not None and name not in self.parameters.defaulted:
            self.parameters.defaulted = (*self.parameters.defaulted, name)
        if name in self._defaulting:
            message = say("The default of `{}` depends on itself.", name)
            span = declaration.default.origin.value_span()
            self.report(Finding("value-cycle", "error", message, span, say("Give it a default that reads other parameters.")))
            return UNKNOWN
        self._defaulting.add(name)
        value = self.computer.whole(declaration.default, {}, Site())
        self._defaulting.discard(name)
        if value is OMITTED:
            message = say("The default of `{}` is absent here.", name)
            span = declaration.default.origin.value_span()
            hint = say("Give it a value for every case, for example with .orValue(…).")
            self.report(Finding("default-absent", "error", message, span, hint, environments=(self.parameters.environment,)))
            return UNKNOWN
        return self._fitting_default(declaration, value)

    def _has_doubles_as_integers(self, declaration: Declaration, value: Any) -> bool:
        """Whether a double that was computed stands where the declaration takes an integer."""
        return any(part.get("type") == "integer" for pointer in whole_doubles(value) for part in subschema(declaration.schema, pointer))

    def _fitting_default(self, declaration: Declaration, value: Any) -> Any:
        assert declaration.default is not None
        if value is UNKNOWN:
            return value
        if isinstance(declaration.default, Constant) or (
            not isinstance(value, Secret | Pending) and not self._has_doubles_as_integers(declaration, value)
        ):
            value = self.plan.checker.as_declared(declaration, value)
        value = self.plan.checker.marked(declaration, value)
        violations = self.plan.checker.violations(declaration, value)
        if not violations and self._has_doubles_as_integers(declaration, value):
            message = say("The default of `{}` takes an integer, and this gives a double.", declaration.name)
            span = declaration.default.origin.value_span()
            hint = say("Write int(…) around the expression.")
            self.report(Finding("default-type", "error", message, span, hint, environments=(self.parameters.environment,)))
            return UNKNOWN
        for violation in violations:
            span = written_span(declaration.default, violation.pointer)
            message = violation.message.about(default_part(declaration.name, violation.pointer))
            environments = (self.parameters.environment,)
            self.report(Finding(f"default-{violation.id}", "error", message, span, violation.hint, environments=environments))
        return UNKNOWN if violations else value

    # -- resources

    def instances(self, resource: Resource) -> dict[str | None, Instance] | None:
        """The items of a resource that are present, by key; a resource without `$per` has the key None. None where unknown."""
        if resource.name not in self._instances:
            if resource.loop is None and resource.when is None:
                self._instances[resource.name] = {None: self._instance(resource, None, _NO_VARIABLES, None)}
                return self._instances[resource.name]
            self._instances[resource.name] = None  # what reads itself while it is being found stays unknown
            self.shared.reading.append(set())
            found = self._instances[resource.name] = self._found(resource)
            reads = self.shared.reading.pop()
            for instance in (found or {}).values():
                instance.presence = frozenset(reads - {instance.address}) if reads else NOTHING_READ
        return self._instances[resource.name]

    def all_instances(self) -> Iterator[Instance]:
        """Those of all resources, in order."""
        for resource in self.plan.in_order:
            yield from (self.instances(resource) or {}).values()

    def _found(self, resource: Resource) -> dict[str | None, Instance] | None:
        site = Site(f"{self.prefix}{resource.name}", 2)
        if resource.loop is None:
            there = self._holds(resource.when, site) if resource.when else True
            if there is UNKNOWN:
                return None
            return {None: self._instance(resource, None, {}, None)} if there else {}
        rounds = self.computer.rounds(resource.loop, {}, site)
        if rounds is None:
            return None
        found: dict[str | None, Instance] = {}
        for variables, position in rounds:
            there = self.computer.condition(resource.when, variables, site) if resource.when else True
            if there is UNKNOWN:
                return None
            if not there:
                continue
            key = self._key(resource, variables, position, site)
            if key is None:
                return None
            if key in found:
                origin = (resource.key or resource.loop.over).origin
                message = say("Two items of `{}{}` have the key {}.", self.prefix, resource.name, Value(key))
                related = self._item_places(resource, found[key].position, position)
                self.report(
                    Finding(
                        "key-clash",
                        "error",
                        message,
                        origin.value_span(),
                        say("Choose a `$key` that differs for each item."),
                        f"{self.prefix}{resource.name}",
                        "",
                        (self.parameters.environment,),
                        related,
                    )
                )
                continue
            found[key] = self._instance(resource, key, variables, position)
        return found

    def _holds(self, condition: Condition, site: Site) -> Any:
        """Whether the condition of a single resource holds: that of several is evaluated once."""
        content = condition.content
        if not isinstance(content, Formula):
            return self.computer.condition(condition, {}, site)
        known = self._held.get(content.program)
        reading = self.shared.reading[-1]  # which is of this condition alone
        if known is None:
            there = self.computer.condition(condition, {}, site)
            if type(there) is bool:  # else each has its own finding
                self._held[content.program] = there, frozenset(reading)
            return there
        reading |= known[1]
        return known[0]

    def _instance(self, resource: Resource, key: str | None, variables: Mapping[str, Any], position: Any) -> Instance:
        address = f"{self.prefix}{resource.name}"
        if key is not None:
            address = f"{address}/{key if _PLAIN_KEY.match(key) else _percent_encoded(key)}"
        instance = Instance(resource, self, address, key, variables, position)
        self.shared.instances += 1
        if resource.module is not None and self.shared.instances <= INSTANCES.most:
            parameters = Parameters(self.parameters.environment, ())
            instance.inside = Environment(self.shared.plans.of(resource.module.template), self.shared, parameters, instance)
        return instance

    def assumed(self, resource: Resource, key: str | None, variables: Mapping[str, Any]) -> Instance:
        """A resource as if it were there, whatever its `$when` and `$per` say: of a loop, the item with these variables."""
        return self._instance(resource, key, variables, None)

    def _item_places(self, resource: Resource, *positions: Any) -> tuple[Related, ...]:
        from jovial_scaffold.core.rendering.tracing import Tracer

        tracer = Tracer(self)
        related = []
        for position in positions:
            places = tracer.related(tracer.loop_sources(resource, position))
            related += [Related(each.span, say("Item {} is here.", position)) for each in places]
        return tuple(related)

    def _key(self, resource: Resource, variables: Mapping[str, Any], position: Any, site: Site) -> str | None:
        assert resource.loop is not None
        if resource.key is not None:
            value = self.computer.expression(resource.key, variables, site)
            origin = resource.key.origin
        else:
            value = variables[resource.loop.variables[-1]] if isinstance(position, int) else position
            origin = resource.loop.over.origin
        if value is UNKNOWN:
            return None
        if isinstance(value, Pending | Secret):
            reason = "only the deployment will know it" if isinstance(value, Pending) else "it is secret"
            self.computer.problem(
                "key-invalid", say("A key is part of an address, and {}.", reason), origin, site, say("Choose another `$key`.")
            )
            return None
        if isinstance(value, bool) or not isinstance(value, str | int) or value == "":
            hint = (
                say("Write `$key:` with the field that tells the items apart.")
                if isinstance(value, dict)
                else say("A key is a text or an integer.")
            )
            self.computer.problem(
                "key-invalid", say("The key of an item is a text or an integer, and this is {}.", Described(value)), origin, site, hint
            )
            return None
        return str(value)

    def _resource(self, resource: Resource) -> Any:
        instances = self.instances(resource)
        if instances is None:
            return UNKNOWN
        if resource.loop is not None:
            return LoopRecord(self, resource, instances)
        instance = instances.get(None)
        if instance is None:
            return AbsentRecord(resource)
        record = self.record(instance)
        if resource.module is None:  # of a module, each output has its own reads
            self._known[resource.name] = (record, frozenset((instance.address,)))
        return record

    def record(self, instance: Instance) -> Record:
        """A present resource as expressions see it; reading it is an edge of the dependency graph. A module's edges are its outputs'."""
        if instance.resource.module is not None:
            return ModuleRecord(instance)
        self.shared.reading[-1].add(instance.address)
        return ResourceRecord(self, instance)

    def property(self, instance: Instance, name: str, compiled: Compiled) -> Any:
        """A written property, computed once; OMITTED where it is left out."""
        if name in instance.values:
            return instance.values[name]
        computing = instance.computing = instance.computing or set()
        if name in computing:
            if instance.resource.name not in self.plan.cycles[1]:
                message = say("`{}` of {} depends on itself.", name, instance.address)
                self.report(
                    Finding(
                        "resource-cycle",
                        "error",
                        message,
                        compiled.origin.value_span(),
                        NOTHING,
                        instance.address,
                        name,
                        (self.parameters.environment,),
                    )
                )
            return UNKNOWN
        if type(compiled) is Constant:
            instance.values[name] = compiled.value
            return compiled.value
        computing.add(name)
        # What a property of a module's use reads, its parameter needs; of a resource, all properties are one.
        reads = instance.reads if instance.inside is None else set()
        reading = self.shared.reading
        reading.append(reads)
        value = self.computer.whole(compiled, instance.variables, instance.site)
        reading.pop()
        if instance.inside is not None:
            instance.property_reads = instance.property_reads or {}
            instance.property_reads[name] = reads
        computing.discard(name)
        instance.values[name] = value
        return value

    def properties(self, instance: Instance) -> dict[str, Any]:
        """All written properties that are not left out."""
        reading = self.shared.reading
        reading.append(instance.reads)
        resource = instance.resource
        # What each property of a use was computed from is noted only the careful way, where that is anything.
        is_quick = instance.inside is None or not (instance.values or instance.inside.order.receives)
        code = self.plan.codes.of(resource.shape) if is_quick else None
        values = self._computed(code, instance.variables, resource.constants) if code is not None else None
        if code is None or values is None:
            found = {}
            for name, compiled in resource.properties.entries:
                value = self.property(instance, name, compiled)
                if value is not OMITTED:
                    found[name] = value
        elif code.left:
            found = self._completed(instance, code, values)
        else:
            found = instance.values = code.build(values, resource.constants)  # which hold all that it writes
            if resource.shape.is_plain and instance.inside is None:
                instance.computed = (code, values, resource.constants)
        reading.pop()
        return found

    def _completed(self, instance: Instance, code: Code, values: Values) -> dict[str, Any]:
        """The properties by the code of the resource's shape, with those that it leaves to the careful way."""
        left = [instance.resource.properties.entries[index] for index in code.left]
        values += tuple([self.property(instance, name, compiled) for name, compiled in left])
        found = code.build(values, instance.resource.constants)
        for name, _ in left:
            if found[name] is OMITTED:
                del found[name]
        instance.values.update(found)
        return found

    def _computed(self, code: Code, variables: Mapping[str, Any], constants: Constants) -> Values | None:
        try:
            return code.values(self.names, variables, constants)
        except RecursionError:
            raise
        except Exception:  # whatever it is
            return None

    def computed(self, resource: Resource) -> Values | None:
        """All that is computed in a single resource, without the rest of it; None where that can only be told the careful way."""
        code = self.plan.codes.of(resource.shape)
        if code is None or code.left:
            return None
        self.shared.reading.append(set())
        values = self._computed(code, _NO_VARIABLES, resource.constants)
        self.shared.reading.pop()
        return values

    def present(self) -> Iterable[dict[str | None, Instance]]:
        """The items of all resources that were found so far."""
        return [instances for instances in self._instances.values() if instances is not None]

    def incomplete(self) -> bool:
        """Whether something that a template declares could not be read, or nobody knows whether it is there."""
        if self.template.unread or self.template.unknown_names or any(found is None for found in self._instances.values()):
            return True
        return any(each.inside is not None and each.inside.incomplete() for found in self.present() for each in found.values())

    def instance_at(self, address: str) -> Instance | None:
        """What is there at an address: a resource, an item of a loop, or a use of a module."""
        steps = address.split("/")
        scope: Surroundings | None = self
        found: Instance | None = None
        while steps:
            resource = scope.template.resources.get(steps.pop(0)) if scope is not None else None
            if scope is None or resource is None or (resource.loop is not None and not steps):
                return None
            key = unquote(steps.pop(0)) if resource.loop is not None else None
            found = (scope.instances(resource) or {}).get(key)
            scope = found.inside if found is not None else None
        return found

    def along(self, address: str) -> list[tuple[Surroundings, Resource]]:
        """The uses of modules that an address leads through, and the resource itself, as far as they are there."""
        found: list[tuple[Surroundings, Resource]] = []
        scope: Surroundings | None = self
        steps = address.split("/")
        while scope is not None and steps and steps[0] in scope.template.resources:
            resource = scope.template.resources[steps.pop(0)]
            found.append((scope, resource))
            here = f"{scope.prefix}{resource.name}{'/' + steps.pop(0) if resource.loop and steps else ''}"
            instances = (scope.instances(resource) or {}).values()
            scope = next((each.inside for each in instances if each.address == here), None)
        return found

    def kept(self, resource: Resource) -> bool:
        """Whether `$keep` stands on a resource or on a use of a module around it."""
        if resource.keep is None:
            return self.use is not None and self.use.scope.kept(self.use.resource)
        if resource.name not in self._protected:
            own = self.computer.condition(resource.keep, {}, Site(f"{self.prefix}{resource.name}", 2), "$keep")
            self._protected[resource.name] = own is True or (self.use is not None and self.use.scope.kept(self.use.resource))
        return self._protected[resource.name]

    def formerly(self, instance: Instance) -> str:
        """The address that a resource had before it, or a module around it, was renamed; nothing where it has always been the same.

        Of a loop, `$formerly` is the old name before the key.
        """
        above = self.use.scope.formerly(self.use) if self.use is not None else ""
        if not above and not instance.resource.formerly:
            return ""
        prefix = f"{above}/" if above else self.prefix
        key = instance.address.removeprefix(f"{self.prefix}{instance.resource.name}")
        return f"{prefix}{instance.resource.formerly or instance.resource.name}{key}"

    # -- conditions of the author

    def judge(self, requirements: tuple[Requirement, ...]) -> None:
        """Report each `must` that does not hold, with the author's message."""
        for requirement in requirements:
            if not reads_nothing_of(self.plan.later_names, requirement.require, requirement.message):
                continue  # which is said of the template
            held = self.computer.condition(requirement.require, {}, Site(), "require")
            if held is not False:
                continue
            text = told(message_text(requirement.message, self)) or say("A condition over the parameters does not hold.")
            environment = (self.parameters.environment,)
            self.report(
                Finding(
                    "must-failed",
                    "error",
                    text,
                    requirement.require.origin.value_span(),
                    environments=environment,
                    related=self._causes(requirement),
                )
            )

    def _causes(self, requirement: Requirement) -> tuple[Related, ...]:
        from jovial_scaffold.core.rendering.tracing import tracer_of

        tracer = tracer_of(self)
        return tracer.related(tracer.condition_sources(requirement.require))


def _percent_encoded(key: str) -> str:
    return quote(key, safe="")
