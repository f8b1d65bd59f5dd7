"""Resources of a large template that are written alike but for their digits: of those, the board has what their properties are and, once for
all of them, where each part is written. The page makes the rows of what is the same everywhere out of that."""

from collections.abc import Iterator, Sequence
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
from jovial_scaffold.reports.chains import LONGEST, Chains, cut_text
from jovial_scaffold.reports.rendering import cell

_MOST = 2**53 - 1  # of integers that a page's numbers hold (RFC 8259, section 6)
_LEAF, _SECRET = 0, 1
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
    """What the code of a shape computes in a place that no list and no condition is around. All parts of the resource that differ by it are below
    that. Words stand around it where it is `joined`."""

    which: int
    place: Pointer
    text: Text
    joined: bool


class Group(NamedTuple):
    """What resources have in common that are written alike: for each part, how many lines it stands below the resource, which of the computed
    ones it is (or -1), and its aspect; how its place is told; the keys of lists, by their places with 0 for each item; its expressions, and which
    else of what its code computes may differ. `fixed` has what is written in computed parts that have no digits, by their numbers."""

    number: int
    parts: dict[str, tuple[int, int, str]]
    told: dict[Pointer, str]
    computed: list[_Computed]
    lists: dict[str, str]
    expressions: list[Expression]
    others: list[int]
    fixed: dict[int, int]


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
        self._renderings = renderings
        self._chains = chains
        self._any = not any(each.renames for each in renderings)
        self._groups: dict[tuple[Any, ...], Group | None] = {}
        self._structures: dict[tuple[ResourceShape, int], tuple[Any, Any]] = {}  # of the values that were seen last in a place
        self._written: dict[tuple[Any, ...], int] = {}
        self._reads: dict[tuple[Any, ...], list[str]] = {}
        #: what is written in places that are computed, each once: the text, and the keys of the nodes that it reads
        self.written: list[tuple[str, list[str]]] = []

    def hold(self, resources: Sequence[EvaluatedResource]) -> Held | None:
        """A resource as the columns have it, of which the page makes the rows that are the same everywhere; None for others."""
        first = resources[0]
        if not self._any or not all(each.type_text == first.type_text for each in resources):
            return None
        return self._hold(first)

    def entry(self, held: Held) -> dict[str, Any]:
        """What the page makes rows of."""
        fixed, written = held.group.fixed, []
        for which, part in enumerate(held.group.computed):
            number = fixed.get(which)
            if number is None:
                number = self._written_at(part, held)
                if type(part.content) is str:
                    fixed[which] = number
            written.append(number)
        return {"alike": held.group.number, "held": held.properties, "written": written}

    @property
    def groups(self) -> list[dict[str, Any]]:
        """What is the same in all resources of each."""
        return [{"parts": each.parts, "lists": each.lists} for each in self._groups.values() if each is not None]

    def _hold(self, resource: EvaluatedResource) -> Held | None:
        instance = resource.instance
        if instance.computed is None or instance.scope.use is not None or instance.resource.loop is not None:
            return None
        source, pointer = instance.resource.origin
        cast = source.outline.casts.get(pointer)
        if cast is None or source.meant:
            return None
        code, values, constants = instance.computed
        shape = instance.resource.shape
        structures = [_structure(value) for value in constants if type(value) not in _SCALARS]
        structures += [self._structure(shape, index, values[index]) for index in code.open if type(values[index]) not in _SCALARS]
        conditions = tuple([bool(values[index]) for index in code.conditions])
        key = (resource.type_text, shape, source, cast[0], conditions, tuple(structures))
        if key not in self._groups:
            self._groups[key] = self._described(resource, code, cast[0].woven, sum(each is not None for each in self._groups.values()))
        group = self._groups[key]
        if group is None:
            return None
        try:
            column = next(each.label for each in self._renderings if instance.address in each.resources)
            return Held(column, group, cast[1], instance, {name: _told(value) for name, value in resource.properties.items()})
        except _UntoldError:
            return None

    def _structure(self, shape: ResourceShape, index: int, value: Any) -> Any:
        """What a computed value has in common with others whose parts have the same places; many resources share one."""
        last = self._structures.get((shape, index))
        if last is None or last[0] is not value:
            last = self._structures[shape, index] = value, _structure(value)
        return last[1]

    def _described(self, resource: EvaluatedResource, code: Code, woven: Any, number: int) -> Group | None:
        """The group of a resource; None where its parts are not all written in it, each in a place of its own."""
        instance = resource.instance
        source, above = instance.resource.origin
        lists = resource.type.lists if resource.type is not None else NO_LISTS
        first = source.key_line(above)
        parts: dict[str, tuple[int, int, str]] = {}
        told: dict[Pointer, str] = {}
        computed: dict[Pointer, _Computed] = {}
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
                which = -1
            else:
                if steps not in computed:
                    inner = [index for index, place in enumerate(code.places) if place[: len(steps)] == steps]
                    texts = tuple([index for index in inner if index not in code.conditions])
                    reads = self._reads_in([code.texts[index] for index in inner]) if len(texts) == len(inner) else None
                    computed[steps] = _Computed(at[: len(at) - len(rest)], steps, texts, reads, value_at(woven, steps))
                which = list(computed).index(steps)
            told[at] = pointer_text(at)
            parts[told[at]] = (source.value_line(inside.pointer) - first, which, aspect_of(resource.type, at))
        expressions = list(_expressions(code))
        others = [index for index in range(len(code.places)) if not any(each.which == index for each in expressions)]
        return Group(number, parts, told, list(computed.values()), dict(_keyed(resource.properties, (), lists)), expressions, others, {})

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
        text = tuple([code.texts[index].key(constants) for index in part.texts])
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
        if part.reads is not None and instance.computed is not None:
            constants = instance.computed[2]
            names = [each if isinstance(each, str) else constants[each] for each in part.reads]
            return self._chains.nodes_of(names, instance.scope, instance.resource)
        if text not in self._reads:
            compiled, _ = self._chains.part(instance, part.at)
            self._reads[text] = self._chains.reads(compiled, instance.scope, instance.resource)
        return self._reads[text]


def _expressions(code: Code) -> Iterator[Expression]:
    apart = {
        place[0] for index, place in enumerate(code.places) if index in code.conditions or any(isinstance(step, int) for step in place)
    }
    for index, (place, text) in enumerate(zip(code.places, code.texts, strict=True)):
        if place[0] not in apart:
            yield Expression(index, place, text, text.begins < text.first or text.last < text.ends)


class _UntoldError(Exception):
    """A value that a page does not hold as it is."""


def _told(value: Any) -> Any:
    """A value as JSON, and in it what the page cannot write by itself as {"": its text, "=": what is written}."""
    kind = type(value)
    if kind is str:
        return value if len(value) < LONGEST and value.isascii() and value.isprintable() else _mark(value)
    if kind is int:
        if not -_MOST <= value <= _MOST:
            raise _UntoldError
        return value
    if kind is bool or value is None:
        return value
    if kind is dict:
        if "" in value:
            raise _UntoldError
        return {key: _told(item) for key, item in value.items()}
    if kind is list:
        told = [_told(item) for item in value]
        is_leaf = not any(isinstance(item, dict | list) for item in value)
        return _mark(value) if is_leaf and not _SCALARS.issuperset(map(type, told)) else told
    return _mark(value)


def _mark(value: Any) -> dict[str, str]:
    text = cut_text(cell(value))
    written = cut_text(value.strip()) if isinstance(value, str) else text
    return {"": text} if written == text else {"": text, "=": written}


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
