"""What resources have in common that differ in constants only: two functions, made once, that give the properties of each.

The first computes what stands in the places of expressions, the second puts computed values and constants together. Between the two,
values that only the deployment knows can be stood in for, so that the validator judges plain data. Like all generated code, they give
what the careful way gives, or raise; what is not worth code (loops, `${?…}`, a map with a condition) is computed the careful way.
"""

import ast
from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from typing import Any, NamedTuple

from jovial_scaffold.core.code import called, compiled_code, loaded, parameters, stored_as, subscript
from jovial_scaffold.core.expressions.generation import Unsupported, Writer
from jovial_scaffold.core.expressions.library.strings import joined_text
from jovial_scaffold.core.expressions.operators import bounded
from jovial_scaffold.core.expressions.pending import Pending
from jovial_scaffold.core.expressions.placeholders import Formula, Joined
from jovial_scaffold.core.expressions.program import Program
from jovial_scaffold.core.expressions.values import Secret
from jovial_scaffold.core.rendering.computing import SIMPLE, plain
from jovial_scaffold.core.schemas.catalog import ResourceType
from jovial_scaffold.core.schemas.keywords import is_by_property
from jovial_scaffold.core.schemas.shapes import annotated
from jovial_scaffold.core.schemas.validation import Validator, Violation
from jovial_scaffold.core.templates.model import Compiled, Condition, Constant, Dynamic, ListValue, MapValue, ResourceShape, Template
from jovial_scaffold.core.templates.shapes import constants_of, is_plain
from jovial_scaffold.core.text.source import Pointer

Constants = tuple[Any, ...]
Values = tuple[Any, ...]
FEW = 3  # resources of which it is not worth while to make code


class Text(NamedTuple):
    """What a computed value is written as: the expressions, and which of the resource's constants are theirs, from `first` to before `last`.
    `begins` and `ends` are the same with the text before the first expression and behind the last one, which change with nothing.
    `reads` are the names that they read, or which of the constants are such names. `in_items` is the same of the only expression that reads
    more than variables of the loop, where there is one and it reads none of them."""

    shapes: tuple[object, ...]
    first: int
    last: int
    begins: int
    ends: int
    reads: frozenset[str | int]
    in_items: tuple[tuple[object, ...], int, int] | None

    def key(self, constants: Constants) -> tuple[object, ...]:
        """What all places have in common that change together: where the same is written, or the same with other text around it."""
        return (self.shapes, constants[self.first : self.last])

    def item_key(self, constants: Constants) -> tuple[object, ...] | None:
        """The same of items of a loop that stay what they are, of which only the rest may change; None where that hangs on the item."""
        if self.in_items is None:
            return None
        shapes, first, last = self.in_items
        return (shapes, constants[first:last])

    def names(self, constants: Constants) -> set[str]:
        """The names that it reads."""
        return {constants[each] if isinstance(each, int) else each for each in self.reads}


class Code(NamedTuple):
    """The functions of a shape. `places` are those of the computed values, or of the item that a condition is about; `texts` is what stands
    there; `conditions` are the indexes of conditions; `left` which properties, counted from 0, are computed the careful way: their values come
    after those. `open` are the values that may be something else than a text, an integer or a boolean; `faults` are what schemas say
    of them; `last` holds the map or list that was seen last to be plain data."""

    values: Callable[[Any, Mapping[str, Any], Constants], Values]
    build: Callable[[Values, Constants], dict[str, Any]]
    places: tuple[Pointer, ...]
    texts: tuple[Text, ...]
    conditions: frozenset[int]
    left: tuple[int, ...]
    open: tuple[int, ...]
    faults: "dict[Validator, Faults | None]"
    last: list[Any]


class Faults(NamedTuple):
    """What a schema says of the resources of a shape: of their keys, and of one property with one value, by the number of that."""

    of_keys: list[Violation]
    of_values: dict[int, dict[tuple[type, Any], list[Violation]]]


