"""What of a text on the board may differ between environments: the words around it, and what is computed there of things that are the same
everywhere, may be others in each resource. Of a module's resource, what is handed in where it is used is looked at as if it stood there."""

from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from typing import Any, NamedTuple

from jovial_scaffold.core.changes.aligning import PLAIN
from jovial_scaffold.core.expressions.library.strings import joined_text
from jovial_scaffold.core.expressions.placeholders import Formula, Joined
from jovial_scaffold.core.expressions.shapes import Constants, Shape
from jovial_scaffold.core.expressions.syntax import Has, Name, Node, Select, children
from jovial_scaffold.core.rendering.instances import Instance
from jovial_scaffold.core.rendering.shapes import Text, texts_of
from jovial_scaffold.core.rendering.texts import piece_text
from jovial_scaffold.core.templates.inputs import CONTEXT
from jovial_scaffold.core.text.source import Pointer

Words = tuple[str, str]
"""What stands before and behind what may differ in a text."""
NO_WORDS: Words = ("", "")


def are_plain(words: Words) -> bool:
    """Whether nothing of them is written in another way where it is shown."""
    return all(each.isascii() and each.isprintable() for each in words)


class Place(NamedTuple):
    """A resource, or the use of a module around it, and around that, and the constants of each."""

    instances: tuple[Instance, ...]
    constants: list[Constants]


def place_of(instance: Instance) -> Place | None:
    """That of a resource; None where marks are handed in."""
    assert instance.computed is not None
    instances, constants = [instance], [instance.computed[2]]
    while (use := instances[-1].scope.use) is not None:
        if not use.resource.shape.is_plain:
            return None
        instances.append(use)
        constants.append(use.resource.constants)
    return Place(tuple(instances), constants)


class _Piece(NamedTuple):
    """An expression of a text, or a word between two, and which constants are in it, from `first` to before `last`: of the resource at level 0, of
    the use of a module around it at level 1, and so on."""

    shape: Shape | None
    level: int
    first: int
    last: int


class _Key(NamedTuple):
    """What says what a text gives: which constants, of what is computed, and those that are handed in as they are, and which parts of the variables of
    loops."""

    computed: frozenset[tuple[int, int, int]] = frozenset()
    constant: frozenset[tuple[int, int]] = frozenset()
    items: frozenset[tuple[int, str, Pointer]] = frozenset()

    def with_all(self, others: Iterable["_Key"]) -> "_Key":
        """With that of others."""
        return _Key(*(frozenset().union(*parts) for parts in zip(self, *others, strict=True)))


class Core(NamedTuple):
    """The part of a text that may differ, by the constants that are in it and in what is handed to it and by what it reads of items of loops, and
    what stands before and behind it. It is `open` where that does not say how it differs. `own` is where all of its constants are, where they are
    those of the resource and it reads nothing of items."""

    computed: tuple[tuple[int, int, int], ...]
    constant: tuple[tuple[int, int], ...]
    items: tuple[tuple[int, str, Pointer], ...] = ()
    before: tuple[_Piece, ...] = ()
    behind: tuple[_Piece, ...] = ()
    is_open: bool = False
    own: tuple[int, int] | None = None

    @property
    def is_joined(self) -> bool:
        """Whether something may stand around it."""
        return bool(self.before or self.behind)

    def key(self, place: Place) -> tuple[Any, ...] | None:
        """What all places have in common where the same may differ; None where nothing says that."""
        if self.own is not None:
            return place.constants[0][self.own[0] : self.own[1]]
        found: list[Any] = [place.constants[level][first:last] for level, first, last in self.computed]
        found += [repr(place.constants[level][index]) for level, index in self.constant]
        for level, name, path in self.items:
            part = _part_of(place.instances[level].variables[name], path)
            if part is None:
                return None
            found.append(part)
        return tuple(found)

    def words(self, place: Place) -> Words | None:
        """What stands before and behind it in a resource; None where that is no plain text."""
        before, behind = _told(self.before, place), _told(self.behind, place)
        return None if before is None or behind is None else (before, behind)


class ItemCores(NamedTuple):
    """Those of the items of a list that are computed, by the number of each."""

    cores: dict[int, Core]

    @property
    def is_open(self) -> bool:
        """Nothing is known only of what is none of these."""
        return False

    @property
    def is_joined(self) -> bool:
        """Something may stand around each."""
        return True

    def key(self, place: Place) -> tuple[Any, ...] | None:
        """What all lists have in common where the same may differ; None where nothing says that."""
        found = [each.key(place) for each in self.cores.values()]
        return None if None in found else tuple(found)

    def words(self, place: Place) -> list[Words] | None:
        """What stands around each; None where one of them is no plain text."""
        found = [each.words(place) for each in self.cores.values()]
        known = [each for each in found if each is not None]
        return known if len(known) == len(found) else None


