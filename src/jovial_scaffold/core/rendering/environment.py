"""One environment: its names, lazily evaluated values, the items of its resources, and what reads what.

`render` gives the finished `Rendering`. All state of a rendering lives in one `Environment` for as long as it runs.
"""

import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

from jovial_scaffold.core.expressions.errors import EvaluationError
from jovial_scaffold.core.expressions.parts import sorted_keys
from jovial_scaffold.core.expressions.scopes import LookupScope
from jovial_scaffold.core.expressions.values import Pending, Record, Secret
from jovial_scaffold.core.findings import Finding, Related
from jovial_scaffold.core.parameters.resolving import Checker, Parameters
from jovial_scaffold.core.rendering.computing import OMITTED, Computer, Site
from jovial_scaffold.core.schemas.shapes import filled
from jovial_scaffold.core.templates.model import Compiled, Declaration, Requirement, Resource, Template
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.text.wording import described, did_you_mean, listed, shown

_PLAIN_KEY = re.compile(r"[A-Za-z0-9_.-]+\Z")
_ABSENT = object()


@dataclass(slots=True, eq=False)
class Instance:
    """A resource that is present: a single one, or one item of a loop. `position` is where the loop's source holds it."""

    resource: Resource
    address: str
    key: str | None
    variables: Mapping[str, Any]
    position: Any
    values: dict[str, Any] = field(default_factory=dict)
    computing: set[str] = field(default_factory=set)
    reads: set[str] = field(default_factory=set)


