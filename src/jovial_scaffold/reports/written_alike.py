"""Resources of a large template that are written alike but for their digits: of those, the board has what their properties are and, once for
all of them, where each part is written. The page makes the rows of what is the same everywhere out of that."""

from collections.abc import Iterator, Mapping, Sequence, Set
from typing import Any, NamedTuple

from jovial_scaffold.core import marks
from jovial_scaffold.core.changes.aligning import PLAIN, leaves
from jovial_scaffold.core.changes.aspects import aspect_of
from jovial_scaffold.core.expressions.shapes import Shape
from jovial_scaffold.core.expressions.values import Secret
from jovial_scaffold.core.rendering.instances import EvaluatedResource, Instance
from jovial_scaffold.core.rendering.rendering import Evaluated
from jovial_scaffold.core.rendering.shapes import Code, Text
from jovial_scaffold.core.schemas.lists import NO_LISTS, Lists
from jovial_scaffold.core.templates.compiling import content_text
from jovial_scaffold.core.templates.model import Constant, ResourceShape
from jovial_scaffold.core.text.moulds import Woven
from jovial_scaffold.core.text.source import Pointer, pointer_text, value_at
from jovial_scaffold.reports.chains import Chains, cut_text
from jovial_scaffold.reports.weaving import Pieces, Slots, UntoldError, digits_in, form_of, is_formed, pieces_of, told_value
from jovial_scaffold.reports.wording import Wordings, room_of

_LEAF, _SECRET = 0, 1
_ITEM = 2  # steps to an item of a property that is a list
_SCALARS = frozenset((str, int, bool, type(None)))


class _Computed(NamedTuple):
    """A part that is computed: where it stands as it is rendered and as it is written, and which of the code's texts are in it. `reads` are the
    names that it reads, in the order of the text, or which of the resource's constants those are; None where that hangs on more. `content` is what
    stands in the file, but for the digits of each resource."""

    at: Pointer
    steps: Pointer
    texts: tuple[int, ...]
    reads: list[str | int] | None
    content: Any


class Expression(NamedTuple):
    """What the code of a shape computes in a place, or in one that holds lists or conditions, by its numbers. All parts of the resource that differ
    by it are below that, with the keys of items instead of their positions. Of a place with lists or conditions, `digits` are all that are in it."""

    numbers: tuple[int, ...]
    place: Pointer
    text: Text
    digits: tuple[int, ...] | None


class Group(NamedTuple):
    """What resources have in common that are written alike. `page` is what the page knows of it: for each part, how many lines it stands below
    the resource, which of the computed ones it is (or -1), and its aspect; the keys of lists, by their places with 0 for each item; how values are
    made; of each computed part what is written there and which nodes that reads, or nothing. `told` says how the place of each part is told,
    `digits` which ones the page needs of a resource, `values` which values it has by itself and behind which expression each is, or -1, `names` which names it
    reads that others do not, or which constants these are,
    `careful` of which computed parts nothing is known, `hidden` which of them show nothing. `expressions` are its own, `others` which else of what
    its code computes may differ."""

    number: int
    code: Code
    page: dict[str, Any]
    told: dict[Pointer, str]
    computed: list[_Computed]
    digits: list[int]
    values: list[tuple[Pointer, int]]
    names: list[str | int]
    careful: list[int]
    hidden: list[int]
    expressions: list[Expression]
    others: list[int]


class Held(NamedTuple):
    """A resource of a group, as the first environment that has it does."""

    column: str
    group: Group
    digits: tuple[str, ...]
    instance: Instance
    properties: dict[str, Any]


