"""What must be unique among resources of a type: the `identity` of catalogs, within an environment and across them, and ranges `apart`."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import TYPE_CHECKING, Any, NamedTuple

from jovial_scaffold.core.expressions.errors import EvaluationError
from jovial_scaffold.core.expressions.library.networks import network
from jovial_scaffold.core.expressions.values import deep_marks
from jovial_scaffold.core.findings import Finding, Related, Span
from jovial_scaffold.core.rendering.instances import EvaluatedResource
from jovial_scaffold.core.rendering.results import RenderedResource, Rendering
from jovial_scaffold.core.rendering.tracing import tracer_of
from jovial_scaffold.core.schemas.catalog import ResourceType
from jovial_scaffold.core.text.source import Pointer, pointer_text
from jovial_scaffold.core.words import Operand, Value, listed, say

if TYPE_CHECKING:
    from ipaddress import IPv4Network, IPv6Network

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


def ranges(kind: ResourceType, properties: Mapping[str, Any]) -> "Iterator[tuple[str, Pointer, IPv4Network | IPv6Network]]":
    """The ranges of a resource that have to lie apart from those of others of its type, as far as they are known: what is none, its schema
    says."""
    for name in kind.schema.get("apart", ()):
        written = properties.get(name)
        for index, text in enumerate(written) if isinstance(written, list) else ((None, written),):
            try:
                found = network(text) if isinstance(text, str) and "/" in text else None
            except EvaluationError:
                continue
            if found is not None:
                yield name, (name,) if index is None else (name, index), found


class _Range(NamedTuple):
    """A range of a resource: how far it goes, where it is written, and the type and property whose ranges lie apart."""

    begins: int
    ends: int
    address: str
    pointer: Pointer
    text: str
    among: tuple[str, str, int]


def overlaps(resources: Mapping[str, EvaluatedResource], environment: str) -> list[Finding]:
    """Resources of one type in one environment whose ranges overlap, though the type says that they are `apart`."""
    found: dict[tuple[str, str, int], list[_Range]] = {}
    for address, resource in resources.items():
        if resource.type is not None and "apart" in resource.type.schema:
            for name, pointer, each in ranges(resource.type, resource.properties):
                among = (resource.type.name, name, each.version)
                begins, ends = int(each.network_address), int(each.broadcast_address)
                found.setdefault(among, []).append(_Range(begins, ends, address, pointer, str(each), among))
    return [_overlap(resources, *pair, environment) for each in found.values() for pair in _overlapping(each)]


def _overlapping(held: list[_Range]) -> Iterator[tuple[_Range, _Range]]:
    """Each range inside of another one, with the narrowest such: of two that overlap, one holds the other."""
    around: list[_Range] = []
    for each in sorted(held, key=lambda each: (each.begins, -each.ends, each.address)):
        while around and around[-1].ends < each.begins:
            around.pop()
        other = next((one for one in reversed(around) if one.address != each.address), None)
        if other is not None:
            yield each, other
        around.append(each)


def _overlap(resources: Mapping[str, EvaluatedResource], each: _Range, other: _Range, environment: str) -> Finding:
    if (each.begins, each.ends) == (other.begins, other.ends):
        how = say("have the same `{}`, {}", each.among[1], Value(each.text))
    else:
        how = say("overlap: {} is a part of {}", Value(each.text), Value(other.text))
    message = say("{} and {} are of the type {} and {}.", each.address, other.address, each.among[0], how)
    span, there = (_place(resources[one.address], one.pointer) for one in (each, other))
    at = Related(there, say("{} has it here.", other.address))
    hint = say("Give each a range of its own, for example a part of one range, with `carve`.")
    group = f"{other.address} {each.among[1]}"
    # A warning, since nobody here knows whether both are ever reached from one place.
    return Finding("range-overlap", "warning", message, span, hint, each.address, pointer_text(each.pointer), (environment,), (at,), group)


def _place(resource: EvaluatedResource, pointer: Pointer) -> Span:
    return tracer_of(resource.instance.scope).place(resource.instance, pointer)


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


def beyond_project(found: Identities) -> Identities:
    """Those that must be unique in the whole workspace."""
    return found._replace(found=tuple(each for each in found.found if each.reach == "workspace"))


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
    return _place(resource, (property,))


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
