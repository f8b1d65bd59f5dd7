"""Where a resource differs between columns, told by what its shape computed: all else is the same text in each of them."""

import operator
from collections.abc import Callable, Mapping
from typing import Any, NamedTuple

from jovial_scaffold.core.changes.aligning import PLAIN, Leaf, leaves, same
from jovial_scaffold.core.expressions.pending import Pending
from jovial_scaffold.core.rendering.instances import EvaluatedResource
from jovial_scaffold.core.rendering.overlays import condition_text, keyed_items, stands_by_itself
from jovial_scaffold.core.rendering.shapes import Code, Text
from jovial_scaffold.core.schemas.lists import NO_LISTS
from jovial_scaffold.core.templates.model import Resource, ResourceShape
from jovial_scaffold.core.text.source import Pointer

_WHOLE = PLAIN | {Pending}
_ITEM = 2  # steps that lead to a part of an item of a property that is a list, but for the property
Columns = tuple[int, ...]
Key = tuple[object, ...]


class _Place(NamedTuple):
    """Where the code of a shape computes a value, of all that it computes: in which property, and what it is written as.

    `label` is the place as a label, None where what stands there has to be looked at with what is around it; where it is `keyed`, keys
    stand for the positions of items. `at` says that it is there in each column.
    """

    number: int
    name: str
    place: Pointer
    text: Text
    is_condition: bool
    label: Pointer | None
    keyed: bool
    at: dict[int, Pointer]


class _Sides(NamedTuple):
    """A resource in all columns that have it: what its shape computes in each of them. `sees_all` says that the same text gives the same,
    where it is there; `in_items` that it does but for what reads variables of the loop. `there` is the text that decides whether it is."""

    columns: Columns
    resources: list[EvaluatedResource]
    places: list[_Place]
    computed: list[tuple[Any, ...]]
    constants: tuple[Any, ...]
    sees_all: bool
    in_items: bool
    there: object

    @property
    def is_single(self) -> bool:
        """Whether it is there whatever is tried."""
        return self.sees_all and self.there is None

    def text(self, place: _Place) -> Key | None:
        """What all that is written alike has in common with what stands at a place; None where nothing says that."""
        if self.sees_all:
            return (place.text.key(self.constants), self.there)
        key = place.text.item_key(self.constants) if self.in_items else None
        return (key, None) if key is not None else None


class ShapedLeaves:
    """Those of one comparison. What many resources share, such as tags, is taken apart once."""

    def __init__(self, keeps_items: Callable[[Resource], bool]) -> None:
        """`keeps_items` says of a loop of the template itself that it has the same items in all columns, whatever is tried."""
        self._keeps_items = keeps_items
        self._places: dict[tuple[str, ResourceShape, Columns], list[_Place]] = {}
        self._shared: dict[tuple[str, str, Columns, Key | None], tuple[tuple[Any, ...], list[Leaf]]] = {}

    def of(self, present: Mapping[int, EvaluatedResource]) -> list[Leaf] | None:
        """The leaves that differ of a resource, by the column that has it; None where all of its properties have to be looked at."""
        sides = self._sides(present)
        if sides is None:
            return None
        found: dict[str, list[Leaf]] = {}
        apart: dict[str, Key | None] = {}
        for place, values in zip(sides.places, zip(*sides.computed, strict=True), strict=True):
            known = values[0]
            plain = type(known) in PLAIN and len(set(map(type, values))) == 1
            if plain and values.count(known) == len(values):
                continue
            if type(known) is dict and len(place.place) == 1:
                apart[place.name] = sides.text(place)  # where it is alike, that is seen there
                continue
            if not plain and all(value is known or same(known, value) for value in values[1:]):
                continue
            label = place.label if plain or _WHOLE.issuperset(map(type, values)) else None
            if label is not None and place.keyed:
                label = _with_keys(sides.resources[0], label)
            if label is None:
                # Items of lists meet by their keys, parts of maps by their names, and secrets show nothing.
                apart[place.name] = sides.text(place) if len(place.place) == 1 else None
                continue
            held = dict(zip(sides.columns, values, strict=True))
            index = place.number if sides.is_single else None
            found.setdefault(place.name, []).append(Leaf(label, place.at, held, True, sides.text(place), index))
        result: list[Leaf] = []
        for name in sorted({*found, *apart}):
            if name in apart:
                listed = _listed(sides, name) if sides.sees_all and apart[name] is None else None
                result += self._taken_apart(present, name, apart[name]) if listed is None else listed
            else:
                result += found[name] if len(found[name]) == 1 else sorted(found[name], key=_place)
        return result

    def _sides(self, present: Mapping[int, EvaluatedResource]) -> "_Sides | None":
        columns, resources = tuple(present), list(present.values())
        first = resources[0].instance
        if first.computed is None:
            return None
        code, _, constants = first.computed
        computed = [each.instance.computed for each in resources if each.instance.resource is first.resource]
        values_of = [each[1] for each in computed if each is not None]
        if len(values_of) < len(resources):
            return None
        sees_all = first.scope.use is None and first.resource.loop is None
        in_items = first.scope.use is None and not sees_all and self._keeps_items(first.resource)
        there = condition_text(first.resource.when) if sees_all else None
        return _Sides(columns, resources, self._of(resources[0], columns, code), values_of, constants, sees_all, in_items, there)

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
                places.append(_Place(index, name, place, text, is_condition, label, keyed, dict.fromkeys(columns, place)))
            self._places[key] = places
        return self._places[key]

    def _taken_apart(self, present: Mapping[int, EvaluatedResource], name: str, text: Key | None) -> list[Leaf]:
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


def _listed(sides: _Sides, name: str) -> list[Leaf] | None:
    """The leaves of a list of flat maps that are known by keys which are written out, and may each have a condition; None for another."""
    resource, lists = sides.resources[0].instance.resource, [each.properties[name] for each in sides.resources]
    items = keyed_items(resource, name, resource.type.lists) if resource.type and _is_leaf(sides.resources[0], name) else None
    places = [each for each in sides.places if each.name == name]
    deep = any(len(each.place) - 1 + each.is_condition != _ITEM for each in places)
    if items is None or deep or not all(_WHOLE.issuperset(map(type, item.values())) for each in lists for item in each):
        return None
    conditions = {each.place[1]: each for each in places if each.is_condition}
    parts = {each.place[1:]: each for each in places if not each.is_condition}
    held: dict[str | int, dict[int, tuple[int, dict[str, Any]]]] = {}
    for side, (column, each) in enumerate(zip(sides.columns, lists, strict=True)):
        rest = iter(enumerate(each))
        for key, number in items.items():
            if number not in conditions or sides.computed[side][conditions[number].number]:
                held.setdefault(key, {})[column] = next(rest)
    result = []
    for key, there in held.items():
        number = items[key]
        decides = conditions[number].text.key(sides.constants) if number in conditions else None
        first = next(iter(there.values()))[1]
        for part in sorted(first):
            values = {column: item[part] for column, (_, item) in there.items()}
            known = first[part]
            if len(there) == len(sides.columns) and all(value is known or same(known, value) for value in values.values()):
                continue
            place = parts.get((number, part))
            written = place.text.key(sides.constants) if place is not None else None
            at: dict[int, Pointer] = {column: (name, position, part) for column, (position, _) in there.items()}
            result.append(Leaf((name, key, part), at, values, True, (sides.there, written, decides)))
    return result


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