class WrittenAlike:
    """Those of some renderings."""

    def __init__(self, renderings: Sequence[Evaluated], chains: Chains) -> None:
        self.columns = len(renderings)
        self._renderings = renderings
        self._chains = chains
        self._any = not any(each.renames for each in renderings)
        self._groups: dict[tuple[Any, ...], Group | None] = {}
        self._wordings = Wordings()
        self._structures: dict[tuple[ResourceShape, int], tuple[Any, Any]] = {}  # of the values that were seen last in a place
        self._values: dict[tuple[int, Pointer], tuple[Any, Any]] = {}
        self._written: dict[tuple[Any, ...], int] = {}
        self._reads: dict[tuple[Any, ...], list[str]] = {}
        #: what is written in places that are computed, each once: the text, and the keys of the nodes that it reads
        self.written: list[tuple[str, list[str]]] = []

    def hold(self, present: Mapping[int, EvaluatedResource]) -> Held | None:
        """A resource as the columns have it, of which the page makes the rows that are the same everywhere; None for others."""
        if not self._any:
            return None
        column, first = next(iter(present.items()))
        for each in present.values():
            if each.type_text != first.type_text:
                return None
        return self._hold(self._renderings[column].label, first)

    def entry(self, held: Held, told: Set[int]) -> dict[str, Any]:
        """What the page makes rows of. `told` says of which expressions there are rows, so that nobody asks for their values."""
        group, instance = held.group, held.instance
        digits = held.digits
        values = [None if behind in told else self._told(group, at, held.properties) for at, behind in group.values]
        found: dict[str, Any] = {"alike": group.number, "digits": [digits[each] for each in group.digits], "values": values}
        if group.names and instance.computed is not None:
            constants = instance.computed[2]
            names = [constants[each] if isinstance(each, int) else each for each in group.names]
            found["names"] = [self._chains.node_of(each, instance.scope, instance.resource) for each in names]
        if group.careful:
            found["written"] = [self._written_at(group.computed[which], held) for which in group.careful]
        return found

    @property
    def groups(self) -> list[dict[str, Any]]:
        """What is the same in all resources of each."""
        return [each.page for each in self._groups.values() if each is not None]

    def _hold(self, column: str, resource: EvaluatedResource) -> Held | None:
        instance = resource.instance
        if instance.computed is None:
            return None
        source = instance.resource.origin.source
        is_item = instance.resource.loop is not None or instance.scope.use is not None  # written once for all of them
        shape = instance.resource.shape
        if source.meant:
            return None
        alike: tuple[Any, tuple[str, ...]] | None = instance.resource, ()
        if not is_item:
            alike = self._wordings.alike(instance.resource, self._chains.content_of)
        if alike is None:
            return None
        common, digits = alike
        code, values, constants = instance.computed
        structures: list[Any] = []
        if not _SCALARS.issuperset(map(type, constants)):
            structures = [_structure(value) for value in constants if type(value) not in _SCALARS]
        structures += [self._structure(shape, index, values[index]) for index in code.open if type(values[index]) not in _SCALARS]
        conditions = tuple([bool(values[index]) for index in code.conditions])
        key = (resource.type_text, shape, source, instance.scope.template, common, conditions, tuple(structures))
        try:
            if key not in self._groups:
                self._groups[key] = None
                woven = self._chains.content_of(instance.resource) if is_item else common.woven
                number = sum(each is not None for each in self._groups.values())
                self._groups[key] = self._described(resource, code, woven, room_of(common), number)
            group = self._groups[key]
            if group is None or self._hidden(instance, group.computed) != group.hidden:
                return None
        except UntoldError:
            return None
        return Held(column, group, digits, instance, resource.properties)

    def _hidden(self, instance: Instance, parts: Sequence[_Computed]) -> list[int]:
        """Of which computed parts nothing is shown of what is written there."""
        source, pointer = instance.resource.origin
        if not source.conceals(pointer):
            return []
        return [which for which, part in enumerate(parts) if source.conceals((*pointer, *part.steps))]

    def _told(self, group: Group, at: Pointer, properties: dict[str, Any]) -> Any:
        """A value of a resource; many resources share one."""
        value = properties[str(at[0])] if len(at) == 1 else value_at(properties, at)
        if type(value) not in (dict, list):
            return told_value(value)
        last = self._values.get((group.number, at))
        if last is None or last[0] is not value:
            last = self._values[group.number, at] = value, told_value(value)
        return last[1]

    def _structure(self, shape: ResourceShape, index: int, value: Any) -> Any:
        """What a computed value has in common with others whose parts have the same places; many resources share one."""
        last = self._structures.get((shape, index))
        if last is None or last[0] is not value:
            last = self._structures[shape, index] = value, _structure(value)
        return last[1]

    def _described(self, resource: EvaluatedResource, code: Code, woven: Any, room: int, number: int) -> Group | None:
        """The group of a resource, whose digits or words have so much room; None where its parts are not all written in it, each in a place of its own. Raises UntoldError where the page
        cannot make its values."""
        instance = resource.instance
        source, above = instance.resource.origin
        lists = resource.type.lists if resource.type is not None else NO_LISTS
        first = source.key_line(above)
        parts: dict[str, tuple[int, int, str]] = {}
        told: dict[Pointer, str] = {}
        computed: dict[Pointer, _Computed] = {}
        constant: dict[Pointer, Any] = {}
        careful: list[Pointer] = []
        for leaf in leaves({0: resource.properties}, lists, 1, True):
            at, value = leaf.at[0], leaf.values[0]
            compiled, rest = self._chains.part(instance, at)
            inside, depth = compiled.origin, len(above)
            steps = inside.pointer[depth:]
            if inside.source is not source or inside.pointer[:depth] != above or not steps:
                return None
            if isinstance(compiled, Constant):
                if not _is_same(value, value_at(source.value, inside.pointer)):
                    return None
                which, content = -1, value_at(woven, steps)
                if is_formed(content, room):
                    constant[at] = content
                else:
                    careful.append(at)
            else:
                if steps not in computed:
                    inner = [index for index, place in enumerate(code.places) if place[: len(steps)] == steps]
                    texts = tuple([index for index in inner if index not in code.conditions])
                    reads = self._reads_in([code.texts[index] for index in inner]) if len(texts) == len(inner) else None
                    computed[steps] = _Computed(at[: len(at) - len(rest)], steps, texts, reads, value_at(woven, steps))
                which = list(computed).index(steps)
            told[at] = pointer_text(at)
            parts[told[at]] = (source.value_line(inside.pointer) - first, which, aspect_of(resource.type, at))
        expressions = list(_expressions(code, woven, lists))
        others = [index for index in range(len(code.places)) if not any(index in each.numbers for each in expressions)]
        behind = {code.places[each.numbers[0]]: index for index, each in enumerate(expressions) if each.digits is None}
        values = [(each.at, behind.get(each.steps, -1)) for each in computed.values()] + [(at, -1) for at in careful]
        values = [(at, index if type(value_at(resource.properties, at)) not in (dict, list) else -1) for at, index in values]
        hidden = self._hidden(instance, [*computed.values()])
        names: list[str | int] = []
        slots = Slots(room)
        written = [self._woven(each, which in hidden, instance, names, slots) for which, each in enumerate(computed.values())]
        page = {
            "parts": parts,
            "lists": dict(_keyed(resource.properties, (), lists)),
            "form": form_of(resource.properties, (), constant, {at: index for index, (at, _) in enumerate(values)}, slots),
            "written": written,
        }
        unwoven = [which for which, each in enumerate(written) if each is None]
        return Group(number, code, page, told, list(computed.values()), slots.numbers, values, names, unwoven, hidden, expressions, others)

    def _woven(
        self, part: _Computed, is_hidden: bool, instance: Instance, names: list[str | int], slots: Slots
    ) -> tuple[Pieces, list[str | int]] | None:
        """What is written in a computed part, and the keys of the nodes that it reads, or which of the names; None where that hangs on more."""
        pieces: Pieces | None = [marks.SECRET] if is_hidden else pieces_of(part.content, slots)
        if pieces is None or part.reads is None:
            return None
        reads: list[str | int] = []
        for each in part.reads:
            if isinstance(each, str) and instance.scope.use is None:
                reads.append(self._chains.node_of(each, instance.scope, instance.resource))
            else:
                reads.append(len(names))
                names.append(each)
        return pieces, reads

    def _reads_in(self, texts: Sequence[Text]) -> list[str | int] | None:
        """The names that some texts read."""
        reads: list[str | int] = []
        for text in texts:
            at = text.first
            for each in text.shapes:
                if isinstance(each, Shape):
                    if not self._chains.is_straight(each):
                        return None
                    reads += [name if isinstance(name, str) else at + name for name, _ in each.reading]
                    at += len(each.holes)
                elif each is None:  # words between two expressions
                    at += 1
        return reads

    def _written_at(self, part: _Computed, held: Held) -> int:
        """Which of `written` stands in a place."""
        instance = held.instance
        assert instance.computed is not None
        code, _, constants = instance.computed
        text = (instance.scope.prefix, instance.resource.loop, *[code.texts[index].key(constants) for index in part.texts])
        source, above = instance.resource.origin
        if source.conceals((*above, *part.steps)):
            content = marks.SECRET
        elif isinstance(part.content, Woven):
            content = cut_text(part.content.text(held.digits).strip())
        else:
            content = cut_text(content_text(value_at(self._chains.content_of(instance.resource), part.steps)))
        number = self._written.get((content, text))
        if number is None:
            number = self._written[content, text] = len(self.written)
            self.written.append((content, self._reads_of(part, instance, text)))
        return number

    def _reads_of(self, part: _Computed, instance: Instance, text: tuple[object, ...]) -> list[str]:
        if text not in self._reads:
            compiled, _ = self._chains.part(instance, part.at)
            self._reads[text] = self._chains.reads(compiled, instance.scope, instance.resource)
        return self._reads[text]


