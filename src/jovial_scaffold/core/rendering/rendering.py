"""The rendering of one environment: every present resource judged by its schema, and the outputs."""

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from jovial_scaffold.core.expressions.values import deep_marks
from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.limits import FINDINGS, INSTANCES
from jovial_scaffold.core.meter import Meter
from jovial_scaffold.core.parameters.resolving import Parameters
from jovial_scaffold.core.rendering.computing import OMITTED
from jovial_scaffold.core.rendering.documents import EvaluatedDocument, check_documents
from jovial_scaffold.core.rendering.environment import Environment
from jovial_scaffold.core.rendering.identities import clashes, overlaps
from jovial_scaffold.core.rendering.instances import EvaluatedResource, Instance, Shared, Surroundings
from jovial_scaffold.core.rendering.judging import judged, report_clashes
from jovial_scaffold.core.rendering.plan import Plan, Plans
from jovial_scaffold.core.rendering.renames import Renames
from jovial_scaffold.core.rendering.results import RenderedDocument, RenderedResource, Rendering
from jovial_scaffold.core.rendering.searching import Searching
from jovial_scaffold.core.rendering.shapes import is_valid_as_it_is, marked_and_judged
from jovial_scaffold.core.sightings import Sighting
from jovial_scaffold.core.templates.model import Template
from jovial_scaffold.core.text.source import Pointer
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.words import Amount, say


@dataclass(slots=True, eq=False, kw_only=True)
class Evaluated(Rendering):
    """A rendering, and the scope that it was computed in."""

    resources: Mapping[str, EvaluatedResource]
    documents: Mapping[str, EvaluatedDocument]
    scope: Environment

    @property
    def renames(self) -> Renames:
        """What it says of the addresses that things had before."""
        return Renames(self.scope)

    def finished(self) -> Rendering:
        """What came of it, as plain data."""
        resources = {
            address: RenderedResource(
                address, each.type, each.type_text, each.properties, each.after, each.faulty, each.keep, each.formerly
            )
            for address, each in self.resources.items()
        }
        documents = {name: RenderedDocument(name, each.to, each.text, each.value, each.compared) for name, each in self.documents.items()}
        parameters = Parameters(self.parameters.environment, (), self.parameters.values, self.parameters.defaulted)
        return Rendering(
            self.environment, self.context, parameters, resources, documents, self.outputs, self.findings, self.rounds, self.label
        )


def render(
    plan: Plan,
    parameters: Parameters,
    context: Mapping[str, Any],
    plans: Plans,
    deployed: Mapping[str, Mapping[str, Any]] | None = None,
    meter: Meter | None = None,
    searching: Searching | None = None,
    sightings: list[Sighting] | None = None,
) -> Evaluated:
    """Render a template for one environment; `plans` are kept for all environments.

    With `deployed`, what the cloud has set on resources that run already, by address and property, is known instead of pending. With
    `searching`, nothing is deployed, all is evaluated, and only the resources that may hold it are judged and in the result. What is wrong with
    what is written out goes to `sightings`, where there are any.
    """
    assert deployed is None or searching is None
    findings: list[Finding] = []
    meter = meter or Meter()

    def report(finding: Finding) -> None:
        meter.findings -= 1
        if meter.findings >= 0:
            findings.append(finding)

    shared = Shared(plans, dict(context), report, deployed=deployed or {}, meter=meter, sightings=sightings)
    scope = Environment(plan, shared, parameters)
    resources: dict[str, EvaluatedResource] = {}
    documents: dict[str, EvaluatedDocument] = {}
    _collect(scope, resources, documents, searching)
    if shared.instances > INSTANCES.most:
        message = say("There are more than {} {}; what is beyond is left out.", Amount(INSTANCES.most), INSTANCES.unit)
        span = plan.template.origin.value_span()
        findings.append(
            Finding(INSTANCES.finding, "error", message, span, say("Loop over fewer items."), environments=(parameters.environment,))
        )
    findings += _left_undone(shared, plan.template, parameters.environment)
    findings += check_documents(documents, parameters.environment)
    findings += clashes(resources, parameters.environment)
    findings += overlaps(resources, parameters.environment)
    found = ((name, scope.output(name)) for name in sorted(plan.template.outputs))
    outputs = {name: value for name, value in found if value is not OMITTED}
    return evaluated(scope, context, resources, documents, outputs, findings)


