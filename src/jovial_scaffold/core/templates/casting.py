"""Resources that are alike but for their digits (`text.moulds`): one of them is compiled, and the others are cast.

What depends on digits is a constant, a piece of a text, or one of the constants of an expression's shape; what else would depend on
them has to be the same in all resources of a mould.
"""

import ast
from collections.abc import Callable, Sequence
from typing import Any

from jovial_scaffold.core.code import called, compiled_code, every, loaded, parameters, subscript
from jovial_scaffold.core.expressions.placeholders import Formula, Joined, Omittable, Programs
from jovial_scaffold.core.expressions.shapes import Constants, constants_in
from jovial_scaffold.core.limits import EXPRESSION_LENGTH
from jovial_scaffold.core.records import Later
from jovial_scaffold.core.templates.model import Compiled, Condition, Constant, Dynamic, Head, ListValue, MapValue, Resource
from jovial_scaffold.core.text.moulds import CANONICAL, Cast, Mould, UnlikeError, Woven
from jovial_scaffold.core.text.source import Origin, Pointer, Source, value_at

_MOST = 100  # functions of one template: those of one mould differ in what has to be the same
_ROOM = 2_000  # characters by which an expression may become longer

Make = Callable[[Head, Source, Pointer, Any, Sequence[str]], Resource | None]


class Castings:
    """What resources of one template are cast from."""

    def __init__(self, programs: Programs) -> None:
        self._programs = programs
        self._fixed: dict[Mould, tuple[int, ...] | None] = {}
        self._made: dict[tuple[Mould, tuple[str, ...]], Make | None] = {}

    def resource(self, cast: Cast, content: Any, head: Head) -> Resource | None:
        """A resource, where one that is alike was compiled before, and nothing was wrong with it."""
        mould, digits = cast
        fixed = self._fixed.get(mould)
        if fixed is None:
            return None
        make = self._made.get((mould, tuple([digits[index] for index in fixed])))
        return make(head, *head[-1], content, digits) if make is not None else None

    def learn(self, cast: Cast, content: Any, resource: Resource) -> None:
        """Cast what follows from a resource that was compiled without a finding."""
        mould, digits = cast
        fixed = self._fixed.get(mould)
        if (mould in self._fixed and fixed is None) or len(self._made) >= _MOST:
            return
        key = None if fixed is None else (mould, tuple([digits[index] for index in fixed]))
        if key in self._made:
            return
        try:
            found, make = _Caster(self._programs, mould, digits, content).make(resource)
        except UnlikeError:
            found, make = None, None
        if fixed is None:
            self._fixed[mould] = fixed = found
        if fixed is not None:
            self._made[mould, tuple([digits[index] for index in fixed])] = make if found == fixed else None


