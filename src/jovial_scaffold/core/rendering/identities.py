"""What must be unique among resources of a type: the `identity` of catalogs, within an environment and across them."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import Any, NamedTuple

from jovial_scaffold.core.expressions.values import deep_marks
from jovial_scaffold.core.findings import Finding, Related, Span
from jovial_scaffold.core.rendering.instances import EvaluatedResource
from jovial_scaffold.core.rendering.results import RenderedResource, Rendering
from jovial_scaffold.core.rendering.tracing import tracer_of
from jovial_scaffold.core.schemas.catalog import ResourceType
from jovial_scaffold.core.words import Operand, Value, listed, say

Key = tuple[Any, ...]
_UNSET = object()


class Identified(NamedTuple):
    """A resource whose identity must be unique beyond its environment."""

    key: Key
    address: str
    about: Operand
    property: str
    reach: str  #: within what it must be: a project, or a workspace


class Identities(NamedTuple):
    """Those of one environment; plain data, so that they can be handed from one process to another."""

    environment: str
    found: tuple[Identified, ...]
    label: str  #: how findings call it, which tells views of one environment apart


PlaceOf = Callable[[str, str, str], Span]
"""Where an environment's resource, by its address, writes a property; asked for only where there is a clash."""


def clashes(resources: Mapping[str, EvaluatedResource], environment: str) -> list[Finding]:
    """Resources of one type in one environment whose identity is the same."""
    first: dict[Key, EvaluatedResource] = {}
    findings = []

    def place_of(_: str, address: str, property: str) -> Span:
        return place(resources[address], property)

    for address in sorted(resources):
        resource = resources[address]
        key = identity_key(resource.type, resource.properties)
        other = first.setdefault(key, resource) if key is not None else resource
        if key is not None and other is not resource:
            findings.append(_clash(_identified(key, resource), _identified(key, other), environment, environment, place_of))
    return findings


def identities(rendering: Rendering) -> Identities:
    """What the types of an environment's resources want to be unique in the whole project, or everywhere."""
    return Identities(rendering.environment, tuple(_beyond(rendering)), rendering.label)


def _beyond(rendering: Rendering) -> Iterator[Identified]:
    for address in sorted(rendering.resources):
        resource = rendering.resources[address]
        if resource.type is not None and resource.type.schema.get("identityReach", "environment") != "environment":
            key = identity_key(resource.type, resource.properties)
            if key is not None:
                yield _identified(key, resource)


def clashes_between(environments: Sequence[Identities], place_of: PlaceOf) -> list[Finding]:
    """Resources of different environments with the same identity."""
    first: dict[Key, tuple[Identified, Identities]] = {}
    findings = []
    for environment in environments:
        for each in environment.found:
            other, there = first.setdefault(each.key, (each, environment))
            if there.environment != environment.environment:
                findings.append(_clash(each, other, environment.label, there.label, place_of))
    return findings


def place(resource: EvaluatedResource, property: str) -> Span:
    """Where a resource writes a property."""
    return tracer_of(resource.instance.scope).place(resource.instance, (property,))


def identity_key(kind: ResourceType | None, properties: Mapping[str, Any]) -> Key | None:
    """The type and the values that identify; None where the type asks for nothing, or a part is not known or not set."""
    names = kind.identity if kind is not None else ()
    if kind is None or not names:
        return None
    key: list[Any] = [kind.name]
    for name in names:
        value = properties.get(name, _UNSET)
        if type(value) is str:
            key += (str, value)
        elif value is _UNSET or any(deep_marks(value)):
            return None
        else:
            key += (type(value), Value(value) if isinstance(value, list | dict) else value)
    return tuple(key)


def _identified(key: Key, resource: RenderedResource) -> Identified:
    assert resource.type is not None
    names = resource.type.identity
    about = listed(say("`{}` {}", name, Value(resource.properties[name])) for name in names)
    return Identified(key, resource.address, about, names[0], str(resource.type.schema.get("identityReach", "environment")))


def _clash(each: Identified, other: Identified, environment: str, elsewhere: str, place_of: PlaceOf) -> Finding:
    where = f" in {elsewhere}" if elsewhere != environment else ""
    message = say("{} and {}{} are of the type {} and have the same {}.", each.address, other.address, where, each.key[0], each.about)
    span = place_of(environment, each.address, each.property)
    at = Related(place_of(elsewhere, other.address, other.property), say("{} has it here.", other.address))
    reach = "in every environment that there is" if where else "among resources of this type"
    hint = say("It must be unique {}.", reach)
    group = f"{other.address}{where}"
    return Finding("identity-clash", "error", message, span, hint, each.address, each.property, (environment,), (at,), group)
