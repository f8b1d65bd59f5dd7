"""Numbers as people look at them: how many resources of each type, and the sum of each number that its catalog says to add up."""

from collections.abc import Iterator, Sequence
from typing import Any

from jovial_scaffold.core.changes.matrix import Comparison
from jovial_scaffold.core.records import value_record
from jovial_scaffold.core.schemas.navigation import subschema
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
    nothing: dict[str, int | float] = dict.fromkeys(comparison.environments, 0)
    wanted = [pattern(each) for each in properties]
    for rendering in comparison.renderings:
        for address, resource in rendering.resources.items():
            if not comparison.fits(address):
                continue
            found.setdefault((resource.type_text, ""), dict(nothing))[rendering.label] += 1
            if resource.type is None or not resource.type.adds_up:
                continue
            for name, value in _numbers(resource.effective, "", (), resource.type.schema):
                if not wanted or any(each.match(name) for each in wanted):
                    found.setdefault((resource.type_text, name), dict(nothing))[rendering.label] += value
    return [Total(*key, values) for key, values in sorted(found.items())]


def _numbers(value: Any, name: str, pointer: Pointer, schema: Any) -> Iterator[tuple[str, int | float]]:
    """The numbers whose sum means something (docs/catalogs.md, `adds`)."""
    if isinstance(value, dict):
        for key in sorted(value):
            yield from _numbers(value[key], f"{name}/{key}" if name else str(key), (*pointer, key), schema)
    elif isinstance(value, list):
        for index, item in enumerate(value):
            yield from _numbers(item, f"{name}/*", (*pointer, index), schema)
    elif isinstance(value, int | float) and not isinstance(value, bool) and any(part.get("adds") for part in subschema(schema, pointer)):
        yield name, value