_OPEN = Core((), (), is_open=True)


class Cores:
    """Those of the resources of a group, which one of them stands for. `is_fixed` says whether some inputs are the same everywhere, whatever is
    tried."""

    def __init__(self, place: Place, is_fixed: Callable[[Iterable[str]], bool]) -> None:
        self._place = place
        self._is_fixed = is_fixed
        self._is_in_module = len(place.instances) > 1
        self._given = [texts_of(each.resource.shape) for each in place.instances]
        self._presence = self._key_of_presence()

    def of(self, text: Text) -> Core:
        """That of a text."""
        pieces = [inner for each in _pieces(text) for inner in self._resolved(each)]
        moving = [number for number, each in enumerate(pieces) if not self._stays(each)]
        if not moving:
            moving = [number for number, each in enumerate(pieces) if each.shape is not None]
        if not moving:
            return _OPEN
        inside = pieces[moving[0] : moving[-1] + 1]
        key = self._key(inside)
        if key is None:
            return _OPEN
        before, behind = tuple(pieces[: moving[0]]), tuple(pieces[moving[-1] + 1 :])
        is_own = all(level == 0 for level, _, _ in key.computed) and not key.constant and not key.items
        own = (inside[0].first, inside[-1].last) if is_own else None
        return Core(tuple(sorted(key.computed)), tuple(sorted(key.constant)), tuple(sorted(key.items)), before, behind, own=own)

    def of_all(self, texts: Iterable[Text]) -> Core:
        """That of several texts whose own constants are known: of what is handed to them alone."""
        key = self._key([piece for text in texts for piece in _pieces(text)])
        if key is None:
            return _OPEN
        return Core(tuple(sorted(each for each in key.computed if each[0])), tuple(sorted(key.constant)), tuple(sorted(key.items)))

    def of_items(self, texts: Mapping[int, Text]) -> ItemCores | None:
        """That of items of a list, by their numbers; None where one of them may differ in a way that is not known."""
        found = {number: self.of(text) for number, text in texts.items()}
        return ItemCores(found) if not any(each.is_open for each in found.values()) else None

    def _key_of_presence(self) -> _Key | None:
        """Which constants say whether a resource is there, of those inside of modules: elsewhere it is there by the same text. None where items of
        loops may be others, or more than that decides."""
        found = _Key()
        for level, each in enumerate(self._place.instances):
            written, inputs = each.resource, each.scope.plan.inputs
            if written.loop is not None:
                behind = self._outside(inputs.of_presence(written), level)
                if behind is None or not self._is_fixed(behind):
                    return None
            elif written.when is not None and isinstance(written.when.content, Formula) and level + 1 < len(self._place.instances):
                program = written.when.content.program
                read = self._read(program.names, [program.shape], level)
                if read is None:
                    return None
                found = found.with_all([read])
        return found

    def _key(self, pieces: Iterable[_Piece]) -> _Key | None:
        if self._presence is None:
            return None
        found = _Key(frozenset([piece[1:] for piece in pieces]))
        read = [self._read(self._names(piece), [piece.shape], piece.level) for piece in pieces if piece.shape is not None]
        known = [each for each in read if each is not None]
        return found.with_all([*known, self._presence]) if len(known) == len(read) else None

    def _names(self, piece: _Piece) -> list[str | int]:
        """What a piece reads: names, or which of the constants are such names, where each resource has another one."""
        names = [name for name, _ in piece.shape.reading] if piece.shape is not None else []
        if piece.level or not self._is_in_module:
            return names
        constants = self._place.constants[0][piece.first : piece.last]  # which all have: it is one resource
        return [constants[each] if isinstance(each, int) else each for each in names]

    def _read(self, names: Iterable[str | int], shapes: Iterable[object], level: int) -> _Key | None:
        """What says what some names are that some shapes read at a level, as far as they are handed in or variables; None where more than that does."""
        instances, told = self._place.instances, [each for each in names if isinstance(each, str)]
        is_last = level + 1 == len(instances)
        if len(told) < len([*names]) and not is_last:
            return None
        variables = instances[level].resource.variables
        read = [path for each in shapes if isinstance(each, Shape) for path in _paths(each.node, variables)] if variables else []
        found, further = _Key(items=frozenset([(level, *path) for path in read])), []
        inputs = instances[level].scope.plan.inputs.of_names(told) if not is_last else frozenset[str]()
        for name in inputs.intersection(instances[level + 1].resource.shape.names if not is_last else ()):
            text = self._given[level + 1].get(name)
            if text is None:
                return None
            if isinstance(text, int):
                found = found.with_all([_Key(constant=frozenset([(level + 1, text)]))])
                continue
            above = self._read(text.reads, text.shapes, level + 1)
            if above is None:
                return None
            further += [above, _Key(frozenset([(level + 1, text.begins, text.ends)]))]
        return found.with_all(further)

    def _resolved(self, piece: _Piece) -> Iterator[_Piece]:
        """What stands there: where that only reads what is handed in, the pieces of that."""
        shape, level = piece.shape, piece.level
        name = shape.node.name if shape is not None and not shape.holes and isinstance(shape.node, Name) else None
        instance = self._place.instances[level]
        given = self._given[level + 1].get(name) if name is not None and level + 1 < len(self._given) else None
        if given is None or name in instance.resource.variables or name not in instance.scope.template.parameters:
            yield piece
        elif isinstance(given, int):
            yield _Piece(None, level + 1, given, given + 1)
        else:
            for each in _pieces(given, level + 1):
                yield from self._resolved(each)

    def _stays(self, piece: _Piece) -> bool:
        """Whether a piece is the same everywhere, in each resource of the group: a word, or what reads nothing that differs."""
        inputs = self._inputs(self._names(piece), piece.level)
        return piece.shape is None or (inputs is not None and self._is_fixed(inputs))

    def _inputs(self, names: Iterable[str | int], level: int) -> frozenset[str] | None:
        """The inputs of the project's template behind some names; of loops, variables are taken to be the same everywhere. None where each resource
        has others."""
        instances, told = self._place.instances, [each for each in names if isinstance(each, str)]
        if len(told) < len([*names]):
            return None
        variables = instances[level].resource.variables
        return self._outside(instances[level].scope.plan.inputs.of_names([each for each in told if each not in variables]), level)

    def _outside(self, inputs: frozenset[str], level: int) -> frozenset[str] | None:
        """Inputs at a level as those of the project's template; None where each resource has others."""
        instances = self._place.instances
        if level + 1 == len(instances):
            return inputs
        found = inputs & {CONTEXT}
        for name in inputs.intersection(instances[level + 1].resource.shape.names):
            text = self._given[level + 1].get(name)
            above = None if text is None else frozenset[str]() if isinstance(text, int) else self._inputs(text.reads, level + 1)
            if above is None:
                return None
            found |= above
        return found


