"""An environment in which something is looked for: all is evaluated, and only resources that may hold it are judged and kept."""

from collections.abc import Iterable, Iterator, Mapping
from typing import Any, Protocol

from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.limits import INSTANCES
from jovial_scaffold.core.meter import Meter
from jovial_scaffold.core.parameters.resolving import Parameters
from jovial_scaffold.core.rendering.computing import OMITTED
from jovial_scaffold.core.rendering.documents import EvaluatedDocument
from jovial_scaffold.core.rendering.environment import Environment
from jovial_scaffold.core.rendering.instances import EvaluatedResource, Instance, Shared, Surroundings
from jovial_scaffold.core.rendering.plan import Plan, Plans
from jovial_scaffold.core.rendering.rendering import Evaluated, evaluated, rendered
from jovial_scaffold.core.templates.model import Resource


class Sought(Protocol):
    """What is looked for; whoever is in doubt says yes."""

    def may_be_among(self, values: Iterable[Any]) -> bool:
        """Whether one of some values may hold it."""

    def may_be_written(self, resource: Resource) -> bool:
        """Whether what is the same in all environments may hold it: what a resource writes without computing it, and its type's defaults."""


def searched(
    plan: Plan, parameters: Parameters, context: Mapping[str, Any], plans: Plans, sought: Sought, meter: Meter
) -> Evaluated | None:
    """A rendering with the resources that may hold what is sought, all documents and all outputs.

    None where something goes wrong when all is evaluated, or is wrong with those resources, or where there is too much: what that means,
    only a whole rendering says.
    """
    search = _Search(sought)
    shared = search.shared = Shared(plans, dict(context), search.report, meter=meter)
    scope = Environment(plan, shared, parameters)
    search.through(scope)
    found = {name: scope.output(name) for name in plan.template.outputs if not search.is_lost}
    outputs = {name: value for name, value in found.items() if value is not OMITTED}
    if search.is_lost or scope.incomplete():
        return None
    return evaluated(scope, context, search.resources, search.documents, outputs, search.findings)


class _Search:
    """Through one environment."""

    shared: Shared

    def __init__(self, sought: Sought) -> None:
        self._sought = sought
        self._is_wrong = False
        self.findings: list[Finding] = []
        self.resources: dict[str, EvaluatedResource] = {}
        self.documents: dict[str, EvaluatedDocument] = {}

    def report(self, finding: Finding) -> None:
        """Take in what is wrong."""
        self.findings.append(finding)
        self._is_wrong = self._is_wrong or finding.level == "error"

    @property
    def is_lost(self) -> bool:
        """Whether it is no use to go on."""
        return self._is_wrong or self.shared.instances > INSTANCES.most or self.shared.is_over()

    def through(self, scope: Surroundings) -> None:
        """Look through what a template declares, and what the modules that it uses do."""
        template = scope.template
        for name in template.parameters:
            scope.value(name)
        for requirements in (template.must, *(declaration.must for declaration in template.parameters.values())):
            scope.judge(requirements)
        for instance in self._candidates(scope):
            if instance.resource.module is None:
                self.resources[instance.address] = rendered(scope, instance)
            elif instance.inside is not None:
                scope.properties(instance)
                self.through(instance.inside)
        for name in template.documents:
            if not self.is_lost:
                document = scope.document(name)
                self.documents[document.name] = document

    def _candidates(self, scope: Surroundings) -> Iterator[Instance]:
        """Uses of modules, and resources that may hold what is sought."""
        sought = self._sought
        for resource in scope.template.resources.values():
            if self.is_lost:
                return
            is_written = resource.module is None and sought.may_be_written(resource)
            if resource.is_single and not is_written:
                values = scope.computed(resource)
                if values is not None and not sought.may_be_among(values):
                    continue
            for instance in (scope.instances(resource) or {}).values():
                if is_written or instance.inside is not None or sought.may_be_among(scope.properties(instance).values()):
                    yield instance
