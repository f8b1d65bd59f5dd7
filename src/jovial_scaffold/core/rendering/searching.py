"""What is looked for in environments: all is evaluated, and only the resources that may hold it are judged.

Of resources that are alike, what is written alike is evaluated and looked at once, whatever stands around it.
"""

from collections.abc import Collection, Iterator, Sequence
from typing import Any, NamedTuple, Protocol, TypeVar

from jovial_scaffold.core.expressions.placeholders import Formula, Joined
from jovial_scaffold.core.expressions.program import Program
from jovial_scaffold.core.expressions.shapes import Shape
from jovial_scaffold.core.rendering.instances import Instance, Surroundings
from jovial_scaffold.core.rendering.shapes import Codes, Text, Values
from jovial_scaffold.core.rendering.texts import alike_texts
from jovial_scaffold.core.schemas.shapes import Shape as TypeShape
from jovial_scaffold.core.templates.model import Resource, ResourceShape, Template
from jovial_scaffold.core.text.unknown import UNKNOWN

T = TypeVar("T")


class Sought(Protocol):
    """What is looked for; whoever is in doubt says yes."""

    def may_be_among(self, values: Collection[Any]) -> bool:
        """Whether one of some values may hold it."""

    def may_be_within(self, lines: str) -> bool:
        """The same of texts that are given as one."""

    def may_be_default(self, shape: TypeShape) -> bool:
        """Whether a default of a type, at any depth, may hold it."""


class _Texts(NamedTuple):
    """What some resources of one shape write as their value of this number: those together that differ in the text around it only. `own` are
    the constants of the expression of each of them; `around` is, where there is text around it, all that stands between its values where
    one resource follows the other."""

    number: int
    text: Text
    own: list[tuple[Any, ...]]
    alike: list[list[Resource]]
    around: list[list[str]]


class _Readers(NamedTuple):
    """Resources that read a field of another one and have no text of their own there: of what the cloud sets, by the expression that the other
    one stands behind, without which they read nothing; of what is written there, by the other one, which holds the same."""

    of_set: list[tuple[Program, list[Resource]]]
    of_written: dict[Resource, list[Resource]]


class _Table(NamedTuple):
    """The resources of a template: those that hold what is sought in every environment, those of which each environment has to be asked
    by itself, the texts of all others, and which of those may be absent: those together that stand behind one expression."""

    written: frozenset[Resource]
    others: list[Resource]
    texts: list[_Texts]
    conditional: dict[object, list[Resource]]
    readers: _Readers