def _paths(whole: Node, variables: Collection[str]) -> Iterator[tuple[str, Pointer]]:
    """The parts of variables that an expression reads: `gate.port` is `port` of `gate`."""
    waiting = [whole]
    while waiting:
        node = waiting.pop()
        path: list[str] = []
        inner = node
        while isinstance(inner, Select | Has):
            path.insert(0, inner.field)
            inner = inner.operand
        if isinstance(inner, Name) and inner.name in variables:
            yield inner.name, tuple(path)
        else:
            waiting += children(node)


def _part_of(value: Any, path: Pointer) -> tuple[Any, ...] | None:
    """What tells a part of an item from others: its type and what it is, or how far there is something; None of a part with parts or marks."""
    for depth, step in enumerate(path):
        if type(value) is not dict:
            return None
        if step not in value:
            return (depth,)
        value = value[step]
    return (type(value), value) if type(value) in PLAIN else None


def _pieces(text: Text, level: int = 0) -> Iterator[_Piece]:
    at = text.begins
    if text.begins < text.first:
        yield _Piece(None, level, at, text.first)
        at = text.first
    for each in text.shapes:
        if each is Joined:
            continue
        shape = each if isinstance(each, Shape) else None
        after = at + (len(shape.holes) if shape is not None else 1)
        yield _Piece(shape, level, at, after)
        at = after
    if text.last < text.ends:
        yield _Piece(None, level, at, text.ends)


def _told(pieces: Sequence[_Piece], place: Place) -> str | None:
    found = []
    for shape, level, first, last in pieces:
        if shape is not None:
            text = piece_text(place.instances[level], shape, place.constants[level][first:last])
        else:
            text = joined_text(place.constants[level][first])
        if text is None:
            return None
        found.append(text)
    return found[0] if len(found) == 1 else "".join(found)
