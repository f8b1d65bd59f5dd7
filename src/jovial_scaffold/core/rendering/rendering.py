"""The rendering of one environment: every present resource judged by its schema, and the outputs."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.parameters.resolving import Checker, Parameters
from jovial_scaffold.core.rendering.computing import OMITTED, Site
from jovial_scaffold.core.rendering.environment import Environment, Instance
from jovial_scaffold.core.rendering.tracing import Tracer
from jovial_scaffold.core.schemas.catalog import ResourceType
from jovial_scaffold.core.schemas.shapes import annotated, filled
from jovial_scaffold.core.schemas.validation import subschema
from jovial_scaffold.core.templates.model import Template
from jovial_scaffold.core.text.source import Pointer, part, pointer_text
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.text.wording import shown


@dataclass(slots=True, eq=False)
class RenderedResource:
    """A resource as it would be deployed. `properties` may hold pending and secret marks at any depth."""

    address: str
    type: ResourceType | None
    type_text: str
    properties: dict[str, Any]
    after: tuple[str, ...]
    instance: Instance
    faulty: tuple[Pointer, ...] = ()

    @property
    def effective(self) -> dict[str, Any]:
        """The properties with the schema's defaults filled in, pending what the cloud sets, and unknown what has a finding."""
        written = self.properties
        for pointer in self.faulty:
            written = _without(written, pointer)
        result: dict[str, Any] = filled(self.type.shape if self.type else None, written, self.address)
        return result


def _without(value: Any, pointer: Pointer) -> Any:
    """The value with an unknown one at the pointer, and nothing else changed."""
    if not pointer:
        return UNKNOWN
    if isinstance(value, dict):
        return {**value, pointer[0]: _without(value.get(pointer[0], {}), pointer[1:])}
    if isinstance(value, list) and isinstance(pointer[0], int) and pointer[0] < len(value):
        return [_without(item, pointer[1:]) if index == pointer[0] else item for index, item in enumerate(value)]
    return UNKNOWN


@dataclass(slots=True, eq=False)
class Rendering:
    """One environment, rendered. `waves` are groups of addresses that can be deployed together, in order."""

    environment: str
    context: dict[str, Any]
    parameters: Parameters
    resources: dict[str, RenderedResource]
    outputs: dict[str, Any]
    scope: Environment
    findings: list[Finding] = field(default_factory=list)
    waves: list[list[str]] = field(default_factory=list)


def render(
    template: Template,
    parameters: Parameters,
    context: Mapping[str, Any],
    reached: Mapping[str, frozenset[str]],
    in_cycle: frozenset[str],
    checker: Checker,
) -> Rendering:
    """Render a template for one environment. `reached` and `in_cycle` come from `templates.names`, once for all environments."""
    findings: list[Finding] = []
    scope = Environment(template, parameters, context, findings.append, in_cycle, checker)
    for name in template.parameters:
        scope.value(name)
    scope.judge(template.must)
    for declaration in template.parameters.values():
        scope.judge(declaration.must)
    instances = [instance for name in sorted(template.resources) for instance in (scope.instances(template.resources[name]) or {}).values()]
    resources = {}
    for instance in instances:
        resource = _rendered(scope, instance, findings.append)
        resources[resource.address] = resource
    for resource in resources.values():
        resource.after = _after(scope, resource, reached[resource.instance.resource.name])
    outputs = {}
    for name in sorted(template.outputs):
        value = scope.computer.value(template.outputs[name].value, {}, Site())
        outputs[name] = UNKNOWN if value is OMITTED else value
    return Rendering(parameters.environment, dict(context), parameters, resources, outputs, scope, findings)


def _rendered(scope: Environment, instance: Instance, report: Callable[[Finding], None]) -> RenderedResource:
    resource = instance.resource
    properties = {}
    for name, compiled in resource.properties.entries:
        value = scope.property(instance, name, compiled)
        if value is not OMITTED:
            properties[name] = value
    faulty: tuple[Pointer, ...] = ()
    kind = resource.type
    if kind is not None:
        faulty = _judged(scope, instance, kind, properties, report)
        properties = annotated(kind.shape, properties, (), [])
    return RenderedResource(instance.address, kind, kind.id if kind else resource.type_text, properties, (), instance, faulty)