class Searching:
    """A search through several environments."""

    def __init__(self, sought: Sought) -> None:
        self._sought = sought
        self._defaults: dict[TypeShape, bool] = {}
        self._tables: dict[Template, _Table] = {}

    def instances(self, scope: Surroundings) -> Iterator[Instance]:
        """The present instances of a template's resources that may hold it, or of which something may be wrong, in order."""
        template = scope.template
        if template not in self._tables:
            self._tables[template] = self._table(template, scope.plan.codes)
        table = self._tables[template]
        found = {*table.written, *table.others}
        held = _conditions(scope, table.conditional)
        for behind, alike in table.conditional.items():
            if behind not in held:
                for resource in alike:
                    scope.instances(resource)  # whether it is there is what is wrong
        found.update(each for program, readers in table.readers.of_set if held.get(program) is not True for each in readers)
        found.update(self._doubtful(scope, table.texts))  # of those that are absent, too: what is doubtful is looked at as it is
        following = [*found] if table.readers.of_written else []
        while following:
            readers = table.readers.of_written.get(following.pop(), ())
            following += [each for each in readers if each not in found]
            found.update(readers)
        certain: set[Instance] = set()
        asked: list[tuple[Any, Instance]] = []
        instances: list[Instance] = []
        for resource in sorted(found, key=lambda resource: resource.name):
            own = (scope.instances(resource) or {}).values()
            instances += own
            if resource.module is not None or resource in table.written:
                certain.update(own)
            else:
                asked += [(scope.properties(instance), instance) for instance in own]
        certain.update(self._holding(asked))
        yield from [each for each in instances if each in certain]

    def _doubtful(self, scope: Surroundings, texts: list[_Texts]) -> Iterator[Resource]:
        """The resources whose texts may hold it there, or can only be told the careful way."""
        rows: dict[Resource, Values | None] = {}
        scope.shared.reading.append(set())
        computed = [self._of_one(scope, each) if each.own else [*_of_several(scope, each, rows)] for each in texts]
        scope.shared.reading.pop()
        for pairs in computed:
            for value, resources in pairs:
                if value is UNKNOWN:
                    yield from resources
            for resources in self._holding(pairs):
                yield from resources

    def _of_one(self, scope: Surroundings, texts: _Texts) -> list[tuple[Any, list[Resource]]]:
        """The values of texts of one expression that may hold it, or of which only the careful way can tell; each with the resources that it
        stands in."""
        text = texts.text
        values = alike_texts(scope, text, texts.own)
        if texts.around:
            found: list[tuple[Any, list[Resource]]] = []
            for value, alike, around in zip(values, texts.alike, texts.around, strict=True):
                if type(value) is not str:
                    found.append((UNKNOWN, alike))
                elif self._sought.may_be_within(value.join(around)):
                    found += _surrounded(value, text, alike)
            return found
        if type(UNKNOWN) in map(type, values) or self._sought.may_be_among(values):
            return [*zip(values, texts.alike, strict=True)]
        return []

    def _holding(self, found: Sequence[tuple[Any, T]]) -> Iterator[T]:
        """What belongs to values that may hold it: all are looked through as one, then half of them."""
        waiting = [found] if found else []
        while waiting:
            some = waiting.pop()
            if self._sought.may_be_among([value for value, _ in some]):
                if len(some) == 1:
                    yield some[0][1]
                else:
                    half = len(some) // 2
                    waiting += some[:half], some[half:]

    def _table(self, template: Template, codes: Codes) -> _Table:
        shapes: dict[tuple[ResourceShape, TypeShape | None], list[Resource]] = {}
        others = []
        for each in template.resources.values():
            if each.loop is None and each.module is None:
                shapes.setdefault((each.shape, _of_type(each)), []).append(each)
            else:
                others.append(each)
        written = {each for each in others if each.module is None and self._is_written(_of_type(each), [each])}
        texts: list[_Texts] = []
        readers = _Readers([], {})
        conditional: dict[object, list[Resource]] = {}
        for (shape, kind), alike in shapes.items():
            left = alike
            if self._is_written(kind, alike):
                holding = {each for each in alike if self._is_written(kind, [each])}
                written |= holding
                left = [each for each in alike if each not in holding]
            code = codes.of_all(shape, len(left))
            if code is None or code.left:
                others += left
            else:
                texts += _texts(template, code.texts, left, readers)
                for each in left:
                    if each.when is not None:
                        conditional.setdefault(_program(each) or each, []).append(each)
        return _Table(frozenset(written), others, texts, conditional, readers)

    def _is_written(self, kind: TypeShape | None, resources: list[Resource]) -> bool:
        """Whether what is the same in all environments may hold it: what resources of one shape and type write without computing it, and the
        defaults of the type."""
        if kind is not None and kind not in self._defaults:
            self._defaults[kind] = self._sought.may_be_default(kind)
        if kind is not None and self._defaults[kind]:
            return True
        return any(map(self._sought.may_be_among, zip(*[each.constants for each in resources], strict=True)))


def _conditions(scope: Surroundings, conditional: dict[object, list[Resource]]) -> dict[object, bool]:
    """Which of the expressions that resources stand behind hold, as far as that can be told at once."""
    scope.shared.reading.append(set())
    names = scope.names
    found: dict[object, bool] = {}
    for program in conditional:
        try:
            held = program.quick(names, {}) if isinstance(program, Program) else None
        except RecursionError:
            raise
        except Exception:  # whatever it is
            held = None
        if type(held) is bool:
            found[program] = held
    scope.shared.reading.pop()
    return found