def is_unknown_somewhere(rendering: Evaluated) -> bool:
    """Whether a value of a rendering is unknown."""
    values = [*(each.properties for each in rendering.resources.values() if not each.known), rendering.outputs]
    return any(deep_marks(value)[2] for value in values) or any(each.value is UNKNOWN for each in rendering.documents.values())


def evaluated(
    scope: Environment,
    context: Mapping[str, Any],
    resources: Mapping[str, EvaluatedResource],
    documents: Mapping[str, EvaluatedDocument],
    outputs: Mapping[str, Any],
    findings: list[Finding],
) -> Evaluated:
    """What came of an environment."""
    parameters = scope.parameters
    return Evaluated(
        environment=str(context.get("environment", parameters.environment)),
        context=dict(context),
        parameters=parameters,
        resources=resources,
        documents=documents,
        outputs=outputs,
        scope=scope,
        findings=findings,
        label=parameters.environment,
    )


class _Asked(Mapping[str, Any]):
    """What is made when it is asked for, once; `names` says all that there is."""

    def __init__(self, make: Callable[[str], Any], names: Callable[[], list[str]]) -> None:
        self._make = make
        self._names = names
        self._made: dict[str, Any] = {}

    def __getitem__(self, name: str) -> Any:
        if name not in self._made:
            self._made[name] = self._make(name)
        if self._made[name] is OMITTED:
            raise KeyError(name)
        return self._made[name]

    def __iter__(self) -> Iterator[str]:
        return iter(self._names())

    def __len__(self) -> int:
        return len(self._names())


def asked(plan: Plan, parameters: Parameters, context: Mapping[str, Any], plans: Plans, meter: Meter | None = None) -> Evaluated:
    """A rendering that evaluates what it is asked for, and no more. What is wrong, and what comes after what, only a whole one says."""
    shared = Shared(plans, dict(context), lambda finding: None, meter=meter or Meter(), heard=False)
    scope = Environment(plan, shared, parameters)
    template = plan.template
    for name in template.parameters:
        scope.value(name)

    def resource(address: str) -> Any:
        instance = scope.instance_at(address)
        if instance is None or instance.address != address or instance.resource.module is not None:
            return OMITTED
        return rendered(instance.scope, instance)

    resources = _Asked(resource, lambda: [each.address for each in _all_instances(scope)])
    documents = _Asked(lambda name: scope.document(name) if name in template.documents else OMITTED, lambda: sorted(template.documents))
    outputs = _Asked(
        lambda name: scope.output(name) if name in template.outputs else OMITTED,
        lambda: [name for name in sorted(template.outputs) if scope.output(name) is not OMITTED],
    )
    return evaluated(scope, context, resources, documents, outputs, [])


def _all_instances(scope: Surroundings) -> Iterator[Instance]:
    """All resources of an environment and of the modules that it uses."""
    for resource in scope.template.resources.values():
        for instance in (scope.instances(resource) or {}).values():
            if instance.inside is not None:
                yield from _all_instances(instance.inside)
            elif instance.resource.module is None:
                yield instance


