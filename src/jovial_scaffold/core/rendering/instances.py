"""What a rendering is computed from as it goes on: resources that are present, what they share, what is around each, and their order."""

from collections.abc import Callable, Iterable, Iterator, Mapping, Set
from dataclasses import dataclass, field
from typing import Any, Protocol

from jovial_scaffold.core.expressions.scopes import OwnFunction
from jovial_scaffold.core.expressions.values import Record
from jovial_scaffold.core.findings import Finding, Related
from jovial_scaffold.core.meter import Meter
from jovial_scaffold.core.parameters.resolving import Parameters
from jovial_scaffold.core.rendering.computing import Computer, Site
from jovial_scaffold.core.rendering.plan import Plan, Plans
from jovial_scaffold.core.rendering.results import RenderedResource
from jovial_scaffold.core.rendering.shapes import Code, Constants, Values
from jovial_scaffold.core.sightings import Sighting
from jovial_scaffold.core.templates.model import Compiled, Requirement, Resource, Template
from jovial_scaffold.core.templates.names import Reach

NOTHING_READ: frozenset[str] = frozenset()


@dataclass(slots=True, eq=False)
class Instance:
    """A resource that is present, or a use of a module: a single one, or one item of a loop.

    `position` is where the loop's source holds it; `reads` are the addresses that it was computed from, `presence` those that its
    `$per`, `$when` and `$key` were. `inside` is the environment of a module's own names. `computed` is what the code of its shape computed.
    `computing` are the properties that the careful way is at, `property_reads` what each property of a module's use was computed from.
    """

    resource: Resource
    scope: "Surroundings"
    address: str
    key: str | None
    variables: Mapping[str, Any]
    position: Any
    inside: "Surroundings | None" = None
    presence: frozenset[str] = NOTHING_READ
    values: dict[str, Any] = field(default_factory=dict)
    reads: set[str] = field(default_factory=set)
    computing: set[str] | None = None
    property_reads: dict[str, set[str]] | None = None
    computed: "tuple[Code, Values, Constants] | None" = None

    @property
    def site(self) -> Site:
        """Where its properties are computed."""
        return Site(self.address, 2)


@dataclass(slots=True)
class Shared:
    """What all environments of one rendering share. `reading` holds the addresses read by what is being computed, innermost last.

    `deployed` are values that the cloud has set already, by address and property. `sightings` takes what is seen of what is said before any
    environment; without it, that is reported like all else.
    """

    plans: Plans
    context: dict[str, Any]
    report: Callable[[Finding], None]
    reading: list[set[str]] = field(default_factory=lambda: [set()])
    instances: int = 0
    deployed: Mapping[str, Mapping[str, Any]] = field(default_factory=dict)
    meter: Meter = field(default_factory=Meter)
    heard: bool = True  #: whether somebody hears what does not fit a type: else nobody looks where that is written
    stopped: bool = False  #: whether the time was over before all was looked at
    sightings: list[Sighting] | None = None
    tracers: dict[Any, Any] = field(default_factory=dict)  #: by the environment or use of a module (`tracing.tracer_of`)

    def is_over(self) -> bool:
        """Whether the time is over; then that is said, once."""
        self.stopped = self.stopped or self.meter.over
        return self.stopped


