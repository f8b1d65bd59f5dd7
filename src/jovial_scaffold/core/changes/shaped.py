"""Where a resource differs between columns, told by what its shape computed: all else is the same text in each of them."""

import operator
from collections.abc import Callable, Iterable, Mapping, Sequence
from itertools import repeat
from typing import Any, NamedTuple

from jovial_scaffold.core.changes.aligning import PLAIN, Alike, Leaf, are_alike, leaves, same
from jovial_scaffold.core.expressions.pending import Pending
from jovial_scaffold.core.expressions.placeholders import Joined
from jovial_scaffold.core.rendering.instances import EvaluatedResource
from jovial_scaffold.core.rendering.overlays import condition_text, stands_by_itself
from jovial_scaffold.core.rendering.shapes import Code, Text
from jovial_scaffold.core.schemas.lists import NO_LISTS
from jovial_scaffold.core.templates.model import Resource, ResourceShape
from jovial_scaffold.core.text.source import Pointer

_WHOLE = PLAIN | {Pending}
_ABSENT: Any = object()
_INSTANCE, _RESOURCE, _COMPUTED = map(operator.attrgetter, ("instance", "resource", "computed"))
_VALUES = operator.itemgetter(1)
_ITEM = 2  # steps that lead to a part of an item of a property that is a list, but for the property
Columns = tuple[int, ...]
Key = tuple[object, ...]


class _Place(NamedTuple):
    """Where the code of a shape computes a value, of all that it computes: in which property, and what it is written as.

    `label` is the place as a label, None where what stands there has to be looked at with what is around it; where it is `keyed`, keys
    stand for the positions of items. `at` says that it is there in each column. It is `joined` where words may stand around what is computed.
    """

    number: int
    name: str
    place: Pointer
    text: Text
    is_condition: bool
    label: Pointer | None
    keyed: bool
    at: dict[int, Pointer]
    joined: bool


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
            text = place.text
            return (text.shapes, self.constants[text.first : text.last], self.there, self.columns)
        key = place.text.item_key(self.constants) if self.in_items else None
        return (key, None, self.columns) if key is not None else None