class Environment(LookupScope):
    """The scope of a template's expressions in one environment."""

    def __init__(
        self,
        template: Template,
        parameters: Parameters,
        context: Mapping[str, Any],
        report: Callable[[Finding], None],
        in_cycle: frozenset[str],
        checker: Checker,
    ) -> None:
        self.template = template
        self.parameters = parameters
        self.context = dict(context)
        self.report = report
        self.in_cycle = in_cycle
        self.checker = checker
        self.computer = Computer(self, parameters.environment, report)
        self._values: dict[str, tuple[Any, set[str]]] = {}
        self._defaulting: set[str] = set()
        self._instances: dict[str, dict[str | None, Instance] | None] = {}
        self._reading: list[set[str]] = [set()]

    # -- names

    def value(self, name: str) -> Any:
        """The value of a name of the template. Raises EvaluationError where there is none."""
        if name in self.parameters.values:
            return self.parameters.values[name]
        if name in self.template.values:
            return self._let(name)
        if name in self.template.resources:
            return self._resource(self.template.resources[name])
        if name in self.template.parameters:
            return self._default(self.template.parameters[name])
        if name == "context":
            return self.context
        if name in self.template.unknown_names or self.template.unread:
            return UNKNOWN
        names = (*self.template.parameters, *self.template.values, *self.template.resources)
        raise EvaluationError(f"Nothing is called `{name}`.", hint=did_you_mean(name, names), id="name-unknown")

    def _let(self, name: str) -> Any:
        found = self._values.get(name)
        if found is None:
            named = self.template.values[name]
            self._reading.append(set())
            value = self.computer.value(named.value, {}, Site())
            found = self._values[name] = (UNKNOWN if value is OMITTED else value, self._reading.pop())
        self._reading[-1] |= found[1]
        return found[0]

    def _default(self, declaration: Declaration) -> Any:
        name = declaration.name
        if name in self._defaulting:
            if declaration.default is not None:
                message = f"The default of `{name}` depends on itself."
                self.report(
                    Finding(
                        "value-cycle",
                        "error",
                        message,
                        declaration.default.origin.value_span(),
                        "Give it a default that reads other parameters.",
                    )
                )
            return UNKNOWN
        if declaration.default is None:
            return UNKNOWN
        self._defaulting.add(name)
        value = self.computer.value(declaration.default, {}, Site())
        self._defaulting.discard(name)
        value = self._fitting_default(declaration, UNKNOWN if value is OMITTED else value)
        self.parameters.values[name] = value
        return value

    def _fitting_default(self, declaration: Declaration, value: Any) -> Any:
        assert declaration.default is not None
        if value is UNKNOWN:
            return value
        if declaration.secret and not isinstance(value, Secret):
            value = Secret(value)
        violations = self.checker.violations(declaration, value)
        for violation in violations:
            span = declaration.default.origin.child(*violation.pointer).value_span()
            message = violation.message.replace("{name}", f"The default of `{declaration.name}`")
            computed = (self.parameters.environment,) if violation.id != "type" else ()
            self.report(
                Finding(
                    f"default-{violation.id}",
                    "error",
                    message,
                    span,
                    violation.hint,
                    environments=computed or (self.parameters.environment,),
                )
            )
        return UNKNOWN if violations else value

    # -- resources

    def instances(self, resource: Resource) -> dict[str | None, Instance] | None:
        """The items of a resource that are present, by key; a resource without `$per` has the key None. None where unknown."""
        if resource.name not in self._instances:
            self._instances[resource.name] = None  # what reads itself while it is being found stays unknown
            self._reading.append(set())
            self._instances[resource.name] = self._found(resource)
            reads = self._reading.pop()
            for instance in (self._instances[resource.name] or {}).values():
                instance.reads |= reads - {instance.address}
        return self._instances[resource.name]

    def _found(self, resource: Resource) -> dict[str | None, Instance] | None:
        site = Site(resource.name, 2)
        if resource.loop is None:
            there = self.computer.condition(resource.when, {}, site) if resource.when else True
            if there is UNKNOWN:
                return None
            return {None: Instance(resource, resource.name, None, {}, None)} if there else {}
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
                message = f"Two items of `{resource.name}` have the key {shown(key)}."
                related = self._item_places(resource, found[key].position, position)
                self.report(
                    Finding(
                        "key-clash",
                        "error",
                        message,
                        origin.value_span(),
                        "Choose a `$key` that differs for each item.",
                        resource.name,
                        "",
                        (self.parameters.environment,),
                        related,
                    )
                )
                continue
            encoded = key if _PLAIN_KEY.match(key) else _percent_encoded(key)
            found[key] = Instance(resource, f"{resource.name}/{encoded}", key, variables, position)
        return found

    def _item_places(self, resource: Resource, *positions: Any) -> tuple[Related, ...]:
        from jovial_scaffold.core.rendering.tracing import Tracer

        tracer = Tracer(self)
        related = []
        for position in positions:
            for name, path in tracer.loop_sources(resource, position):
                setting = self.parameters.setting((name, *path))
                span = setting.span() if setting else None
                if span:
                    related.append(Related(span, f"Item {position} is here."))
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
            self.computer.problem("key-invalid", f"A key is part of an address, and {reason}.", origin, site, "Choose another `$key`.")
            return None
        if isinstance(value, bool) or not isinstance(value, str | int) or value == "":
            hint = (
                "Write `$key:` with the field that tells the items apart." if isinstance(value, dict) else "A key is a text or an integer."
            )
            self.computer.problem(
                "key-invalid", f"The key of an item is a text or an integer, and this is {described(value)}.", origin, site, hint
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
        return self.record(instance) if instance else AbsentRecord(resource)

    def record(self, instance: Instance) -> "ResourceRecord":
        """A present resource as expressions see it; reading it is an edge of the dependency graph."""
        self._reading[-1].add(instance.address)
        return ResourceRecord(self, instance)

    def property(self, instance: Instance, name: str, compiled: Compiled) -> Any:
        """A written property, computed once; OMITTED where it is left out."""
        if name in instance.values:
            return instance.values[name]
        if name in instance.computing:
            if instance.resource.name not in self.in_cycle:
                message = f"`{name}` of {instance.address} depends on itself."
                self.report(
                    Finding(
                        "resource-cycle",
                        "error",
                        message,
                        compiled.origin.value_span(),
                        "",
                        instance.address,
                        name,
                        (self.parameters.environment,),
                    )
                )
            return UNKNOWN
        instance.computing.add(name)
        self._reading.append(set())
        value = self.computer.value(compiled, instance.variables, Site(instance.address, 2))
        instance.reads |= self._reading.pop() - {instance.address}
        instance.computing.discard(name)
        instance.values[name] = value
        return value

    # -- conditions of the author

    def judge(self, requirements: tuple[Requirement, ...]) -> None:
        """Report each `must` that does not hold, with the author's message."""
        for requirement in requirements:
            held = self.computer.condition(requirement.require, {}, Site(), "require")
            if held is not False:
                continue
            message = self.computer.value(requirement.message, {}, Site())
            text = message if isinstance(message, str) else "A condition over the parameters does not hold."
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
        from jovial_scaffold.core.rendering.tracing import Tracer

        return Tracer(self).related(Tracer(self).condition_sources(requirement.require))


def _percent_encoded(key: str) -> str:
    from urllib.parse import quote

    return quote(key, safe="")


class ResourceRecord(Record):
    """A resource as expressions read it: what the template wrote, else the catalog's default, else pending."""

    __slots__ = ("environment", "instance")

    def __init__(self, environment: Environment, instance: Instance) -> None:
        self.environment = environment
        self.instance = instance

    def _written(self, field: str) -> Any:
        for name, compiled in self.instance.resource.properties.entries:
            if name == field:
                value = self.environment.property(self.instance, name, compiled)
                return _ABSENT if value is OMITTED else value
        return _ABSENT

    def select(self, field: str) -> Any:
        """One property."""
        kind = self.instance.resource.type
        value = self._written(field)
        if kind is None:
            return UNKNOWN if value is _ABSENT else value
        below = kind.shape.properties.get(field)
        if value is not _ABSENT:
            value = filled(below, value, self.instance.address, (field,))
            return (
                Secret(value) if below and below.write_only and not isinstance(value, Secret | Pending) and value is not UNKNOWN else value
            )
        if below is not None and below.has_default:
            return filled(below, below.default, self.instance.address, (field,))
        if below is not None and below.read_only:
            return Pending((f"{self.instance.address}:{field}",))
        known = kind.schema.get("properties", {})
        if field in known:
            hint = f"Set it, or read it with {self.instance.resource.name}.?{field}."
            raise EvaluationError(
                f"`{self.instance.address}` does not set `{field}`, and {kind.id} has no default for it.", hint=hint, id="property-unset"
            )
        hint = did_you_mean(field, known, f"It has {listed(sorted(known)[:10])}.")
        raise EvaluationError(f"{kind.id} has no property `{field}`.", hint=hint, id="property-unknown")

    def has(self, field: str) -> Any:
        """Whether a property is set, has a default, or will be set by the cloud."""
        if self._written(field) is not _ABSENT:
            return True
        kind = self.instance.resource.type
        if kind is None:
            return UNKNOWN
        below = kind.shape.properties.get(field)
        return below is not None and (below.has_default or below.read_only)

    def whole(self) -> Any:
        """All properties, defaults filled in."""
        written = {
            name: self.environment.property(self.instance, name, compiled) for name, compiled in self.instance.resource.properties.entries
        }
        kind = self.instance.resource.type
        return filled(kind.shape if kind else None, {k: v for k, v in written.items() if v is not OMITTED}, self.instance.address)


class AbsentRecord(Record):
    """A resource whose `$when` is false here."""

    __slots__ = ("resource",)

    def __init__(self, resource: Resource) -> None:
        self.resource = resource

    def _error(self, field: str) -> EvaluationError:
        name = self.resource.name
        return EvaluationError(
            f"`{name}` is absent here: its `$when` is false.", hint=f"Write {name}.?{field}, which is empty then.", id="resource-absent"
        )

    def select(self, field: str) -> Any:
        """Always raises EvaluationError."""
        raise self._error(field)

    def has(self, field: str) -> Any:
        """Always False."""
        return False

    def whole(self) -> Any:
        """Always raises EvaluationError."""
        raise self._error("name")


class LoopRecord(Record):
    """A resource with `$per`: a map from key to its present items."""

    __slots__ = ("environment", "instances", "resource")

    def __init__(self, environment: Environment, resource: Resource, instances: dict[str | None, Instance]) -> None:
        self.environment = environment
        self.resource = resource
        self.instances = instances

    def select(self, field: str) -> Any:
        """One item."""
        instance = self.instances.get(field)
        if instance is not None:
            return self.environment.record(instance)
        keys = [str(key) for key in self.instances]
        hint = did_you_mean(field, keys, f"Its items are {listed(keys[:10])}." if keys else "It has no items here.")
        raise EvaluationError(f"`{self.resource.name}` has no item {{}}.", field, hint=hint, id="key-missing")

    def has(self, field: str) -> Any:
        """Whether there is such an item."""
        return field in self.instances

    def whole(self) -> Any:
        """All items by key."""
        return {key: self.environment.record(self.instances[key]) for key in sorted_keys(self.instances)}
