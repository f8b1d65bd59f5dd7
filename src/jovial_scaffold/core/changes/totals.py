"""Numbers as people look at them: how many resources of each type, and the sum of each number that its catalog says to add up."""

from collections import defaultdict
from collections.abc import Callable, Iterator, Sequence
from functools import partial
from typing import Any

from jovial_scaffold.core.changes.matrix import Comparison
from jovial_scaffold.core.records import value_record
from jovial_scaffold.core.rendering.results import RenderedResource, Rendering
from jovial_scaffold.core.schemas.catalog import ResourceType
from jovial_scaffold.core.schemas.navigation import subschema
from jovial_scaffold.core.schemas.shapes import Shape, filled, with_secrets
from jovial_scaffold.core.text.patterns import pattern
from jovial_scaffold.core.text.source import Pointer


@value_record
class Total:
    """A sum over all resources of a type; `property` is empty for how many there are. The steps of lists are `*`."""

    type: str
    property: str
    values: dict[str, int | float]

    def ratio(self, column: str, baseline: str) -> float | None:
        """The value of a column as a multiple of the baseline's; None where that is nothing."""
        return self.values[column] / self.values[baseline] if self.values[baseline] else None


def totals(comparison: Comparison, properties: Sequence[str] = ()) -> list[Total]:
    """Totals by type, over the effective properties of the resources that were compared; `properties` are patterns."""
    found: dict[tuple[str, str], dict[str, int | float]] = {}
    wanted = [pattern(each) for each in properties]
    for rendering in comparison.renderings:
        for key, value in _sums(rendering, comparison.fits).items():
            if not key[1] or not wanted or any(each.match(key[1]) for each in wanted):
                found.setdefault(key, dict.fromkeys(comparison.environments, 0))[rendering.label] = value
    return [Total(*key, values) for key, values in sorted(found.items())]


def _sums(rendering: Rendering, fits: Callable[[str], bool]) -> dict[tuple[str, str], int | float]:
    """The sums of a rendering, by type and property."""
    adding = _Adding()
    sums: defaultdict[tuple[str, str], int | float] = defaultdict(int)
    for address, resource in rendering.resources.items():
        if not fits(address):
            continue
        sums[resource.type_text, ""] += 1
        if resource.type is None or not resource.type.adds_up:
            continue
        for name, value in _numbers(adding.held(resource, resource.type), "", (), partial(adding.adds, resource.type)):
            sums[resource.type_text, name] += value
    return sums


class _Adding:
    """Which numbers of the types of one rendering are added up (docs/catalogs.md, `adds`)."""

    def __init__(self) -> None:
        self._may: dict[str, _May] = {}
        self._adds: dict[tuple[str, Pointer], bool] = {}
        self._filled: dict[tuple[str, str], bool] = {}
        self._defaults: dict[str, dict[str, Any] | None] = {}

    def held(self, resource: RenderedResource, kind: ResourceType) -> dict[str, Any]:
        """The effective properties in which a number may be."""
        defaults, may = self._in_defaults(kind), self._may[kind.id]
        if resource.faulty or defaults is None:
            effective = resource.effective
            return {name: effective[name] for name in effective if may[name]}
        properties, shapes = resource.properties, kind.shape.properties
        held = {name: value for name, value in defaults.items() if name not in properties} if defaults else {}
        for name in [name for name in properties if may[name]]:
            shape, value = shapes.get(name), properties[name]
            is_whole = type(value) is int or not self._is_filled(kind, name)
            held[name] = with_secrets(shape, value if is_whole else filled(shape, value, resource.address, (name,)))
        return held

    def _is_filled(self, kind: ResourceType, name: str) -> bool:
        """Whether defaults inside of a property may be numbers."""
        key = (kind.id, name)
        if key not in self._filled:
            self._filled[key] = _may_fill_numbers(kind.shape.properties.get(name))
        return self._filled[key]

    def _in_defaults(self, kind: ResourceType) -> dict[str, Any] | None:
        """The numbers that are there where nothing is written; None where one may be inside of something else."""
        if kind.id not in self._defaults:
            may = self._may[kind.id] = _May(kind)
            shape, plain = kind.shape, not kind.shape.patterns and kind.shape.others is None
            found = {name: each for name, each in shape.properties.items() if each.has_default and may[name]}
            plain = plain and not any(isinstance(each.default, dict | list) or each.write_only for each in found.values())
            self._defaults[kind.id] = {name: each.default for name, each in found.items()} if plain else None
        return self._defaults[kind.id]

    def adds(self, kind: ResourceType, pointer: Pointer) -> bool:
        """Whether the number at a place is."""
        key = (kind.id, pointer)
        if key not in self._adds:
            self._adds[key] = any(part.get("adds") for part in subschema(kind.schema, pointer))
        return self._adds[key]


class _May(dict[str, bool]):
    """Whether any number in a property may be added up, by its name."""

    __slots__ = ("_kind",)

    def __init__(self, kind: ResourceType) -> None:
        self._kind = kind

    def __missing__(self, name: str) -> bool:
        written = repr(subschema(self._kind.schema, (name,)))
        may = self[name] = "'adds'" in written or "'$ref'" in written
        return may


def _may_fill_numbers(shape: Shape | None) -> bool:
    """Whether defaults below of a shape may have numbers in them."""
    seen: set[Shape] = set()
    waiting = [shape] if shape is not None else []
    while waiting:
        below = [each for each in waiting.pop().children() if each.fills and each not in seen]
        if any(each.has_default and not isinstance(each.default, str | bool | None) for each in below):
            return True
        seen.update(below)
        waiting += below
    return False


def _numbers(value: Any, name: str, pointer: Pointer, adds: Callable[[Pointer], bool]) -> Iterator[tuple[str, int | float]]:
    """The numbers whose sum means something."""
    if isinstance(value, dict):
        for key in sorted(value):
            below = value[key]
            if type(below) is int:
                if adds((*pointer, key)):
                    yield f"{name}/{key}" if name else str(key), below
            elif type(below) is not str:
                yield from _numbers(below, f"{name}/{key}" if name else str(key), (*pointer, key), adds)
    elif isinstance(value, list):
        for index, item in enumerate(value):
            yield from _numbers(item, f"{name}/*", (*pointer, index), adds)
    elif isinstance(value, int | float) and not isinstance(value, bool) and adds(pointer):
        yield name, value