class Codes:
    """The code of one template's shapes, made where it is worth it."""

    def __init__(self, template: Template) -> None:
        counts = Counter(each.shape for each in template.resources.values())
        self._tries = {shape: count - 1 for shape, count in counts.items() if count > FEW}  # for those, it is worth it at once
        self._made: dict[ResourceShape, Code | None] = {}

    def of(self, shape: ResourceShape) -> Code | None:
        """The functions; None as long as they are not worth it, or where nothing can be made."""
        if shape in self._made:
            return self._made[shape]
        tries = self._tries[shape] = self._tries.get(shape, 0) + 1
        if tries <= FEW:
            return None
        self._made[shape] = _Composer(shape.variables).code(shape.properties)
        return self._made[shape]

    def of_all(self, shape: ResourceShape, count: int) -> Code | None:
        """The same for so many resources at once."""
        self._tries[shape] = self._tries.get(shape, 0) + count
        return self.of(shape) if count else None


class _Composer:
    """Writes the functions of a shape."""

    def __init__(self, variables: frozenset[str]) -> None:
        self._variables = variables
        self._writer = Writer(variables)
        self._at = 0  # how many constants were met
        self._values: list[ast.expr] = []
        self._places: list[Pointer] = []
        self._texts: list[Text] = []
        self._conditions: set[int] = set()
        self._open: list[int] = []

    def code(self, properties: MapValue) -> Code | None:
        """The functions; None where Python does not take them."""
        built: list[ast.expr | None] = []
        left = []
        for index, (name, compiled) in enumerate(properties.entries):
            constants = constants_of(compiled, self._variables)
            after, values = self._at + len(constants or ()), len(self._values)
            try:
                if constants is None:
                    raise Unsupported
                built.append(self._built(compiled, (name,), None))
            except Unsupported:
                del self._values[values:], self._places[values:], self._texts[values:]
                self._conditions = {each for each in self._conditions if each < values}
                self._open = [each for each in self._open if each < values]
                left.append(index)
                built.append(None)
            self._at = after
        slots = iter(range(len(self._values), len(self._values) + len(left)))
        whole = ast.Dict(
            keys=[ast.Constant(name) for name, _ in properties.entries],
            values=[each if each is not None else subscript(loaded("values"), next(slots)) for each in built],
        )
        tuple_of = ast.Tuple(elts=self._values, ctx=ast.Load())
        values_of = compiled_code(_function(tuple_of, "names", "variables", "constants"), "eval", self._writer.constants)
        build = compiled_code(_function(whole, "values", "constants"), "eval", {})
        if not values_of or not build:
            return None
        texts, conditions = tuple(self._texts), frozenset(self._conditions)
        return Code(values_of, build, tuple(self._places), texts, conditions, tuple(left), tuple(self._open), {}, [None])

    def _built(self, compiled: Compiled, place: Pointer, only_if: str | None) -> ast.expr:
        """How the second function makes a value; what the first has to compute for it is written down, where it stands behind a condition
        only if that holds."""
        if isinstance(compiled, Constant):
            return self._constant()
        if isinstance(compiled, Dynamic):
            content, first = compiled.content, self._at
            assert isinstance(content, Formula | Joined)
            written = self._joined(content) if isinstance(content, Joined) else self._result(content.program, len(self._values))
            if only_if is not None:
                written = ast.IfExp(test=loaded(only_if), body=written, orelse=ast.Constant(None))
            return self._value(written, place, _text(content, first, self._variables))
        if isinstance(compiled, MapValue):
            return self._map(compiled, place, only_if)
        assert isinstance(compiled, ListValue)
        items: list[ast.expr] = []
        for index, item in enumerate(compiled.items):
            if isinstance(item, MapValue) and item.when is not None:
                name = self._writer.fresh()
                held = self._condition(item.when, name, only_if, (*place, index))
                below = ast.List(elts=[self._map(item, (*place, index), name)], ctx=ast.Load())
                either = ast.IfExp(test=held, body=below, orelse=ast.Tuple(elts=[], ctx=ast.Load()))
                items.append(ast.Starred(value=either, ctx=ast.Load()))
            else:
                items.append(self._built(item, (*place, index), only_if))
        return ast.List(elts=items, ctx=ast.Load())

    def _map(self, compiled: MapValue, place: Pointer, only_if: str | None) -> ast.expr:
        return ast.Dict(
            keys=[ast.Constant(name) for name, _ in compiled.entries],
            values=[self._built(item, (*place, name), only_if) for name, item in compiled.entries],
        )

    def _condition(self, when: Condition, name: str, only_if: str | None, place: Pointer) -> ast.expr:
        assert isinstance(when.content, Formula)
        first = self._at
        held = self._writer.surely_boolean(*self._program(when.content.program))
        if only_if is not None:
            held = ast.IfExp(test=loaded(only_if), body=held, orelse=ast.Constant(False))
        self._conditions.add(len(self._values))
        return self._value(stored_as(name, held), place, _text(when.content, first, self._variables))

    def _value(self, written: ast.expr, place: Pointer, text: Text) -> ast.expr:
        self._values.append(written)
        self._places.append(place)
        self._texts.append(text)
        return subscript(loaded("values"), len(self._values) - 1)

    def _constant(self) -> ast.expr:
        self._at += 1
        return subscript(loaded("constants"), self._at - 1)

    def _program(self, program: Program) -> tuple[ast.expr, str]:
        shape = program.shape
        holes = {start: self._at + index for start, index in shape.holes.items()}
        self._at += len(program.constants)
        return self._writer.composed(shape.node, holes)

    def _result(self, program: Program, index: int) -> ast.expr:
        """A value that may stand in a resource, as that of this number."""
        written, kind = self._program(program)
        if kind in _SIMPLE_KINDS:
            return written
        self._open.append(index)
        if isinstance(written, ast.Subscript) and isinstance(written.value, ast.Name) and written.value.id == "names":
            return ast.Subscript(
                value=ast.Attribute(value=written.value, attr="plain", ctx=ast.Load()), slice=written.slice, ctx=ast.Load()
            )
        name = self._writer.fresh()
        is_simple = ast.Compare(
            left=called(self._writer.constant(type), stored_as(name, written)), ops=[ast.In()], comparators=[self._writer.constant(SIMPLE)]
        )
        return ast.IfExp(test=is_simple, body=loaded(name), orelse=called(self._writer.constant(plain), loaded(name)))

    def _joined(self, content: Joined) -> ast.expr:
        parts = [self._constant() if isinstance(part, str) else self._piece(part.program) for part in content.parts]
        joined = called(self._writer.constant("".join), ast.List(elts=parts, ctx=ast.Load()))
        return called(self._writer.constant(bounded), joined)

    def _piece(self, program: Program) -> ast.expr:
        """What an expression gives between words; what has no text there joins with nothing, and the careful way says why."""
        written, kind = self._program(program)
        if kind == "string":
            return written
        name = self._writer.fresh()
        is_text = ast.Compare(
            left=called(self._writer.constant(type), stored_as(name, written)), ops=[ast.Is()], comparators=[self._writer.constant(str)]
        )
        return ast.IfExp(test=is_text, body=loaded(name), orelse=called(self._writer.constant(joined_text), loaded(name)))


