"""What is declared and is not there: found by its address, as if it were."""

from collections.abc import Iterator, Mapping
from typing import Any, NamedTuple

from jovial_scaffold.core.expressions.errors import EvaluationError
from jovial_scaffold.core.expressions.evaluation import evaluate
from jovial_scaffold.core.expressions.placeholders import Formula
from jovial_scaffold.core.rendering.computing import rounds_of
from jovial_scaffold.core.rendering.instances import Instance, Surroundings
from jovial_scaffold.core.templates.model import Condition, Resource


class Absent(NamedTuple):
    """A resource that is not there, or what it would be an item of, in its scope; `instance` is what would be there, None where no item of a loop has
    that key."""

    resource: Resource
    scope: Surroundings
    instance: Instance | None


def absent_at(root: Surroundings, address: str) -> Absent | None:
    """What is not there at an address, inside of modules that may not be there either; None where nothing of that name is declared, or it is there."""
    steps = address.split("/")
    scope: Surroundings | None = root
    found: Absent | None = None
    while steps:
        resource = scope.template.resources.get(steps.pop(0)) if scope is not None else None
        if scope is None or resource is None or (resource.loop is not None and not steps):
            return None
        here = f"{scope.prefix}{resource.name}{f'/{steps.pop(0)}' if resource.loop is not None else ''}"
        # Where a condition or a loop cannot be told, which is a finding, nothing is there either.
        there = (scope.instances(resource) or {}) if found is None else {}
        instance = next((each for each in there.values() if each.address == here), None)
        if instance is None:
            instance = next((each for each in _assumed(scope, resource) if each.address == here), None)
            found = Absent(resource, scope, instance)
            if instance is None:
                return found
        scope = instance.inside
    return found


def _assumed(scope: Surroundings, resource: Resource) -> Iterator[Instance]:
    """What would be there, whatever its conditions say; nothing is found wrong with it."""
    if resource.loop is None:
        yield scope.assumed(resource, None, {})
        return
    try:
        over = _value(resource.loop.over, scope, {})
        for variables, position in rounds_of(resource.loop, over) if isinstance(over, list | dict) else ():
            key = variables[resource.loop.variables[-1]] if isinstance(position, int) else position
            if resource.key is not None:
                key = _value(resource.key, scope, variables)
            if isinstance(key, str | int):
                instance = scope.assumed(resource, str(key), variables)
                instance.position = position
                yield instance
    except EvaluationError:
        return


def _value(condition: Condition, scope: Surroundings, variables: Mapping[str, Any]) -> Any:
    content = condition.content
    return evaluate(content.node, scope, variables) if isinstance(content, Formula) else content.value