class ShapedLeaves:
    """Those of one comparison. What many resources share, such as tags, is taken apart once."""

    def __init__(self, keeps_items: Callable[[Resource], bool]) -> None:
        """`keeps_items` says of a loop of the template itself that it has the same items in all columns, whatever is tried."""
        self._keeps_items = keeps_items
        self._places: dict[tuple[str, ResourceShape, Columns], list[_Place]] = {}
        self._shared: dict[tuple[str, str, Columns, Key | None], tuple[tuple[Any, ...], list[Leaf]]] = {}
        self._kept: dict[tuple[str, str, Columns, tuple[Alike | None, ...]], tuple[list[Any], list[Leaf]]] = {}
        self._alike: dict[Key, Alike] = {}
        self._everywhere: dict[tuple[Columns, Pointer], dict[int, Pointer]] = {}

    def of(self, present: Mapping[int, EvaluatedResource], wanted: bool | Sequence[int] = False) -> list[Leaf] | None:
        """The leaves of a resource that differ, or all, by the column that has it; or those that differ by some of what its code computes, and
        maybe others. None where all of its properties have to be looked at."""
        if not isinstance(wanted, bool) and not wanted:
            return []
        sides = self._sides(present)
        if sides is None:
            return None
        if not isinstance(wanted, bool):
            return self._differing(sides, wanted)
        differing = self._differing(sides, range(len(sides.places)))
        return self._all(sides, differing) if wanted else differing

    def _all(self, sides: _Sides, differing: list[Leaf]) -> list[Leaf]:
        """All leaves: those that differ, and what else there is of each property."""
        columns, first = sides.columns, sides.resources[0]
        lists = first.type.lists if first.type is not None else NO_LISTS
        properties = [each.properties for each in sides.resources]
        by_name: dict[str, list[Leaf]] = {}
        for leaf in differing:
            by_name.setdefault(str(leaf.label[0]), []).append(leaf)
        names = sorted(set().union(*properties))
        if not names:  # it is listed all the same
            return [Leaf((), self._at(columns, ()), dict(zip(columns, properties, strict=True)), False)]
        result: list[Leaf] = []
        for name in names:
            own = by_name.get(name)
            if own is not None and len(own[0].label) == 1:
                result += own
                continue
            values = [each.get(name, _ABSENT) for each in properties]
            known = values[0]
            if own is None and type(known) in PLAIN and are_alike(tuple(values)):
                result.append(Leaf((name,), self._at(columns, (name,)), dict.fromkeys(columns, known), False))
                continue
            key = (first.type_text, name, columns, tuple([leaf.text for leaf in own or ()]))
            kept = self._kept.get(key)
            if kept is None or not all(map(operator.is_, kept[0], values)):
                held = {column: {} if value is _ABSENT else {name: value} for column, value in zip(columns, values, strict=True)}
                kept = self._kept[key] = values, list(leaves(held, lists, len(columns), True))
            told = {leaf.label: leaf for leaf in own or ()}
            result += [told.get(leaf.label, leaf) for leaf in kept[1]] if told else kept[1]
        return result

    def _at(self, columns: Columns, place: Pointer) -> dict[int, Pointer]:
        """The same place in some columns, of which there is one."""
        key = (columns, place)
        known = self._everywhere.get(key)
        if known is None:
            known = self._everywhere[key] = dict.fromkeys(columns, place)
        return known

    def _differing(self, sides: _Sides, numbers: Iterable[int]) -> list[Leaf]:
        count, single = len(sides.columns), sides.is_single
        found: dict[str, list[Leaf]] = {}
        apart: dict[str, Key | None] = {}
        computed = list(zip(*sides.computed, strict=True))
        for number in numbers:
            place, values = sides.places[number], computed[number]
            known = values[0]
            plain = type(known) in PLAIN and len(set(map(type, values))) == 1
            if plain and values.count(known) == count:
                continue
            if type(known) is dict and len(place.place) == 1:
                apart[place.name] = sides.text(place)  # where it is alike, that is seen there
                continue
            if not plain and (all(map(operator.is_, values, repeat(known))) or all(map(same, values, repeat(known)))):
                continue
            label = place.label if plain or _WHOLE.issuperset(map(type, values)) else None
            if label is not None and place.keyed:
                label = _with_keys(sides.resources[0], label)
            if label is None:
                # Items of lists meet by their keys, parts of maps by their names, and secrets show nothing.
                apart[place.name] = sides.text(place) if len(place.place) == 1 else None
                continue
            held = dict(zip(sides.columns, values))  # noqa: B905  # they are as many
            index = place.number if single else None
            found.setdefault(place.name, []).append(
                Leaf(label, place.at, held, True, self._written(sides.text(place), place.joined), index)
            )
        result: list[Leaf] = []
        for name in sorted({*found, *apart}):
            if name in apart:
                listed = self._listed(sides, name) if sides.sees_all and apart[name] is None else None
                result += self._taken_apart(sides, name, apart[name]) if listed is None else listed
            else:
                result += found[name] if len(found[name]) == 1 else sorted(found[name], key=_place)
        return result

    def _written(self, text: Key | None, joined: bool) -> Alike | None:
        """What leaves have in common whose texts have this in common."""
        if text is None:
            return None
        known = self._alike.get(text)
        if known is None:
            known = self._alike[text] = Alike(joined)
        return known

    def _sides(self, present: Mapping[int, EvaluatedResource]) -> "_Sides | None":
        columns, resources = tuple(present), list(present.values())
        first = resources[0].instance
        if first.computed is None:
            return None
        code, _, constants = first.computed
        instances, written = [*map(_INSTANCE, resources)], first.resource
        computed = [*map(_COMPUTED, instances)]
        if not all(map(operator.is_, map(_RESOURCE, instances), repeat(written))) or not all(computed):
            return None
        values_of = [*map(_VALUES, computed)]
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
                at, joined = self._at(columns, place), _is_joined(text.shapes)
                places.append(_Place(index, name, place, text, is_condition, label, keyed, at, joined))
            self._places[key] = places
        return self._places[key]

    def _listed(self, sides: _Sides, name: str) -> list[Leaf] | None:
        """The leaves of a list of flat maps that are known by keys which are written out, and may each have a condition; None for another."""
        kind, lists = sides.resources[0].type, [each.properties[name] for each in sides.resources]
        by = kind.lists.key((name,)) if kind is not None and _is_leaf(sides.resources[0], name) else None
        places = [each for each in sides.places if each.name == name]
        if by is None or type(lists[0]) is not list or any(len(each.place) - 1 + each.is_condition != _ITEM for each in places):
            return None
        conditions = {each.place[1]: each for each in places if each.is_condition}
        parts = {each.place[1:]: each for each in places if not each.is_condition}
        held = _by_number(sides, lists, {number: each.number for number, each in conditions.items()})
        firsts = {number: next(iter(there.values()))[1] for number, there in held.items()}
        keys = {number: item.get(by) if type(item) is dict else None for number, item in firsts.items()}
        if len(set(keys.values())) < len(keys) or not all(type(each) is str for each in keys.values()):
            return None
        if any((number, by) in parts for number in keys):
            return None
        if not all(_WHOLE.issuperset(map(type, item.values())) for there in held.values() for _, item in there.values()):
            return None
        result = []
        for number, there in held.items():
            decides = conditions[number].text.key(sides.constants) if number in conditions else None
            first, everywhere = firsts[number], len(there) == len(sides.columns)
            for part in sorted(first):
                place = parts.get((number, part))
                if place is None and everywhere:
                    continue  # it is written out
                values = {column: item[part] for column, (_, item) in there.items()}
                if everywhere and (are_alike(tuple(values.values())) or all(map(same, values.values(), repeat(first[part])))):
                    continue
                written = place.text.key(sides.constants) if place is not None else None
                at: dict[int, Pointer] = {column: (name, position, part) for column, (position, _) in there.items()}
                text = self._written((sides.there, written, decides, sides.columns), place is not None and place.joined)
                result.append(Leaf((name, str(keys[number]), part), at, values, True, text))
        return result

    def _taken_apart(self, sides: _Sides, name: str, text: Key | None) -> list[Leaf]:
        first = sides.resources[0]
        key = (first.type_text, name, sides.columns, text)
        known = self._shared.get(key)
        if known is not None and text is not None and sides.sees_all:
            return known[1]  # what is written alike is alike
        values = tuple([each.properties[name] for each in sides.resources])
        if known is not None and all(map(operator.is_, known[0], values)):
            return known[1]
        lists = first.type.lists if first.type is not None else NO_LISTS
        held = {column: {name: value} for column, value in zip(sides.columns, values, strict=True)}
        found = list(leaves(held, lists, len(values)))
        if text is not None:  # which says all of it, and so all parts
            found = [each._replace(text=self._written((first.type_text, text, each.label), _is_joined(text))) for each in found]
        self._shared[key] = values, found
        return found