def texts_of(shape: ResourceShape) -> dict[str, Text | int]:
    """How each property of a shape is written that is one text, or which of the constants it is."""
    found: dict[str, Text | int] = {}
    at = 0
    for name, compiled in shape.properties.entries:
        constants = constants_of(compiled, shape.variables)
        if constants is None:
            continue
        if isinstance(compiled, Constant):
            found[name] = at
        elif isinstance(compiled, Dynamic):
            assert isinstance(compiled.content, Formula | Joined)
            found[name] = _text(compiled.content, at, shape.variables)
        at += len(constants)
    return found


def _text(content: Formula | Joined, first: int, variables: frozenset[str]) -> Text:
    """What was composed, whose constants begin at `first`."""
    joined = (Joined,) if isinstance(content, Joined) else ()
    reads: set[str | int] = set()
    moving: list[tuple[tuple[object, ...], int, int]] = []
    at = first
    for part in content.parts if isinstance(content, Joined) else (content,):
        if isinstance(part, str):
            at += 1
            continue
        shape, begins = part.program.shape, at
        names = {begins + name if isinstance(name, int) else name for name, _ in shape.reading}
        at += len(part.program.constants)
        reads |= names
        if not names <= variables:
            moving.append(((*joined, shape), begins, at) if variables.isdisjoint(names) else ((), 0, 0))
    in_items = moving[0] if len(moving) == 1 and moving[0][0] else None
    if isinstance(content, Formula):
        return Text((content.program.shape,), first, at, first, at, frozenset(reads), in_items)
    # What stands before the first expression and behind the last one is the same whatever those give.
    parts = [part if isinstance(part, str) else part.program.shape for part in content.parts]
    before, behind = isinstance(parts[0], str), isinstance(parts[-1], str)
    inner = parts[before : len(parts) - behind]
    shapes = (Joined, *(None if isinstance(each, str) else each for each in inner))
    return Text(shapes, first + before, at - behind, first, at, frozenset(reads), in_items)


