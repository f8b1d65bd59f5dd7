"""Where a resource differs between columns, told by what its shape computed: all else is the same text in each of them."""

import operator
from collections.abc import Mapping
from typing import Any, NamedTuple

from jovial_scaffold.core.comparing.aligning import PLAIN, Leaf, are_alike, leaves, same
from jovial_scaffold.core.expressions.pending import Pending
from jovial_scaffold.core.rendering.instances import EvaluatedResource
from jovial_scaffold.core.rendering.overlays import condition_text, keyed_items, stands_by_itself
from jovial_scaffold.core.rendering.shapes import Code
from jovial_scaffold.core.rendering.shapes import Text as Written
from jovial_scaffold.core.schemas.lists import NO_LISTS
from jovial_scaffold.core.templates.model import ResourceShape
from jovial_scaffold.core.text.source import Pointer

_WHOLE = PLAIN | {Pending}
Columns = tuple[int, ...]
Text = tuple[object, ...]


class _Place(NamedTuple):
    """Where the code of a shape computes a value: in which property, and what it is written as.

    `label` is the place as a label, None where what stands there has to be looked at with what is around it; where it is `keyed`, keys
    stand for the positions of items. `at` says that it is there in each column.
    """

    name: str
    place: Pointer
    text: Written
    is_condition: bool
    label: Pointer | None
    keyed: bool
    at: dict[int, Pointer]


class ShapedLeaves:
    """Those of one comparison. What many resources share, such as tags, is taken apart once."""

    def __init__(self) -> None:
        self._places: dict[tuple[str, ResourceShape, Columns], list[_Place]] = {}
        self._shared: dict[tuple[str, str, Columns, Text | None], tuple[tuple[Any, ...], list[Leaf]]] = {}

    def of(self, present: Mapping[int, EvaluatedResource]) -> list[Leaf] | None:
        """The leaves that differ of a resource, by the column that has it; None where all of its properties have to be looked at."""
        columns, resources = tuple(present), list(present.values())
        first = resources[0].instance
        if first.computed is None:
            return None
        code, _, constants = first.computed
        computed = [each.instance.computed for each in resources if each.instance.resource is first.resource]
        values_of = [each[1] for each in computed if each is not None]
        if len(values_of) < len(resources):
            return None
        sees_all = first.resource.loop is None and first.scope.use is None  # the same text gives the same, where it is there
        there = condition_text(first.resource.when)
        is_single = sees_all and there is None
        found: dict[str, list[Leaf]] = {}
        apart: dict[str, Text | None] = {}
        for index, values in enumerate(zip(*values_of, strict=True)):
            known = values[0]
            differ = type(known) in PLAIN and values.count(known) < len(values)
            if not differ and are_alike(values):
                continue
            place = self._of(resources[0], columns, code)[index]
            if type(known) is dict and len(place.place) == 1:
                apart[place.name] = (place.text.key(constants), there) if sees_all else None  # where it is alike, that is seen there
                continue
            if not differ and all(value is known or same(known, value) for value in values[1:]):
                continue
            written = (place.text.key(constants), there) if sees_all and not place.is_condition else None
            label = place.label if _WHOLE.issuperset(map(type, values)) else None
            if label is not None and place.keyed:
                label = _with_keys(resources[0], label)
            if label is None:
                # Items of lists meet by their keys, parts of maps by their names, and secrets show nothing.
                apart[place.name] = written if len(place.place) == 1 else None
                continue
            held = dict(zip(columns, values, strict=True))
            found.setdefault(place.name, []).append(Leaf(label, place.at, held, True, written, index if is_single else None))
        result: list[Leaf] = []
        for name in sorted({*found, *apart}):
            if name in apart:
                several = self._taken_apart(present, name, apart[name])
                result += several if apart[name] or not sees_all else self._told(resources[0], columns, name, several)
            else:
                result += sorted(found[name], key=_place)
        return result

    def _of(self, resource: EvaluatedResource, columns: Columns, code: Code) -> list[_Place]:
        """The places of a shape, of one type."""
        written, lists = resource.instance.resource, resource.type.lists if resource.type is not None else NO_LISTS
        key = (resource.type_text, written.shape, columns)
        if key not in self._places:
            places = []
            for index, (place, text) in enumerate(zip(code.places, code.texts, strict=True)):
                name, is_condition = str(place[0]), index in code.conditions
                by_itself = not is_condition and _is_leaf(resource, name) and stands_by_itself(written, place, lists)
                label, keyed = place if by_itself else None, any(isinstance(step, int) for step in place)
                places.append(_Place(name, place, text, is_condition, label, keyed, dict.fromkeys(columns, place)))
            self._places[key] = places
        return self._places[key]

    def _told(self, evaluated: EvaluatedResource, columns: Columns, name: str, found: list[Leaf]) -> list[Leaf]:
        """Leaves of a list's items with what they are written as: an item by its key, and the condition on it."""
        resource, computed = evaluated.instance.resource, evaluated.instance.computed
        items = keyed_items(resource, name, resource.type.lists) if resource.type is not None else None
        if items is None or computed is None:
            return found
        code, _, constants = computed
        there = condition_text(resource.when)
        texts = {each.place: each.text for each in self._of(evaluated, columns, code) if each.name == name}
        result = []
        for leaf in found:
            number = items.get(leaf.label[1]) if len(leaf.label) > 1 else None
            rest = leaf.label[2:]
            place: Pointer = (name, number, *rest) if number is not None else ()
            inside = any(isinstance(step, int) for step in rest) or any(place[:depth] in texts for depth in range(3, len(place)))
            if number is None or not rest or inside:
                result.append(leaf)
                continue
            keys = [text.key(constants) if text is not None else None for text in (texts.get(place), texts.get(place[:2]))]
            result.append(leaf._replace(text=(there, *keys)))
        return result

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


def _with_keys(resource: EvaluatedResource, place: Pointer) -> Pointer | None:
    """A place with the keys of items instead of their positions; None where an item has none of its own."""
    lists = resource.type.lists if resource.type is not None else NO_LISTS
    label: list[str | int] = []
    within: Pointer = ()
    value: Any = resource.properties
    for step in place:
        if isinstance(step, int):
            name = str(lists.key(within))
            keys = [item.get(name) if type(item) is dict else None for item in value]
            if len({each for each in keys if type(each) is str}) < len(keys):
                return None
            label.append(str(keys[step]))
        else:
            label.append(step)
        value, within = value[step], (*within, 0 if isinstance(step, int) else step)
    return tuple(label)


def _place(leaf: Leaf) -> Pointer:
    return next(iter(leaf.at.values()))


def _is_leaf(resource: EvaluatedResource, name: str) -> bool:
    """Whether nothing in a property is secret by its schema."""
    shape = resource.type.shape.properties.get(name) if resource.type is not None else None
    return shape is None or not shape.marks
