"""What is looked for in an environment: all is evaluated, and only the resources that may hold it are judged."""

from collections.abc import Collection, Iterable, Iterator
from typing import Any, Protocol

from jovial_scaffold.core.rendering.instances import Instance, Surroundings
from jovial_scaffold.core.templates.model import Resource


class Sought(Protocol):
    """What is looked for; whoever is in doubt says yes."""

    def may_be_among(self, values: Collection[Any]) -> bool:
        """Whether one of some values may hold it."""

    def may_be_written(self, resource: Resource) -> bool:
        """Whether what is the same in all environments may hold it: what a resource writes without computing it, and its type's defaults."""


def judged_instances(scope: Surroundings, resource: Resource, sought: Sought | None) -> Iterable[Instance]:
    """The present instances of a resource that are judged: all, or those that may hold what is sought."""
    if sought is None or resource.module is not None or sought.may_be_written(resource):
        return (scope.instances(resource) or {}).values()
    if resource.is_single:
        values = scope.computed(resource)
        if values is not None and not sought.may_be_among(values):
            return ()
    return _holding(scope, resource, sought)


def _holding(scope: Surroundings, resource: Resource, sought: Sought) -> Iterator[Instance]:
    for instance in (scope.instances(resource) or {}).values():
        if sought.may_be_among(scope.properties(instance).values()):
            yield instance