class _Caster:
    """Writes the code that makes a resource; `content` is the value that the resource was compiled from, which has these digits."""

    def __init__(self, programs: Programs, mould: Mould, digits: Sequence[str], content: Any) -> None:
        self._programs = programs
        self._mould = mould
        self._digits = digits
        self._content = content
        self._pointer: Pointer = ()
        self._fixed: set[int] = set()
        self._integers: set[int] = set()
        self._tests: list[ast.expr] = []
        self._constants: list[ast.expr] = []
        self._code: dict[str, Any] = {
            "canonical": CANONICAL,
            "Condition": Condition,
            "Constant": Constant,
            "Dynamic": Dynamic,
            "Joined": Joined,
            "Later": Later,
            "ListValue": ListValue,
            "MapValue": MapValue,
            "Omittable": Omittable,
            "Origin": Origin,
            "Resource": Resource,
            "formula": programs.formula,
            "int": int,
            "names": programs.shapes.resources,
        }

    def make(self, resource: Resource) -> tuple[tuple[int, ...], Make]:
        """Which numbers have to be the same, and the function. Raises UnlikeError for resources that are not cast."""
        if resource.loop is not None or resource.key is not None:
            raise UnlikeError
        self._pointer = resource.origin.pointer
        properties = self._properties(resource.properties)
        written = called(
            loaded("Resource"),
            ast.Starred(value=loaded("head"), ctx=ast.Load()),
            called(loaded("Later"), ast.Lambda(args=parameters(), body=properties)),
            ast.Constant(None),
            self._of_whole(resource.when),
            ast.Constant(None),
            self._after(resource),
            self._of_whole(resource.keep),
            self._part((*self._pointer, "$formerly")) if resource.formerly else ast.Constant(""),
            self._constant(resource.shape),
            ast.Tuple(elts=self._constants, ctx=ast.Load()),
        )
        integers: list[ast.expr] = [
            called(loaded("canonical"), subscript(loaded("digits"), each)) for each in sorted(self._integers - self._fixed)
        ]
        tests = [*integers, *self._tests]
        whole = ast.IfExp(test=every(tests), body=written, orelse=ast.Constant(None)) if tests else written
        function = ast.Lambda(args=parameters("head", "source", "pointer", "content", "digits"), body=whole)
        made = compiled_code(ast.Expression(function), "eval", self._code)
        if made is None:
            raise UnlikeError
        return tuple(sorted(self._fixed)), made

    def _constant(self, value: Any) -> ast.expr:
        """A name for an object that the code uses."""
        name = f"c{len(self._code)}"
        self._code[name] = value
        return loaded(name)

    def _origin(self, origin: Origin) -> ast.expr:
        """The place of a part, in the file and at the entry of the resource that is cast."""
        steps = self._relative(origin.pointer)
        if not steps:
            return called(loaded("Origin"), loaded("source"), loaded("pointer"))
        elements = [ast.Starred(value=loaded("pointer"), ctx=ast.Load()), *map(ast.Constant, steps)]
        return called(loaded("Origin"), loaded("source"), ast.Tuple(elts=elements, ctx=ast.Load()))

    def _relative(self, pointer: Pointer) -> Pointer:
        if pointer[: len(self._pointer)] != self._pointer:
            raise UnlikeError
        return pointer[len(self._pointer) :]

    def _part(self, pointer: Pointer) -> ast.expr:
        """A part of the content."""
        written = loaded("content")
        for step in self._relative(pointer):
            written = subscript(written, step)
        return written

    def _woven(self, pointer: Pointer) -> Any:
        return value_at(self._mould.woven, self._relative(pointer), UnlikeError)

    def _properties(self, properties: MapValue) -> ast.expr:
        """The properties of the resource, as `templates.shapes` describes them; the constants of one that no shape describes are none of
        the resource's."""
        entries: list[ast.expr] = []
        for name, compiled in properties.entries:
            before = len(self._constants)
            written, is_described = self._value(compiled)
            if not is_described:
                del self._constants[before:]
            entries.append(ast.Tuple(elts=[ast.Constant(name), written], ctx=ast.Load()))
        return called(loaded("MapValue"), ast.Tuple(elts=entries, ctx=ast.Load()), self._origin(properties.origin))

    def _value(self, compiled: Compiled) -> tuple[ast.expr, bool]:
        """Code for a compiled value, and whether a shape describes it; its constants are noted."""
        if isinstance(compiled, Constant):
            value = self._part(compiled.origin.pointer)
            if not _is_same(compiled.value, value_at(self._content, self._relative(compiled.origin.pointer), UnlikeError)):
                raise UnlikeError  # keys with `$$`, and `$schema`
            self._constants.append(value)
            return called(loaded("Constant"), value, self._origin(compiled.origin)), True
        if isinstance(compiled, Dynamic):
            written, is_described = self._text(compiled)
            return called(loaded("Dynamic"), written, self._origin(compiled.origin)), is_described
        if isinstance(compiled, MapValue):
            return self._map(compiled, in_list=False)
        if not isinstance(compiled, ListValue):
            raise UnlikeError
        items, is_described = [], True
        for item in compiled.items:
            written, is_known = self._map(item, in_list=True) if isinstance(item, MapValue) else self._value(item)
            items.append(written)
            is_described = is_described and is_known
        return called(loaded("ListValue"), ast.Tuple(elts=items, ctx=ast.Load()), self._origin(compiled.origin)), is_described

    def _map(self, compiled: MapValue, in_list: bool) -> tuple[ast.expr, bool]:
        if compiled.loop is not None:
            raise UnlikeError
        is_described = compiled.when is None or (in_list and isinstance(compiled.when.content, Formula))
        when: ast.expr = ast.Constant(None)
        if compiled.when is not None:
            when = self._condition(compiled.when)
        entries: list[ast.expr] = []
        for name, item in compiled.entries:
            written, is_known = self._value(item)
            is_described = is_described and is_known
            entries.append(ast.Tuple(elts=[ast.Constant(name), written], ctx=ast.Load()))
        elements = ast.Tuple(elts=entries, ctx=ast.Load())
        return called(loaded("MapValue"), elements, self._origin(compiled.origin), when), is_described

    def _condition(self, condition: Condition) -> ast.expr:
        """A condition; the constants of an expression are noted."""
        content = condition.content
        if not isinstance(content, Formula):
            written = self._value(content)[0]
            self._constants.pop()
        elif isinstance(woven := self._woven(condition.origin.pointer), Woven) and not woven.is_integer:
            written = self._formula(content, woven)
        else:
            written = self._constant(content)
            self._constants += map(self._constant, content.program.constants)
        return called(loaded("Condition"), written, self._origin(condition.origin))

    def _of_whole(self, condition: Condition | None) -> ast.expr:
        """A condition of a whole resource, which is nothing of its shape."""
        if condition is None:
            return ast.Constant(None)
        before = len(self._constants)
        written = self._condition(condition)
        del self._constants[before:]
        return written

    def _after(self, resource: Resource) -> ast.expr:
        entries: list[ast.expr] = [
            ast.Tuple(elts=[self._part(origin.pointer), self._origin(origin)], ctx=ast.Load()) for _, origin in resource.after
        ]
        return ast.Tuple(elts=entries, ctx=ast.Load())

    # -- texts with expressions

    def _text(self, compiled: Dynamic) -> tuple[ast.expr, bool]:
        woven = self._woven(compiled.origin.pointer)
        content = compiled.content
        if isinstance(woven, str):
            for part in content.parts if isinstance(content, Joined) else compiled.formulas():
                self._constants += [ast.Constant(part)] if isinstance(part, str) else map(self._constant, part.program.constants)
            return self._constant(content), not isinstance(content, Omittable)
        if not isinstance(woven, Woven) or woven.is_integer:
            raise UnlikeError
        if isinstance(content, Formula):
            return self._formula(content, woven), True
        if isinstance(content, Omittable):
            return called(loaded("Omittable"), self._formula(content.formula, woven)), False
        return called(loaded("Joined"), self._parts(content, woven)), True

    def _parts(self, content: Joined, woven: Woven) -> ast.expr:
        elements: list[ast.expr] = []
        whole, at = woven.text(self._digits), 0
        formulas = iter([*(part for part in content.parts if isinstance(part, Formula)), None])
        following = next(formulas)
        for part in content.parts:
            if isinstance(part, Formula):
                elements.append(self._formula(part, woven))
                at = part.offset + len(part.text) + 1
                following = next(formulas)
                continue
            end = following.offset - len("${") if following is not None else len(whole)
            literal = _unescaped(woven.cut(self._digits, at, end))
            if literal.text(self._digits) != part:
                raise UnlikeError
            self._constants.append(literal.written())
            elements.append(literal.written())
        return ast.Tuple(elts=elements, ctx=ast.Load())

    def _formula(self, formula: Formula, woven: Woven) -> ast.expr:
        """One expression: its text, where it begins, and its constants."""
        text = woven.cut(self._digits, formula.offset, formula.offset + len(formula.text))
        before = woven.cut(self._digits, 0, formula.offset)
        if text.text(self._digits) != formula.text or len(formula.text) + _ROOM > EXPRESSION_LENGTH.most:
            raise UnlikeError
        constants = self._constants_of(formula, text)
        self._constants += constants
        offset: ast.expr = ast.Constant(sum(len(piece) for piece in before.pieces if isinstance(piece, str)))
        for number in before.numbers:
            offset = ast.BinOp(left=offset, op=ast.Add(), right=called(self._constant(len), subscript(loaded("digits"), number)))
        if not text.numbers:
            return called(self._constant(Formula), self._constant(formula.program), ast.Constant(formula.text), offset)
        return called(
            loaded("formula"), text.written(), offset, self._constant(formula.program.shape), ast.Tuple(elts=constants, ctx=ast.Load())
        )

    def _constants_of(self, formula: Formula, text: Woven) -> list[ast.expr]:
        """The constants of an expression in all resources; numbers that are in none of them have to be the same."""
        known: Constants = formula.program.constants
        moving: set[int] = set()
        written: list[ast.expr] = []
        found = list(constants_in(formula.text, self._programs.shapes.resources)) if known else []
        if len(found) != len(known):
            raise UnlikeError
        for (kind, start, end), value in zip(found, known, strict=True):
            quote = 1 if kind == "text" else 0
            part = text.cut(self._digits, start + quote, end - quote)
            if not part.numbers:
                written.append(self._constant(value))
                continue
            moving.update(part.numbers)
            if kind == "integer":
                if len(part.pieces) != 1:
                    raise UnlikeError
                self._integers.update(part.numbers)
                written.append(called(loaded("int"), subscript(loaded("digits"), part.numbers[0])))
                continue
            if kind == "name":
                self._tests.append(ast.Compare(left=part.written(), ops=[ast.In()], comparators=[loaded("names")]))
            written.append(part.written())
        self._fixed.update(number for number in text.numbers if number not in moving)
        return written


def _unescaped(woven: Woven) -> Woven:
    return Woven(tuple(piece.replace("$${", "${") if isinstance(piece, str) else piece for piece in woven.pieces))


def _is_same(one: Any, other: Any) -> bool:
    if type(one) is not type(other):
        return False
    if isinstance(one, dict):
        return list(one) == list(other) and all(_is_same(one[key], other[key]) for key in one)
    if isinstance(one, list):
        return len(one) == len(other) and all(map(_is_same, one, other))
    return bool(one == other)
