"""Resources, loops and modules as expressions read them."""

from typing import Any

from jovial_scaffold.core.expressions.errors import EvaluationError
from jovial_scaffold.core.expressions.parts import no_field
from jovial_scaffold.core.expressions.types import Owner
from jovial_scaffold.core.expressions.values import Record, sorted_keys
from jovial_scaffold.core.rendering.computing import OMITTED
from jovial_scaffold.core.rendering.instances import Instance, Surroundings
from jovial_scaffold.core.schemas.shapes import filled, with_secrets
from jovial_scaffold.core.templates.model import Resource
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.words import Value, listed, nearest, say

_ABSENT = object()


class ResourceRecord(Record):
    """A resource as expressions read it: what the template wrote, else the catalog's default, else pending. Whoever reads depends on it."""

    __slots__ = ("environment", "instance")

    def __init__(self, environment: Surroundings, instance: Instance) -> None:
        self.environment = environment
        self.instance = instance

    def __repr__(self) -> str:
        return f"the resource `{self.instance.address}`"

    def _written(self, field: str) -> Any:
        self.environment.shared.reading[-1].add(self.instance.address)
        if field not in self.instance.resource.shape.names:
            return _ABSENT
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
            return with_secrets(below, filled(below, value, self.instance.address, (field,)))
        if below is not None and below.has_default:
            return with_secrets(below, filled(below, below.default, self.instance.address, (field,)))
        if below is not None and below.read_only:
            address, shared = self.instance.address, self.environment.shared
            if shared.deployed and field in shared.deployed.get(address, ()):
                return shared.deployed[address][field]
            return shared.plans.pending(address, field)
        known = kind.schema.get("properties", {})
        if field in kind.schema.get("required", ()):
            return UNKNOWN  # that it is missing is said where it stands
        if field in known:
            hint = say("Set it, or read it with {}.?{}.", self.instance.resource.name, field)
            raise EvaluationError(
                say("`{}` does not set `{}`, and {} has no default for it.", self.instance.address, field, kind.id),
                hint=hint,
                id="property-unset",
            )
        raise no_field(Owner("property-unknown", kind.id), field, known)

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
        self.environment.shared.reading[-1].add(self.instance.address)
        written = {
            name: self.environment.property(self.instance, name, compiled) for name, compiled in self.instance.resource.properties.entries
        }
        kind = self.instance.resource.type
        shape = kind.shape if kind else None
        return with_secrets(shape, filled(shape, {k: v for k, v in written.items() if v is not OMITTED}, self.instance.address))


class ModuleRecord(Record):
    """A use of a module: what can be read from it are its outputs."""

    __slots__ = ("instance",)

    def __init__(self, instance: Instance) -> None:
        self.instance = instance

    def __repr__(self) -> str:
        return f"the use `{self.instance.address}`"

    def select(self, field: str) -> Any:
        """One output."""
        inside = self.instance.inside
        if inside is None or inside.template.unread or field in inside.template.unknown_names:
            return UNKNOWN
        if field in inside.template.outputs:
            value = inside.output(field)
            if value is OMITTED:
                name = self.instance.resource.name
                raise EvaluationError(
                    say("`{}` of `{}` is absent here.", field, name),
                    hint=say("Write {}.?{}, which is empty then.", name, field),
                    id="key-missing",
                )
            return value
        raise no_field(Owner("output-unknown", self.instance.resource.type_text), field, inside.template.outputs)

    def has(self, field: str) -> Any:
        """Whether there is such an output."""
        inside = self.instance.inside
        if inside is None or inside.template.unread:
            return UNKNOWN
        return field in inside.template.outputs and inside.output(field) is not OMITTED

    def whole(self) -> Any:
        """All outputs."""
        inside = self.instance.inside
        if inside is None:
            return UNKNOWN
        found = {name: inside.output(name) for name in sorted(inside.template.outputs)}
        return {name: value for name, value in found.items() if value is not OMITTED}


class AbsentRecord(Record):
    """A resource whose `$when` is false here."""

    __slots__ = ("resource",)
    there = False

    def __init__(self, resource: Resource) -> None:
        self.resource = resource

    def __repr__(self) -> str:
        return f"the absent resource `{self.resource.name}`"

    def _error(self, field: str) -> EvaluationError:
        name = self.resource.name
        return EvaluationError(
            say("`{}` is absent here: its `$when` is false.", name),
            hint=say("Write {}.?{}, which is empty then.", name, field),
            id="resource-absent",
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

    def __init__(self, environment: Surroundings, resource: Resource, instances: dict[str | None, Instance]) -> None:
        self.environment = environment
        self.resource = resource
        self.instances = instances

    def __repr__(self) -> str:
        return f"the loop `{self.resource.name}`"

    def select(self, field: str) -> Any:
        """One item."""
        instance = self.instances.get(field)
        if instance is not None:
            return self.environment.record(instance)
        keys = [str(key) for key in self.instances]
        hint = nearest(field, keys, say("Its items are {}.", listed(keys[:10])) if keys else say("It has no items here."))
        raise EvaluationError(say("`{}` has no item {}.", self.resource.name, Value(field)), hint=hint, id="key-missing")

    def has(self, field: str) -> Any:
        """Whether there is such an item."""
        return field in self.instances

    def whole(self) -> Any:
        """All items by key."""
        return {key: self.environment.record(self.instances[key]) for key in sorted_keys(self.instances)}