def _texts(template: Template, texts: Sequence[Text], resources: list[Resource], readers: _Readers) -> Iterator[_Texts]:
    """The different texts of resources of one shape, but for those that are found elsewhere, or that only the deployment will know; whose these
    are is added to the `readers`."""
    for number, text in enumerate(texts):
        first, last = text.first, text.last
        different: dict[tuple[Any, ...], list[Resource]] = {} if first < last else {(): resources}
        for each in resources if first < last else ():
            different.setdefault(each.constants[first:last], []).append(each)
        read = text.shapes[0].only_read if isinstance(text.shapes[0], Shape) else None
        if read is not None:
            different = {own: alike for own, alike in different.items() if not _is_elsewhere(template, own, *read, alike, readers)}
        is_joined = text.shapes[0] is Joined
        own = [*different] if len(text.shapes) == 1 + is_joined else []
        yield _Texts(
            number, text, own, [*different.values()], [_around(text, each) for each in different.values()] if own and is_joined else []
        )


def _around(text: Text, resources: list[Resource]) -> list[str]:
    """What stands before the value of the first resource, between it and the value of the next, and so on."""
    begins, first, last, ends = text.begins, text.first, text.last, text.ends
    before = ["".join(each.constants[begins:first]) for each in resources]
    behind = ["".join(each.constants[last:ends]) for each in resources]
    return [before[0], *map("\n".join, zip(behind[:-1], before[1:], strict=True)), behind[-1]]


def _is_elsewhere(
    template: Template, constants: tuple[Any, ...], name: str | int, field: str, alike: list[Resource], readers: _Readers
) -> bool:
    """Whether that is what is written, or set by the cloud, in another resource of the template."""
    read = template.resources.get(constants[name] if isinstance(name, int) else name)
    if read is None or read.loop is not None or read.type is None or read.module is not None:
        return False
    program = _program(read) if read.when is not None else None
    is_there = read.when is None or (program is not None and all(_program(each) is program for each in alike))
    if field in read.shape.names:
        if is_there:
            readers.of_written.setdefault(read, []).extend(alike)
        return is_there
    below = read.type.shape.properties.get(field)
    if below is None or not below.read_only or below.has_default or (program is None and not is_there):
        return False
    if program is not None and not is_there:
        readers.of_set.append((program, alike))
    return True


def _program(resource: Resource) -> Program | None:
    """The expression that a resource stands behind, which those that have the same condition share."""
    content = resource.when.content if resource.when is not None else None
    return content.program if isinstance(content, Formula) else None


def _of_several(scope: Surroundings, texts: _Texts, rows: dict[Resource, Values | None]) -> Iterator[tuple[Any, list[Resource]]]:
    """The values of texts of several expressions, each with the resources that it stands in; UNKNOWN where only the careful way can tell.
    `rows` are all values of such resources."""
    number, text = texts.number, texts.text
    for alike in texts.alike:
        values = _row(scope, alike[0], rows)
        whole: Any = values[number] if values is not None else UNKNOWN
        if type(whole) is str:
            own = alike[0].constants
            before, behind = (len("".join(part)) for part in (own[text.begins : text.first], own[text.last : text.ends]))
            yield from _surrounded(whole[before : len(whole) - behind], text, alike)
            continue
        for each in alike:
            row = _row(scope, each, rows)
            yield row[number] if row is not None else UNKNOWN, [each]


def _row(scope: Surroundings, resource: Resource, rows: dict[Resource, Values | None]) -> Values | None:
    """All values of a resource."""
    if resource not in rows:
        rows[resource] = scope.computed(resource)
    return rows[resource]


def _of_type(resource: Resource) -> TypeShape | None:
    return resource.type.shape if resource.type is not None else None


def _surrounded(within: str, text: Text, resources: list[Resource]) -> list[tuple[str, list[Resource]]]:
    """What expressions come to, with what stands before the first and behind the last of them in each of some resources."""
    begins, first, last, ends = text.begins, text.first, text.last, text.ends
    return [("".join((*each.constants[begins:first], within, *each.constants[last:ends])), [each]) for each in resources]
