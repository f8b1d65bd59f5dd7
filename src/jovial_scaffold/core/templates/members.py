"""Resources of one type and shape, which differ in constants only: those constants, property by property."""

from collections.abc import Iterable, Iterator, Sequence
from typing import Any

from jovial_scaffold.core.expressions.placeholders import Formula
from jovial_scaffold.core.templates.model import Compiled, Constant, Dynamic, ListValue, MapValue, Resource, ResourceShape
from jovial_scaffold.core.templates.shapes import constants_of

LEAST = 8  # resources of one shape, for fewer of which it is not worth while to look at what they have in common
Constants = Sequence[tuple[Any, ...]]
"""Those of each of some resources."""
ResourceKind = tuple[ResourceShape, str]
"""What such resources have in common: the shape, and the id of the type."""


def kind_of(resource: Resource) -> ResourceKind:
    """What a resource has in common with others."""
    return resource.shape, resource.type.id if resource.type else ""


class Members:
    """Those among some resources of one template: of known types, without loops."""

    def __init__(self, resources: Iterable[Resource]) -> None:
        self._members: dict[ResourceKind, list[Resource]] = {}
        for resource in resources:
            if resource.loop is None and resource.module is None and resource.type is not None:
                self._members.setdefault(kind_of(resource), []).append(resource)

    def of(self, resource: Resource) -> list[Resource]:
        """All that are alike with a resource, and it; nothing where these are few."""
        members = self._members.get(kind_of(resource), []) if resource.loop is None else []
        return members if len(members) >= LEAST else []


def constants_of_condition(compiled: Compiled) -> int:
    """How many constants the condition of an item of a list has."""
    when = compiled.when if isinstance(compiled, MapValue) else None
    return len(when.content.program.constants) if when is not None and isinstance(when.content, Formula) else 0


def steps_of(compiled: Compiled) -> Iterator[tuple[str | int, Compiled]]:
    """The parts of a map or list, each with the step that leads to it."""
    if isinstance(compiled, MapValue):
        yield from compiled.entries
    elif isinstance(compiled, ListValue):
        yield from enumerate(compiled.items)


def written_in(compiled: Compiled, first: int = 0) -> list[int]:
    """Which of the constants of a part are written out, counted from `first`: all others are those of expressions."""
    if isinstance(compiled, Constant):
        return [first]
    if isinstance(compiled, Dynamic):
        return []
    found: list[int] = []
    at = first + constants_of_condition(compiled)
    for _, item in steps_of(compiled):
        found += written_in(item, at)
        at += count(item)
    return found


def count(compiled: Compiled) -> int:
    """How many constants a part has that a shape describes."""
    if isinstance(compiled, MapValue):
        return constants_of_condition(compiled) + sum(count(item) for _, item in compiled.entries)
    if isinstance(compiled, ListValue):
        return sum(map(count, compiled.items))
    return len(constants_of(compiled, frozenset()) or ())


def properties_of(members: list[Resource]) -> Iterator[tuple[str, Compiled, Constants]]:
    """The properties that a shape describes, as one has them, with the constants of all."""
    at = 0
    for name, compiled in members[0].properties.entries:
        own = constants_of(compiled, frozenset())
        if own is not None:
            yield name, compiled, [member.constants[at : at + len(own)] for member in members]
            at += len(own)