def _by_number(
    sides: _Sides, lists: list[list[dict[str, Any]]], conditions: Mapping[str | int, int]
) -> dict[int, dict[int, tuple[int, dict[str, Any]]]]:
    """The items of a list that are there, by their number as they are written, and by column, with the position there. `conditions` are the
    numbers of those with a condition, and which of the computed values that is."""
    held: dict[int, dict[int, tuple[int, dict[str, Any]]]] = {}
    for column, computed, items in zip(sides.columns, sides.computed, lists, strict=True):
        left_out = {number for number, index in conditions.items() if not computed[index]}
        rest = enumerate(items)
        for number in range(len(items) + len(left_out)):
            if number not in left_out:
                held.setdefault(number, {})[column] = next(rest)
    return held


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


def _is_joined(text: tuple[object, ...]) -> bool:
    """Whether words stand around what rows have in common."""
    return any(each is Joined or (type(each) is tuple and _is_joined(each)) for each in text)


def _place(leaf: Leaf) -> Pointer:
    return next(iter(leaf.at.values()))


def _is_leaf(resource: EvaluatedResource, name: str) -> bool:
    """Whether nothing in a property is secret by its schema."""
    shape = resource.type.shape.properties.get(name) if resource.type is not None else None
    return shape is None or not shape.marks