def _expressions(code: Code, woven: Any, lists: Lists) -> Iterator[Expression]:
    within = {name: _units(code, name, woven[name], lists.key((name,))) for name in dict.fromkeys(place[0] for place in code.places)}
    units: dict[Pointer, tuple[Any, list[int]]] = {}
    for index, (place, text) in enumerate(zip(code.places, code.texts, strict=True)):
        unit, content = next(((unit, content) for at, unit, content in within[place[0]] if place[: len(at)] == at), ((), None))
        if content is not None:
            units.setdefault(unit, (content, []))[1].append(index)
        else:
            yield Expression((index,), (*unit, *place[len(unit) :]), text, None)
    for unit, (content, numbers) in units.items():
        yield Expression(tuple(numbers), unit, code.texts[numbers[0]], tuple(sorted(set(digits_in(content)))))


def _units(code: Code, name: str | int, content: Any, key: str | None) -> list[tuple[Pointer, Pointer, Any]]:
    """Where a property has to be looked at as a whole, or an item of it: the place, how it is called, and what is written there. Where an item is
    not to be, there is only how it is called."""
    own = [(index, place) for index, place in enumerate(code.places) if place[0] == name]
    if not any(index in code.conditions or any(isinstance(step, int) for step in place) for index, place in own):
        return []
    keys = [item.get(key) if isinstance(item, dict) else None for item in content] if isinstance(content, list) and key is not None else []
    computed = {place for _, place in own}
    is_keyed = keys and all(type(each) is str for each in keys) and len(set(keys)) == len(keys)
    if not is_keyed or any((name, number, key) in computed for number in range(len(keys))):
        return [((name,), (name,), content)]
    whole = {place[1] for index, place in own if index in code.conditions or any(isinstance(step, int) for step in place[_ITEM:])}
    return [((name, number), (name, str(keys[number])), item if number in whole else None) for number, item in enumerate(content)]


def _structure(value: Any) -> Any:
    kind = type(value)
    if kind is dict:
        return tuple([(key, _structure(item)) for key, item in value.items()])
    if kind is list:
        return ("", *map(_structure, value))
    return _SECRET if kind is Secret else _LEAF


def _is_same(value: Any, content: Any) -> bool:
    """Whether a constant is what stands in the file."""
    if type(value) is list and type(content) is list:
        return len(value) == len(content) and all(map(_is_same, value, content))
    return type(value) is type(content) and (type(value) in PLAIN or value == {} == content) and value == content


def _keyed(value: Any, within: Pointer, lists: Lists) -> list[tuple[str, str]]:
    """The lists in a value whose items have keys, with those."""
    found: list[tuple[str, str]] = []
    if isinstance(value, dict):
        for name, item in value.items():
            found += _keyed(item, (*within, name), lists)
    elif isinstance(value, list):
        key = lists.key(within)
        found += [(pointer_text(within), key)] if key is not None else []
        for item in value:
            found += _keyed(item, (*within, 0), lists)
    return found
