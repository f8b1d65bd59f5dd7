"""Where a resource differs between columns, told by what its shape computed: all else is the same text in each of them."""

import operator
from collections.abc import Mapping
from typing import Any

from jovial_scaffold.core.comparing.aligning import PLAIN, Leaf, are_alike, leaves, same
from jovial_scaffold.core.expressions.pending import Pending
from jovial_scaffold.core.rendering.instances import EvaluatedResource
from jovial_scaffold.core.schemas.lists import NO_LISTS

_WHOLE = PLAIN | {Pending}


class ShapedLeaves:
    """Those of one comparison. What many resources share, such as tags, is taken apart once."""

    def __init__(self) -> None:
        self._shared: dict[tuple[str, str, tuple[int, ...]], tuple[tuple[Any, ...], list[Leaf]]] = {}

    def of(self, present: Mapping[int, EvaluatedResource]) -> list[Leaf] | None:
        """The leaves that differ of a resource, by the column that has it; None where all of its properties have to be looked at."""
        found = _differing(present)
        if found is None:
            return None
        result: list[Leaf] = []
        for name in sorted(found):
            several = found[name]
            result += self._taken_apart(present, name) if several is None else sorted(several, key=lambda leaf: leaf.label)
        return result

    def _taken_apart(self, present: Mapping[int, EvaluatedResource], name: str) -> list[Leaf]:
        first = next(iter(present.values()))
        values = tuple([each.properties[name] for each in present.values()])
        key = (first.type_text, name, tuple(present))
        known = self._shared.get(key)
        if known is not None and len(known[0]) == len(values) and all(map(operator.is_, known[0], values)):
            return known[1]
        lists = first.type.lists if first.type is not None else NO_LISTS
        found = list(leaves({column: {name: each.properties[name]} for column, each in present.items()}, lists, len(present)))
        self._shared[key] = values, found
        return found


def _differing(present: Mapping[int, EvaluatedResource]) -> dict[str, list[Leaf] | None] | None:
    """The leaves of each property that differs, None for one that has to be taken apart; None where all properties have to be looked at."""
    columns, resources = list(present), list(present.values())
    first = resources[0].instance
    if first.computed is None:
        return None
    computed = []
    for each in resources:
        if each.instance.computed is None or each.instance.resource is not first.resource:
            return None
        computed.append(each.instance.computed[1])
    found: dict[str, list[Leaf] | None] = {}
    for place, values in zip(first.computed[0].places, zip(*computed, strict=True), strict=True):
        known = values[0]
        if are_alike(values) or all(value is known or same(known, value) for value in values[1:]):
            continue
        if not place:  # a condition: whether there is an item
            return None
        name = str(place[0])
        if _is_leaf(resources[0], name) and not any(isinstance(step, int) for step in place) and _WHOLE.issuperset(map(type, values)):
            several = found.setdefault(name, [])
            if several is not None:
                several.append(Leaf(place, dict.fromkeys(columns, place), dict(zip(columns, values, strict=True)), True))
        else:
            found[name] = None  # items of lists meet by their keys, parts of maps by their names, and secrets show nothing
    return found


def _is_leaf(resource: EvaluatedResource, name: str) -> bool:
    """Whether nothing in a property is secret by its schema."""
    shape = resource.type.shape.properties.get(name) if resource.type is not None else None
    return shape is None or not shape.marks
