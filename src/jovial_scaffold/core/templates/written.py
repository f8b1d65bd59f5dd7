"""What is wrong with what is written out in resources, before any environment: found once where very many are alike."""

from collections.abc import Iterable, Iterator, Sequence
from typing import Any, NamedTuple

from jovial_scaffold.core.findings import Finding
from jovial_scaffold.core.records import replace
from jovial_scaffold.core.schemas.keywords import is_by_property
from jovial_scaffold.core.templates.fitting import Fitting
from jovial_scaffold.core.templates.members import Members, ResourceKind, kind_of, properties_of, written_in
from jovial_scaffold.core.templates.model import Constant, Dynamic, Resource, Template
from jovial_scaffold.core.templates.properties import WrittenFault, finding_of, part_faults, written_faults


def check_written(template: Template, part: int = 0, parts: int = 1) -> Iterator[Finding]:
    """Unknown, missing, ill-typed, read-only and deprecated properties of a template's resources and uses of modules; of so many `parts` of
    them, which share no types, those of one."""
    if not template.unread:
        types: dict[str, int] = {}
        resources = [each for each in template.resources.values() if types.setdefault(each.type_text, len(types)) % parts == part]
        written = Written(resources)
        for resource in resources:
            faults = written.faults(resource)
            for fault in written_faults(resource) if faults is None else faults:
                yield finding_of(resource, fault)


class _Alike(NamedTuple):
    """What is wrong with resources that are alike: with all of them, and with some."""

    of_all: list[WrittenFault]
    own: dict[Resource, list[WrittenFault]]


class Written:
    """Some resources of one template, of some types all."""

    def __init__(self, resources: Iterable[Resource]) -> None:
        self._fitting = Fitting()
        self._members = Members(resources)
        self._written: dict[ResourceKind, _Alike | None] = {}

    def faults(self, resource: Resource) -> Sequence[WrittenFault] | None:
        """What is wrong with a resource as it is written; None where it has to be looked at by itself."""
        members = self._members.of(resource)
        if not members:
            return None
        key = kind_of(resource)
        if key not in self._written:
            self._written[key] = self._of_all(members)
        found = self._written[key]
        return found if found is None else (*found.of_all, *found.own.get(resource, ()))

    def _of_all(self, members: list[Resource]) -> _Alike | None:
        """Where properties are judged one by one, those that are alike are judged once; what is wrong with the keys is so in all resources."""
        kind = members[0].type
        if kind is None or not members[0].shape.is_whole or not is_by_property(kind.schema):
            return None
        own: dict[Resource, list[WrittenFault]] = {}
        for index, (name, compiled, constants) in enumerate(properties_of(members)):
            place = self._fitting.place(kind, name)
            if isinstance(compiled, Dynamic) or place.schema is None:
                continue
            validator = self._fitting.validator(place)
            if validator is None:
                return None
            # That an item is not to be repeated may hang on what is computed, too.
            is_set = "uniqueItems" in repr(validator.schema)
            written = range(len(constants[0])) if is_set else written_in(compiled)
            known: dict[Any, list[WrittenFault]] = {}
            for member, values in zip(members, constants, strict=True):
                key: tuple[Any, ...] = tuple([(type(values[each]), values[each]) for each in written])  # true, 1 and 1.0 are equal
                try:
                    found = known.get(key)
                except TypeError:
                    found, key = None, (member,)  # a list or map is among them
                if found is None:
                    part = replace(compiled, value=values[0]) if isinstance(compiled, Constant) else member.properties.entries[index][1]
                    found = known[key] = list(part_faults(kind, name, part, validator, is_set))
                if found:
                    own.setdefault(member, []).extend(found)
        return _Alike([fault for fault in written_faults(members[0]) if fault.is_of_keys], own)
