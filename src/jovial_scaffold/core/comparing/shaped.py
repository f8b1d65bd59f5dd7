"""Where a resource differs between columns, told by what its shape computed: all else is the same text in each of them."""

import operator
from collections.abc import Mapping
from typing import Any

from jovial_scaffold.core.comparing.aligning import PLAIN, Leaf, are_alike, leaves, same
from jovial_scaffold.core.expressions.pending import Pending
from jovial_scaffold.core.rendering.instances import EvaluatedResource
from jovial_scaffold.core.rendering.overlays import stands_by_itself
from jovial_scaffold.core.schemas.lists import NO_LISTS
from jovial_scaffold.core.templates.model import ResourceShape
from jovial_scaffold.core.text.source import Pointer

_WHOLE = PLAIN | {Pending}
Columns = tuple[int, ...]
Text = tuple[object, ...]


class ShapedLeaves:
    """Those of one comparison. What many resources share, such as tags, is taken apart once."""

    def __init__(self) -> None:
        self._at: dict[tuple[Pointer, Columns], dict[int, Pointer]] = {}
        self._by_itself: dict[tuple[ResourceShape, Pointer], bool] = {}
        self._shared: dict[tuple[str, str, Columns, Text | None], tuple[tuple[Any, ...], list[Leaf]]] = {}

    def of(self, present: Mapping[int, EvaluatedResource]) -> list[Leaf] | None:
        """The leaves that differ of a resource, by the column that has it; None where all of its properties have to be looked at."""
        columns, resources = tuple(present), list(present.values())
        first = resources[0].instance
        computed = [each.instance.computed for each in resources if each.instance.resource is first.resource]
        if first.computed is None or len(computed) < len(resources) or None in computed:
            return None
        code, _, constants = first.computed
        sees_all = first.resource.is_single and first.scope.use is None  # the same text gives the same
        found: dict[str, list[Leaf]] = {}
        apart: dict[str, Text | None] = {}
        for place, text, values in zip(code.places, code.texts, zip(*[each[1] for each in computed if each], strict=True), strict=True):
            known, name = values[0], str(place[0])
            if type(known) is dict and text is not None and len(place) == 1:
                apart[name] = text.key(constants) if sees_all else None  # where it does not differ, that is seen there
                continue
            if are_alike(values) or all(value is known or same(known, value) for value in values[1:]):
                continue
            label = self._label(resources[0], place) if text is not None and _WHOLE.issuperset(map(type, values)) else None
            written = text.key(constants) if text is not None and sees_all else None
            if label is None:
                # Items of lists meet by their keys, parts of maps by their names, and secrets show nothing.
                apart[name] = written if len(place) == 1 else None
                continue
            at = self._at.get((place, columns))
            if at is None:
                at = self._at[place, columns] = dict.fromkeys(columns, place)
            found.setdefault(name, []).append(Leaf(label, at, dict(zip(columns, values, strict=True)), True, written))
        result: list[Leaf] = []
        for name in sorted({*found, *apart}):
            if name in apart:
                result += self._taken_apart(present, name, apart[name])
            else:
                result += sorted(found[name], key=_place)
        return result

    def _label(self, resource: EvaluatedResource, place: Pointer) -> Pointer | None:
        """A place with the keys of items instead of their positions; None where what stands there has to be looked at with what is around it."""
        kind, written = resource.type, resource.instance.resource
        key = (written.shape, place)
        if key not in self._by_itself:
            self._by_itself[key] = _is_leaf(resource, str(place[0])) and stands_by_itself(written, place, kind.lists if kind else NO_LISTS)
        if not self._by_itself[key]:
            return None
        if kind is None or not any(type(step) is int for step in place):
            return place
        label: list[str | int] = []
        within: Pointer = ()
        value: Any = resource.properties
        for step in place:
            if isinstance(step, int):
                name = str(kind.lists.key(within))
                keys = [item.get(name) if type(item) is dict else None for item in value]
                if len({each for each in keys if type(each) is str}) < len(keys):
                    return None
                label.append(str(keys[step]))
            else:
                label.append(step)
            value, within = value[step], (*within, 0 if isinstance(step, int) else step)
        return tuple(label)

    def _taken_apart(self, present: Mapping[int, EvaluatedResource], name: str, text: Text | None) -> list[Leaf]:
        first = next(iter(present.values()))
        values = tuple([each.properties[name] for each in present.values()])
        key = (first.type_text, name, tuple(present), text)
        known = self._shared.get(key)
        if known is not None and len(known[0]) == len(values) and all(map(operator.is_, known[0], values)):
            return known[1]
        lists = first.type.lists if first.type is not None else NO_LISTS
        found = list(leaves({column: {name: each.properties[name]} for column, each in present.items()}, lists, len(present)))
        if text is not None:  # which says all of it, and so all parts
            found = [each._replace(text=(first.type_text, text, each.label)) for each in found]
        self._shared[key] = values, found
        return found


def _place(leaf: Leaf) -> Pointer:
    return next(iter(leaf.at.values()))


def _is_leaf(resource: EvaluatedResource, name: str) -> bool:
    """Whether nothing in a property is secret by its schema."""
    shape = resource.type.shape.properties.get(name) if resource.type is not None else None
    return shape is None or not shape.marks