def _judged(
    scope: Environment, instance: Instance, kind: ResourceType, properties: dict[str, Any], report: Callable[[Finding], None]
) -> tuple[Pointer, ...]:
    """Report what the type's schema says against the properties; the pointers of what is at fault."""
    tracer: Tracer | None = None
    faults: list[tuple[str, Pointer, str, str, str, bool]] = []
    notes: list[tuple[str, Pointer]] = []
    marked = annotated(kind.shape, properties, (), notes)  # so that no message can show a secret
    for note, pointer in notes:
        if note == "read-only":
            faults.append(
                (
                    "read-only",
                    pointer,
                    "{name} is set by the cloud and cannot be written.",
                    "Remove it; read it from the resource.",
                    "",
                    True,
                )
            )
    for pointer in _whole_doubles(properties, ()):
        if any(part.get("type") == "integer" for part in subschema(kind.schema, pointer)):
            value = _at(properties, pointer)
            hint = "Write int(…) around the expression."
            faults.append(
                ("type", pointer, f"{{name}} takes an integer, and this gives the double {shown(value)}.", hint, "an integer", False)
            )
    read_only = {fault[1] for fault in faults}
    meant: list[Pointer] = []
    for violation in kind.validator.violations(marked):
        if violation.pointer not in read_only:
            faults.append((violation.id, violation.pointer, violation.message, violation.hint, violation.expected, violation.on_key))
            if violation.meant:
                meant.append((*violation.pointer[:-1], violation.meant))
    for id, pointer, message, hint, expected, on_key in faults:
        tracer = tracer or Tracer(scope)
        missing = id == "missing"
        at = pointer[:-1] if missing else pointer
        name = f"`{pointer_text(pointer)}`"
        if id in ("unknown", "missing"):
            message = (
                f"{kind.id} has no property {name}."
                if id == "unknown"
                else f"{kind.id} requires {name}, and `{instance.resource.name}` does not set it."
            )
        span = tracer.place(instance, at, on_key or missing)
        related = tracer.related(tracer.sources(instance, at)) if not on_key else ()
        group = f"{id} {pointer_text(pointer)} {expected} {[(r.span.file, r.span.line) for r in related]}"
        environments = (scope.parameters.environment,)
        report(
            Finding(
                f"property-{id}",
                "error",
                message.replace("{name}", name),
                span,
                hint,
                instance.address,
                pointer_text(pointer),
                environments,
                related,
                group,
            )
        )
    for note, pointer in notes:
        if note == "deprecated":
            tracer = tracer or Tracer(scope)
            message = f"`{pointer_text(pointer)}` of {kind.id} is deprecated."
            report(
                Finding(
                    "property-deprecated",
                    "warning",
                    message,
                    tracer.place(instance, pointer, True),
                    "",
                    instance.address,
                    pointer_text(pointer),
                    (scope.parameters.environment,),
                )
            )
    return (*(fault[1] for fault in faults), *meant)


def _whole_doubles(value: Any, pointer: Pointer) -> list[Pointer]:
    """Where doubles without a fraction stand: JSON Schema would take them for integers, our language does not."""
    if type(value) is float:
        return [pointer] if value.is_integer() else []
    found = []
    if type(value) is dict:
        for key, item in value.items():
            if type(item) in (float, dict, list):
                found += _whole_doubles(item, (*pointer, key))
    elif type(value) is list:
        for index, item in enumerate(value):
            if type(item) in (float, dict, list):
                found += _whole_doubles(item, (*pointer, index))
    return found


def _at(value: Any, pointer: Pointer) -> Any:
    for step in pointer:
        value = part(value, step)
    return value


def _after(scope: Environment, resource: RenderedResource, reached: frozenset[str]) -> tuple[str, ...]:
    """The addresses that come first: single resources by name, items of loops as they were read, all items for `$after`."""
    addresses = set(resource.instance.reads)
    waited = {name for name, _ in resource.instance.resource.after}
    for name in reached:
        target = scope.template.resources[name]
        if target.loop is None or name in waited:
            addresses |= {instance.address for instance in (scope.instances(target) or {}).values()}
    return tuple(sorted(addresses - {resource.address}))