class Order:
    """The order of the resources of one template, in one environment or use of a module."""

    def __init__(self, scope: "Surroundings") -> None:
        self._scope = scope
        self._reached: dict[tuple[str, str], Set[str]] = {}
        self._before: Set[str] | None = None
        self._receives: bool | None = None

    @property
    def receives(self) -> bool:
        """Whether the use of a module may be handed anything of resources."""
        if self._receives is None:
            use = self._scope.use
            self._receives = use is not None and use.scope.order.hands(use.resource)
        return self._receives

    def hands(self, use: Resource) -> bool:
        """Whether a use of a module may hand in anything of resources, its own or what it was handed itself."""
        return self.receives or self._scope.plan.hands_resources(use)

    def addresses(self, resource: Resource) -> Iterable[str]:
        """The addresses of a resource's items; of a module, of all that it holds."""
        for instance in (self._scope.instances(resource) or {}).values():
            if instance.resource.module is None:
                yield instance.address
            elif instance.inside is not None:
                for below in instance.inside.template.resources.values():
                    yield from instance.inside.order.addresses(below)

    def reached(self, reach: Reach) -> Set[str]:
        """The addresses that a declaration names for certain: single resources, and what outputs and parameters of modules lead to."""
        if not (reach.resources or reach.outputs or (reach.parameters and self.receives)):
            return NOTHING_READ
        found: set[str] = set()
        for name in reach.resources:
            target = self._scope.template.resources[name]
            if target.loop is None and target.module is None:
                found.update(self.addresses(target))
        for name, output in reach.outputs:
            for instance in (self._scope.instances(self._scope.template.resources[name]) or {}).values():
                if instance.inside is not None:
                    found |= instance.inside.order.reached_by("output", output)
        if self.receives:
            for name in reach.parameters:
                found |= self.reached_by("parameter", name)
        return found

    def reached_by(self, kind: str, name: str) -> Set[str]:
        """What an output needs, or what is handed in for a parameter; found once."""
        key = (kind, name)
        if key not in self._reached:
            self._reached[key] = set()  # what leads back to itself adds nothing
            if kind == "output":
                self._reached[key] = self.reached(self._scope.plan.output(name))
            elif self._scope.use is not None:
                self._reached[key] = self._scope.use.scope.order.reached(
                    self._scope.use.scope.plan.argument(self._scope.use.resource.name, name)
                )
        return self._reached[key]

    def before_all(self) -> Set[str]:
        """What all resources of a module come after: what decides that the module is used, and its `$after`."""
        if self._before is None:
            use = self._scope.use
            self._before = NOTHING_READ
            if use is not None:
                above = use.scope.order
                self._before = use.presence | above.before_all() | above.reached(use.scope.plan.resource(use.resource.name))
                if use.resource.after:
                    self._before |= above.waited(use.resource)
        return self._before

    def waited(self, resource: Resource) -> set[str]:
        """All that the resources named in `$after` hold."""
        targets = [self._scope.template.resources[name] for name, _ in resource.after if name in self._scope.template.resources]
        return {address for target in targets for address in self.addresses(target)}


class Surroundings(Protocol):
    """The names and resources of a template in one environment, or in one use of a module, as those see them that are inside
    (`environment.Environment`)."""

    plan: Plan
    template: Template
    shared: Shared
    parameters: Parameters
    use: Instance | None
    prefix: str
    computer: Computer
    order: Order

    @property
    def names(self) -> Any:
        """Where generated code looks names up."""

    def value(self, name: str) -> Any:
        """The value of a name. Raises EvaluationError where there is none."""

    def function(self, name: str) -> OwnFunction | None:
        """A function of the template."""

    def output(self, name: str) -> Any:
        """An output, OMITTED where it is absent."""

    def report(self, finding: Finding) -> None:
        """Take in a finding."""

    def chain(self) -> tuple[Related, ...]:
        """The uses of modules that lead here."""

    def instances(self, resource: Resource) -> dict[str | None, Instance] | None:
        """The items of a resource that are present, by key; None where unknown."""

    def assumed(self, resource: Resource, key: str | None, variables: Mapping[str, Any]) -> Instance:
        """A resource as if it were there, whatever its directives say."""

    def record(self, instance: Instance) -> Record:
        """A present resource as expressions see it."""

    def all_instances(self) -> "Iterator[Instance]":
        """The present items of all resources, in order."""

    def property(self, instance: Instance, name: str, compiled: Compiled) -> Any:
        """A written property, computed once; OMITTED where it is left out."""

    def properties(self, instance: Instance) -> dict[str, Any]:
        """All written properties that are not left out."""

    def computed(self, resource: Resource) -> Values | None:
        """All that is computed in a single resource, without the rest of it; None where that can only be told the careful way."""

    def present(self) -> Iterable[dict[str | None, Instance]]:
        """The items of all resources that were found so far."""

    def document(self, name: str) -> Any:
        """A document, filled in once."""

    def judge(self, requirements: tuple[Requirement, ...]) -> None:
        """Report the conditions over parameters that do not hold."""

    def instance_at(self, address: str) -> Instance | None:
        """What is there at an address."""

    def along(self, address: str) -> "list[tuple[Surroundings, Resource]]":
        """The uses of modules that an address leads through, and the resource itself, as far as they are there."""

    def kept(self, resource: Resource) -> bool:
        """Whether `$keep` stands on a resource or around it."""

    def formerly(self, instance: Instance) -> str:
        """The address that a resource had before it was renamed."""

    def incomplete(self) -> bool:
        """Whether something could not be read, or nobody knows whether it is there."""


@dataclass(slots=True, eq=False)
class EvaluatedResource(RenderedResource):
    """A rendered resource, and what it was computed as. `known` says that it is certain to hold nothing unknown."""

    instance: Instance
    known: bool
