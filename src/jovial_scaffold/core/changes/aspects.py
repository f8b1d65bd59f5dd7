"""What differences are about: each row's aspect by the catalog (docs/catalogs.md, `aspect`), and the sums that tell how much."""

from collections.abc import Iterator, Mapping
from functools import cached_property

from jovial_scaffold.core.changes.matrix import Comparison, Row
from jovial_scaffold.core.changes.totals import Total, totals
from jovial_scaffold.core.records import value_record
from jovial_scaffold.core.schemas.catalog import ResourceType
from jovial_scaffold.core.schemas.navigation import subschema
from jovial_scaffold.core.text.source import Pointer

PRESENCE, NAMING, OTHER = "presence", "naming", "other"
#: in which order aspects are told; those of a catalog's own come after them
ORDER = (PRESENCE, "capacity", "exposure", "durability", "placement", "release", "cost", NAMING)
Counts = dict[str, tuple[int, int]]
"""By aspect, how many rows are about it, and how many of these are echoes."""


@value_record
class Aspect:
    """An aspect, how many rows are about it, how many of these are echoes, and the sums that differ, by unit."""

    name: str
    rows: int
    echoes: int
    sums: tuple[Total, ...]


class Aspects:
    """The aspects of the rows of a comparison."""

    def __init__(self, comparison: Comparison) -> None:
        self._comparison = comparison
        self._types: dict[str, ResourceType | None] = {}
        self._known: dict[tuple[str, Pointer], str] = {}

    def of(self, row: Row) -> str:
        """What a row is about: where its type says nothing, `other`."""
        if row.kind == "presence":
            return PRESENCE
        if row.kind == "address":
            return NAMING
        if row.kind != "property":
            return OTHER
        key = (row.type, row.pointer)
        if key not in self._known:
            at = next(iter(row.at.values()), row.pointer)
            self._known[key] = aspect_of(self._type(row.type), at)
        return self._known[key]

    def _type(self, text: str) -> ResourceType | None:
        if text not in self._types:  # which may be rendered since somebody asked for another one
            for rendering in self._comparison.renderings:
                for resource in rendering.resources.values():
                    self._types.setdefault(resource.type_text, resource.type)
        return self._types.get(text)

    @cached_property
    def totals(self) -> list[Total]:
        """What numbers add up to, by type."""
        return totals(self._comparison)

    def counts(self) -> Counts:
        """The aspects of what differs, with how many rows are about each, and how many of these are echoes."""
        counts: Counts = {}
        for row in self._comparison.differences:
            aspect = self.of(row)
            rows, echoes = counts.get(aspect, (0, 0))
            counts[aspect] = rows + 1, echoes + bool(row.echo)
        return counts

    def told(self, counts: Counts | None = None) -> list[Aspect]:
        """The aspects of what differs, in their order, with their sums; or those that were counted elsewhere."""
        counts = self.counts() if counts is None else counts
        sums = self._sums()
        names = sorted(counts, key=lambda name: (ORDER.index(name) if name in ORDER else len(ORDER) + (name == OTHER), name))
        return [Aspect(name, *counts[name], tuple(sums.get(name, ()))) for name in names]

    def _sums(self) -> Mapping[str, list[Total]]:
        """The sums that differ, over all types, by aspect and unit."""
        found: dict[tuple[str, str], dict[str, int | float]] = {}
        for each in self.totals:
            if not each.property:
                continue
            aspect, unit = self._about(each)
            held = found.setdefault((aspect, unit), dict.fromkeys(each.values, 0))
            for name, value in each.values.items():
                held[name] += value
        result: dict[str, list[Total]] = {}
        for (aspect, unit), values in sorted(found.items()):
            if len(set(values.values())) > 1:
                result.setdefault(aspect, []).append(Total("", unit, values))
        return result

    def _about(self, total: Total) -> tuple[str, str]:
        kind = self._type(total.type)
        pointer: Pointer = tuple(0 if step == "*" else step for step in total.property.split("/"))
        units = [part["unit"] for part in subschema(kind.schema, pointer) if isinstance(part.get("unit"), str)] if kind is not None else []
        return aspect_of(kind, pointer), units[0] if units else total.property.rpartition("/")[2]


def aspect_of(kind: ResourceType | None, pointer: Pointer) -> str:
    """As the nearest part of the schema around a property says."""
    for depth in range(len(pointer), 0, -1) if kind is not None else ():
        for aspect in _written(kind, pointer[:depth]):
            return aspect
    return OTHER


def _written(kind: ResourceType | None, pointer: Pointer) -> Iterator[str]:
    for part in subschema(kind.schema, pointer) if kind is not None else ():
        if isinstance(part.get("aspect"), str):
            yield part["aspect"]
