"""Rendered environments as rows: one for each property, one column for each environment, and what drives each difference."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any

from jovial_scaffold.core.expressions.values import Pending, Secret, equal
from jovial_scaffold.core.rendering.rendering import Rendering
from jovial_scaffold.core.rendering.tracing import Source, Tracer
from jovial_scaffold.core.text.patterns import pattern
from jovial_scaffold.core.text.source import Pointer, part, pointer_text
from jovial_scaffold.core.text.unknown import UNKNOWN


@dataclass(frozen=True, slots=True)
class Driver:
    """A parameter (or `context.environment` and its like) that differs, and the line that sets it in each environment."""

    parameter: str
    sources: dict[str, str]


@dataclass(frozen=True, slots=True)
class Row:
    """A property in all environments; pointer () is the presence of the resource itself, with the value True.

    `absent` lists the environments without the property (or without the resource).
    """

    address: str
    type: str
    pointer: Pointer
    values: dict[str, Any]
    absent: tuple[str, ...]
    differs: bool
    drivers: tuple[Driver, ...] = ()


@dataclass(frozen=True, slots=True)
class Comparison:
    """All rows, sorted by address and pointer; `rows` holds only those that differ unless all were asked for."""

    environments: tuple[str, ...]
    rows: tuple[Row, ...]
    resources: int
    differing: int

    @property
    def same(self) -> int:
        """How many resources are equal in all environments."""
        return self.resources - self.differing


def compare(renderings: Sequence[Rendering], everything: bool = False, only: str = "*") -> Comparison:
    """The rows of some environments, in the order in which they are given; the first is the baseline.

    `only` is a pattern of `*` and `?` over addresses, or over `address:property` where it holds a colon.
    """
    fits = pattern(only)
    addresses = sorted({address for rendering in renderings for address in rendering.resources})
    rows: list[Row] = []
    differing = compared = 0
    for address in addresses:
        found = [row for row in _resource_rows(address, renderings) if fits.match(row_label(row) if ":" in only else address)]
        if not found:
            continue
        compared += 1
        if any(row.differs for row in found):
            differing += 1
        rows += [_driven(row, renderings) if row.differs else row for row in found if row.differs or everything]
    return Comparison(tuple(rendering.environment for rendering in renderings), tuple(rows), compared, differing)


def _resource_rows(address: str, renderings: Sequence[Rendering]) -> Iterator[Row]:
    present = {rendering.environment: rendering.resources[address] for rendering in renderings if address in rendering.resources}
    missing = tuple(rendering.environment for rendering in renderings if address not in rendering.resources)
    types = list(dict.fromkeys(resource.type_text for resource in present.values()))
    if missing:
        yield Row(address, types[0], (), dict.fromkeys(present, True), missing, differs=True)
    leaves = {name: dict(_leaves(resource.properties, ())) for name, resource in present.items()}
    pointers = sorted(
        {pointer for each in leaves.values() for pointer in each},
        key=lambda pointer: tuple((isinstance(s, str), str(s).rjust(9) if isinstance(s, int) else s) for s in pointer),
    )
    for pointer in pointers:
        values = {name: each[pointer] for name, each in leaves.items() if pointer in each}
        without = tuple(r.environment for r in renderings if r.environment in present and r.environment not in values)
        first = next(iter(values.values()))
        differs = bool(without) or not all(same(first, value) for value in values.values())
        yield Row(address, types[0], pointer, values, (*without, *missing), differs)


def _leaves(value: Any, pointer: Pointer) -> Iterator[tuple[Pointer, Any]]:
    """Maps and lists of maps are taken apart; a list of plain values stays one row."""
    if isinstance(value, dict) and value:
        for key in sorted(value):
            yield from _leaves(value[key], (*pointer, key))
    elif isinstance(value, list) and any(isinstance(item, dict | list) for item in value):
        for index, item in enumerate(value):
            yield from _leaves(item, (*pointer, index))
    else:
        yield pointer, value


def same(a: Any, b: Any) -> bool:
    """Whether two rendered values are equal; pending ones with equal origins are, unknown ones are not judged."""
    if a is UNKNOWN or b is UNKNOWN:
        return a is b
    if isinstance(a, Pending) or isinstance(b, Pending):
        return isinstance(a, Pending) and isinstance(b, Pending) and a.origins == b.origins
    if isinstance(a, Secret) or isinstance(b, Secret):
        return isinstance(a, Secret) and isinstance(b, Secret) and same(a.value, b.value)
    if isinstance(a, list) and isinstance(b, list):
        return len(a) == len(b) and all(map(same, a, b))
    if isinstance(a, dict) and isinstance(b, dict):
        return a.keys() == b.keys() and all(same(a[key], b[key]) for key in a)
    return equal(a, b)


def _driven(row: Row, renderings: Sequence[Rendering]) -> Row:
    # A loop's item may stand at another position in each environment, so each environment follows its own path.
    if row.pointer:
        renderings = [rendering for rendering in renderings if row.address in rendering.resources]
    own = [_sources(row, rendering) for rendering in renderings]
    drivers: dict[str, dict[str, str]] = {}
    for name in sorted({name for sources in own for name, _ in sources}):
        anywhere = list(dict.fromkeys(path for sources in own for other, path in sources if other == name))
        paths = [[path for other, path in sources if other == name] or anywhere for sources in own]
        values = [[_value(rendering, name, path) for path in each] for rendering, each in zip(renderings, paths, strict=True)]
        if any(not _all_alike(values[0], value) for value in values[1:]):
            places = {r.environment: _set_at(r, name, each[0]) for r, each in zip(renderings, paths, strict=True)}
            drivers[name] = {environment: place for environment, place in places.items() if place}
    found = tuple(Driver(name, drivers[name]) for name in sorted(drivers))
    return Row(row.address, row.type, row.pointer, row.values, row.absent, row.differs, found)


def _sources(row: Row, rendering: Rendering) -> list[Source]:
    if row.pointer:
        instance = rendering.resources[row.address].instance
        return Tracer(instance.scope).sources(instance, row.pointer)
    found: dict[Source, None] = {}
    for scope, resource in rendering.scope.along(row.address):
        found.update(dict.fromkeys(Tracer(scope).presence_sources(resource)))
    return list(found)


_NOTHING = object()


def _value(rendering: Rendering, name: str, path: Pointer) -> Any:
    """The value of a source in an environment; a mark of its own where there is none."""
    value: Any
    if name.startswith("context."):
        value = rendering.context.get(name.removeprefix("context."))
    else:
        value = rendering.parameters.values.get(name, _NOTHING)
    for step in path:
        if isinstance(value, Secret):
            break
        try:
            value = part(value, step)
        except KeyError:
            return _NOTHING
    return value


def _all_alike(some: list[Any], others: list[Any]) -> bool:
    return len(some) == len(others) and all(
        a is b if a is _NOTHING or b is _NOTHING else same(a, b) for a, b in zip(some, others, strict=True)
    )


def _set_at(rendering: Rendering, name: str, path: Pointer) -> str:
    setting = rendering.parameters.setting((name, *path))
    if setting is not None:
        return setting.text()
    declaration = rendering.scope.template.parameters.get(name)
    if declaration is not None and declaration.default is not None:
        span = declaration.default.origin.value_span()
        return f"{span.file}:{span.line}"
    return ""


def row_label(row: Row) -> str:
    """`gates:copies`, or the address alone."""
    return f"{row.address}:{pointer_text(row.pointer)}" if row.pointer else row.address