def _left_undone(shared: Shared, template: Template, environment: str) -> Iterator[Finding]:
    """What the budget of the run did not reach."""
    if not shared.stopped and shared.meter.findings >= 0:
        return  # places are found by reading the file again
    span, environments = template.origin.value_span(), (environment,)
    if shared.stopped:
        message = say("The time of {} seconds was over before all of {} was looked at.", Amount(round(shared.meter.seconds)), environment)
        yield Finding("run-time", "error", message, span, say("Give it more time with --at-most."), environments=environments)
    if shared.meter.findings < 0:
        message = say(
            "There are more than {} findings; {} further ones are left out.", Amount(FINDINGS.most), Amount(-shared.meter.findings)
        )
        yield Finding(
            FINDINGS.finding, "error", message, span, say("Mend the first ones: they may be the cause."), environments=environments
        )


def _collect(
    scope: Surroundings, resources: dict[str, EvaluatedResource], documents: dict[str, EvaluatedDocument], searching: Searching | None
) -> None:
    """Render what a template declares, and what the modules that it uses do."""
    if scope.shared.instances > INSTANCES.most or scope.shared.is_over():
        return
    template = scope.template
    for name in template.parameters:
        scope.value(name)
    scope.judge(template.must)
    for declaration in template.parameters.values():
        scope.judge(declaration.must)
    for instance in searching.instances(scope) if searching is not None else scope.all_instances():
        if instance.resource.module is None:
            resources[instance.address] = rendered(instance.scope, instance)
        else:
            _use(instance, resources, documents, searching)
    for name in sorted(template.documents):
        document = scope.document(name)
        documents[document.name] = document
    if scope.use is not None:
        for name in sorted(template.outputs):
            scope.output(name)
    _put_after(scope, resources)


def _put_after(scope: Surroundings, resources: Mapping[str, EvaluatedResource]) -> None:
    """What each resource comes after."""
    for instances in scope.present():
        for instance in instances.values():
            resource = resources.get(instance.address)
            if resource is not None:
                resource.after = _after(scope, instance)


def _use(
    instance: Instance, resources: dict[str, EvaluatedResource], documents: dict[str, EvaluatedDocument], searching: Searching | None
) -> None:
    """A use of a module: what it is given is judged like the properties of a resource, then all inside is rendered."""
    scope = instance.scope
    kind, properties = instance.resource.type, scope.properties(instance)
    if kind is not None and scope.shared.heard and not is_valid_as_it_is(properties, kind):
        judged(scope, instance, kind, properties)
    if instance.inside is not None:
        _collect(instance.inside, resources, documents, searching)


def rendered(scope: Surroundings, instance: Instance) -> EvaluatedResource:
    """A present resource, evaluated and judged."""
    resource = instance.resource
    properties = scope.properties(instance)
    faulty: tuple[Pointer, ...] = ()
    known = False
    kind = resource.type
    if kind is not None:
        marked, known = marked_and_judged(*instance.computed, properties, kind) if instance.computed is not None else (None, False)
        if known and marked is not None:
            properties = marked
        else:
            faulty, properties = judged(scope, instance, kind, properties, marked)
    if kind is not None and kind.lists.keyed:
        report_clashes(scope, instance, kind, properties)
    type_text = kind.id if kind else resource.type_text
    keep, formerly = False, ""
    if scope.use is not None or resource.formerly or resource.keep is not None:
        keep, formerly = scope.kept(resource), scope.formerly(instance)
    return EvaluatedResource(instance.address, kind, type_text, properties, (), faulty, keep, formerly, instance, known)


def _after(scope: Surroundings, instance: Instance) -> tuple[str, ...]:
    """The addresses that come first: what was read, what is named without being a loop, all items of what stands in `$after`."""
    if scope.use is None:
        certain = scope.plan.certain(instance.resource.name)
        if certain is not None and not instance.presence and instance.reads <= certain[0]:
            return certain[1]
    addresses = instance.reads | instance.presence | scope.order.reached(scope.plan.resource(instance.resource.name))
    if instance.resource.after:
        addresses |= scope.order.waited(instance.resource)
    if scope.use is not None:
        addresses |= scope.order.before_all()
    addresses.discard(instance.address)
    return tuple(sorted(addresses)) if addresses else ()