_SIMPLE_KINDS = frozenset(("bool", "string", "int"))


def _function(body: ast.expr, *names: str) -> ast.Expression:
    return ast.Expression(ast.Lambda(args=parameters(*names), body=body))


def marked_and_judged(
    code: Code, values: Values, constants: Constants, properties: dict[str, Any], kind: ResourceType
) -> tuple[dict[str, Any] | None, bool]:
    """The properties with secrets marked, and whether they are valid with values that fit in the places of what is pending; None where they
    hold something unknown or doubles, or where more is to be said than what the validator says."""
    judged = marked = properties
    if kind.shape.marks:
        notes: list[tuple[str, Pointer]] = []
        marked = annotated(kind.shape, properties, (), notes)
        if notes:
            return None, False
    stood_in = _stood_in(code, values, kind.validator)
    if stood_in is None:
        return None, False
    if stood_in is not values:
        judged = code.build(tuple(stood_in), constants)
    return marked, kind.validator.is_valid(judged)


def is_valid_as_it_is(properties: dict[str, Any], kind: ResourceType) -> bool:
    """Whether properties without parts or marks surely fit a type, and nothing else is to be said of them."""
    return not kind.shape.marks and SIMPLE.issuperset(map(type, properties.values())) and kind.validator.is_valid(properties)


def _stood_in(code: Code, values: Values, validator: Validator) -> Sequence[Any] | None:
    """The values as plain data, with values that fit in the places of what is pending; the same object where they are that already, and None
    where some are no plain data."""
    stand_ins: list[Any] | None = None
    for index in code.open:
        value = values[index]
        kind = type(value)
        if kind in SIMPLE:
            continue
        instead = value.value if kind is Secret else value
        if type(instead) is Pending:
            instead = validator.stand_in(code.places[index])
        elif instead is not code.last[0]:  # one map may stand in very many resources
            if not is_plain(instead):
                return None
            code.last[0] = instead
        if instead is not value:
            stand_ins = stand_ins or list(values)
            stand_ins[index] = instead
    return values if stand_ins is None else stand_ins


def known_violations(code: Code, values: Values, constants: Constants, validator: Validator) -> list[Violation] | None:
    """What is wrong with a resource, where that is known already, and all else is right: with its keys, or with one property that has a value
    of which it is known."""
    known = code.faults.get(validator)
    if known is None:
        return None
    if known.of_keys:
        stood_in = _stood_in(code, values, validator)
        if stood_in is not None and validator.but_for_keys.is_valid(code.build(tuple(stood_in), constants)):
            return known.of_keys
    for index, by_value in known.of_values.items():
        value = values[index]
        found = by_value.get((type(value), value)) if type(value) in SIMPLE else None
        stood_in = _stood_in(code, values, validator) if found is not None else None
        if stood_in is not None:
            others = list(stood_in)
            others[index] = validator.stand_in(code.places[index])
            if validator.is_valid(code.build(tuple(others), constants)):
                return found
    return None


def learn(code: Code, values: Values, validator: Validator, violations: list[Violation]) -> None:
    """Keep what is wrong with a resource for others of its shape: with its keys, or with a property for those where it has the same value, if
    its schema judges properties one by one."""
    if validator not in code.faults:
        code.faults[validator] = Faults([], {}) if is_by_property(validator.schema) else None
    known = code.faults[validator]
    if known is None:
        return
    if all(each.is_of_keys for each in violations):
        known.of_keys[:] = violations
        return
    places = {each.pointer for each in violations}
    place = places.pop() if len(places) == 1 else ()
    if len(place) != 1 or place not in code.places:
        return
    index = code.places.index(place)
    if type(values[index]) in SIMPLE and not any(each.meant for each in violations):
        known.of_values.setdefault(index, {})[type(values[index]), values[index]] = violations
