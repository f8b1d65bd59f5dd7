"""A syntax tree to a Python function, for expressions that are evaluated often.

The function gives the right value or raises: it knows plain values only, and leaves marks, absorbed errors and the place of an
error to the careful evaluator, which is asked whenever the function raises anything. The code is built with `ast`, never from text,
so that nothing a user writes is ever read as Python.
"""

import ast
from collections.abc import Callable, Mapping
from typing import Any

from jovial_scaffold.core.code import called, compared, compiled_code, loaded, parameters, stored_as, subscript
from jovial_scaffold.core.expressions import fast
from jovial_scaffold.core.expressions.functions import FUNCTIONS
from jovial_scaffold.core.expressions.operators import BINARY, negate, weighed
from jovial_scaffold.core.expressions.syntax import (
    Call,
    Conditional,
    Has,
    Index,
    ListLiteral,
    Literal,
    Macro,
    MapLiteral,
    Name,
    Node,
    Operation,
    Select,
)

Generated = Callable[[Any, Any, Any], Any]
Standalone = Callable[[Any], Any]
Careful = Callable[[Any, Exception], Any]


class Unsupported(Exception):
    """A form that is left to the careful evaluator altogether."""


def generate(node: Node, variables: frozenset[str] = frozenset(), holes: Mapping[int, int] | None = None) -> Generated | None:
    """A function of names, variables and constants that gives the right value or raises; None for forms that are not worth one.

    `variables` are the names to be looked up in the second argument instead of the first. `holes` say which literals and names, by their
    offsets, are to be taken from the third.
    """
    writer = Writer(variables)
    writer.holes = holes or {}
    body = writer.whole(node)
    if body is None:
        return None
    tree = ast.Expression(ast.Lambda(args=parameters("names", "variables", "constants"), body=body))
    function: Generated | None = compiled_code(tree, "eval", writer.constants)
    return function


def generate_standalone(node: Node, careful: Careful) -> Standalone | None:
    """A function of names alone, which asks `careful` where the generated code raises; None for forms that are not worth one."""
    writer = Writer(frozenset())
    body = writer.whole(node)
    if body is None:
        return None
    ask = ast.Return(called(writer.constant(careful), loaded("names"), loaded("error")))
    handler = ast.ExceptHandler(type=writer.constant(Exception), name="error", body=[ask])
    attempt = ast.Try(body=[ast.Return(body)], handlers=[handler], orelse=[], finalbody=[])
    arguments = parameters("names")
    arguments.defaults = [ast.Constant(None)]
    function = ast.FunctionDef(name="evaluate", args=arguments, body=[attempt], decorator_list=[], returns=None)
    if "type_params" in ast.FunctionDef._fields:  # from Python 3.12 on
        function.__dict__["type_params"] = []
    namespace = compiled_code(ast.Module(body=[function], type_ignores=[]), "exec", writer.constants)
    return namespace["evaluate"] if namespace else None


class Writer:
    """Writes nodes as Python expressions; each comes with what is known of its type: "bool", "string", "int", "list" or nothing."""

    def __init__(self, variables: frozenset[str]) -> None:
        self.variables = variables
        self.holes: Mapping[int, int] = {}
        self.constants: dict[str, Any] = {}
        self.count = 0
        self.loops = False
        self.depth = 0  # how many loops stand around what is being written

    def whole(self, node: Node) -> ast.expr | None:
        """The body of a function; None for forms that are not worth one."""
        try:
            return self.composed(node, self.holes)[0]
        except Unsupported:
            return None

    def composed(self, node: Node, holes: Mapping[int, int]) -> tuple[ast.expr, str]:
        """A whole expression as a part of a body; where it loops, the steps spent are counted in a list of its own. Raises Unsupported."""
        self.holes, self.loops = holes, False
        body, kind = self.write(node, {})
        if not self.loops:
            return body, kind
        return called(ast.Lambda(args=parameters("spent"), body=body), called(self.constant(fast.begun), loaded("names"))), kind

    def constant(self, value: Any) -> ast.expr:
        """A name for a Python object that the code uses."""
        for name, known in self.constants.items():
            if known is value:
                return loaded(name)
        name = f"c{len(self.constants)}"
        self.constants[name] = value
        return loaded(name)

    def fresh(self) -> str:
        self.count += 1
        return f"t{self.count}"

    def write(self, node: Node, bound: dict[str, str]) -> tuple[ast.expr, str]:
        return _WRITE[type(node)](self, node, bound)

    def value(self, node: Node, bound: dict[str, str]) -> ast.expr:
        return self.write(node, bound)[0]

    def boolean(self, node: Node, bound: dict[str, str]) -> ast.expr:
        """A value that is surely a boolean: anything else raises."""
        return self.surely_boolean(*self.write(node, bound))

    def surely_boolean(self, written: ast.expr, kind: str) -> ast.expr:
        """What is written, raising where it gives no boolean."""
        if kind == "bool":
            return written
        name = self.fresh()
        is_true = compared(stored_as(name, written), ast.Is(), ast.Constant(True))
        is_false = compared(loaded(name), ast.Is(), ast.Constant(False))
        test = ast.BoolOp(op=ast.Or(), values=[is_true, is_false])
        return ast.IfExp(test=test, body=loaded(name), orelse=called(self.constant(fast.not_plain)))

    def typed(self, name: str, value: ast.expr, kind: type) -> ast.expr:
        """Whether a value, stored under a name, is exactly of a type."""
        return compared(called(self.constant(type), stored_as(name, value)), ast.Is(), self.constant(kind))

    # -- forms

    def is_written(self, node: Node) -> bool:
        """Whether a node is a literal whose value is known here."""
        return isinstance(node, Literal) and node.start not in self.holes

    def literal(self, node: Literal, bound: dict[str, str]) -> tuple[ast.expr, str]:
        value = node.value
        kinds = {bool: "bool", str: "string", int: "int"}
        if node.start in self.holes:
            return subscript(loaded("constants"), self.holes[node.start]), kinds[type(value)]
        if type(value) in (bool, str, int, float, type(None)) and value == value and value not in (float("inf"), float("-inf")):
            return ast.Constant(value), kinds.get(type(value), "")
        return self.constant(value), ""

    def name(self, node: Name, bound: dict[str, str]) -> tuple[ast.expr, str]:
        if node.name in bound:
            return loaded(bound[node.name]), ""
        if node.start in self.holes:
            hole = subscript(loaded("constants"), self.holes[node.start])
            return ast.Subscript(value=loaded("names"), slice=hole, ctx=ast.Load()), ""
        return subscript(loaded("variables" if node.name in self.variables else "names"), node.name), ""

    def select(self, node: Select, bound: dict[str, str]) -> tuple[ast.expr, str]:
        operand = self.value(node.operand, bound)
        if node.optional:
            return called(self.constant(fast.optional_field), operand, ast.Constant(node.field)), ""
        return subscript(operand, node.field), ""

    def has(self, node: Has, bound: dict[str, str]) -> tuple[ast.expr, str]:
        name = self.fresh()
        there = compared(ast.Constant(node.field), ast.In(), loaded(name))
        return ast.IfExp(
            test=self.typed(name, self.value(node.operand, bound), dict), body=there, orelse=called(self.constant(fast.not_plain))
        ), "bool"

    def index(self, node: Index, bound: dict[str, str]) -> tuple[ast.expr, str]:
        operand = self.value(node.operand, bound)
        if node.optional:
            raise Unsupported
        if isinstance(node.index, Literal) and type(node.index.value) is str:
            return ast.Subscript(value=operand, slice=self.value(node.index, bound), ctx=ast.Load()), ""
        return called(self.constant(fast.index), operand, self.value(node.index, bound)), ""

    def call(self, node: Call, bound: dict[str, str]) -> tuple[ast.expr, str]:
        function = FUNCTIONS.get((node.function, node.target is not None))
        if function is None:
            raise Unsupported
        target = node.target
        if node.function == "orValue" and isinstance(target, Select) and target.optional and len(node.arguments) == 1:
            default = self.value(node.arguments[0], bound)
            return called(self.constant(fast.field_or), self.value(target.operand, bound), ast.Constant(target.field), default), ""
        if node.function in ("type", "dyn"):
            raise Unsupported
        operands = [*([target] if target is not None else []), *node.arguments]
        gives = {overload.gives for overload in function.overloads}
        kind = next(iter(gives)) if len(gives) == 1 else ""
        special = fast.DIRECT.get((node.function, node.target is not None, len(operands)))
        run = special or fast.dispatcher(function)
        written = called(self.constant(run), *(self.value(operand, bound) for operand in operands))
        if self.depth and kind == "list":
            written = called(self.constant(fast.counted), written, loaded("spent"))
        return written, kind

    def operation(self, node: Operation, bound: dict[str, str]) -> tuple[ast.expr, str]:
        operator = node.operator
        if operator in ("&&", "||"):
            joiner: ast.boolop = ast.And() if operator == "&&" else ast.Or()
            return ast.BoolOp(op=joiner, values=[self.boolean(each, bound) for each in _chain(node, operator)]), "bool"
        if operator == "!":
            return ast.UnaryOp(op=ast.Not(), operand=self.boolean(node.operands[0], bound)), "bool"
        if len(node.operands) == 1:
            return called(self.constant(negate), self.value(node.operands[0], bound)), ""
        (left, left_kind), (right, right_kind) = (self.write(operand, bound) for operand in node.operands)
        if operator in ("==", "!="):
            return self.equality(operator == "==", left, right, node), "bool"
        if operator == "in":
            return self.membership(left, right, node.operands[1]), "bool"
        if operator in _SIGNS:
            return self.order(operator, left, right, node.operands[1]), "bool"
        if operator == "+" and (left_kind == "string" or right_kind == "string"):
            # With a text on one side, Python adds a text or raises; the size grows by no more than what is written.
            if isinstance(node.operands[0], Literal) or isinstance(node.operands[1], Literal):
                return ast.BinOp(left=left, op=ast.Add(), right=right), "string"
            return called(self.constant(BINARY["+"]), left, right), "string"
        return called(self.constant(BINARY[operator]), left, right), left_kind if left_kind == right_kind == "int" else ""

    def membership(self, left: ast.expr, right: ast.expr, container: Node) -> ast.expr:
        if isinstance(container, ListLiteral) and all(
            isinstance(item, Literal) and self.is_written(item) and type(item.value) is str for item in container.items
        ):
            # Python compares with texts as the language does, and marks raise.
            texts = tuple(item.value for item in container.items if isinstance(item, Literal))
            return compared(left, ast.In(), self.constant(texts))
        if self.depth:
            return called(self.constant(fast.contains_in_loop), left, right, loaded("spent"))
        return called(self.constant(fast.contains), left, right)

    def order(self, operator: str, left: ast.expr, right: ast.expr, second: Node) -> ast.expr:
        careful = self.constant(fast.ORDER[operator])
        if isinstance(second, Literal) and type(second.value) is int:
            name = self.fresh()
            quick = compared(loaded(name), _SIGNS[operator](), right)
            return ast.IfExp(test=self.typed(name, left, int), body=quick, orelse=called(careful, loaded(name), right))
        return called(careful, left, right)

    def equality(self, positive: bool, left: ast.expr, right: ast.expr, node: Operation) -> ast.expr:
        sign: ast.cmpop = ast.Eq() if positive else ast.NotEq()
        for operand in node.operands:
            # Python's own comparison with a text, or a number that is neither 0 nor 1, is the language's: marks raise.
            if isinstance(operand, Literal) and (
                type(operand.value) is str or (type(operand.value) is int and operand.value not in (0, 1) and self.is_written(operand))
            ):
                return compared(left, sign, right)
        one, other = self.fresh(), self.fresh()
        kinds = [called(self.constant(type), stored_as(name, value)) for name, value in ((one, left), (other, right))]
        texts = ast.Compare(left=kinds[0], ops=[ast.Is(), ast.Is()], comparators=[kinds[1], self.constant(str)])
        careful = called(self.constant(fast.equals if positive else fast.differs), loaded(one), loaded(other))
        return ast.IfExp(test=texts, body=compared(loaded(one), sign, loaded(other)), orelse=careful)

    def conditional(self, node: Conditional, bound: dict[str, str]) -> tuple[ast.expr, str]:
        then, then_kind = self.write(node.then, bound)
        otherwise, other_kind = self.write(node.otherwise, bound)
        return ast.IfExp(
            test=self.boolean(node.condition, bound), body=then, orelse=otherwise
        ), then_kind if then_kind == other_kind else ""

    def list_literal(self, node: ListLiteral, bound: dict[str, str]) -> tuple[ast.expr, str]:
        if any(node.optional):
            raise Unsupported
        written = ast.List(elts=[self.value(item, bound) for item in node.items], ctx=ast.Load())
        return self.weighed(written, node.items), "list"

    def map_literal(self, node: MapLiteral, bound: dict[str, str]) -> tuple[ast.expr, str]:
        keys = [key.value if isinstance(key, Literal) and self.is_written(key) and type(key.value) is str else None for key in node.keys]
        if any(node.optional) or None in keys or len(set(keys)) != len(keys):
            raise Unsupported
        written = ast.Dict(keys=[ast.Constant(key) for key in keys], values=[self.value(each, bound) for each in node.values])
        return self.weighed(written, node.values), ""

    def weighed(self, written: ast.expr, parts: tuple[Node, ...]) -> ast.expr:
        """A list or map whose size is looked at where its parts may be lists or maps themselves."""
        plain = all(isinstance(part, Literal) for part in parts)
        return written if plain else called(self.constant(weighed), written)

    # -- macros

    def macro(self, node: Macro, bound: dict[str, str]) -> tuple[ast.expr, str]:
        target = self.value(node.target, bound)
        names = {variable: self.fresh() for variable in node.variables}
        inside = {**bound, **names}
        if node.name == "bind":
            return self.applied(names[node.variables[0]], self.value(node.bodies[0], inside), target), ""
        write = _MACROS.get(node.name)
        if write is None:
            raise Unsupported
        self.loops = True
        # Python allows no assignment inside of what a comprehension goes over: such a target becomes an argument.
        assigns = any(isinstance(each, ast.NamedExpr) for each in ast.walk(target))
        whole = self.fresh()
        items = called(self.constant(fast.pairs if len(names) == 2 else fast.items), loaded(whole) if assigns else target, loaded("spent"))
        stored = [ast.Name(id=each, ctx=ast.Store()) for each in names.values()]
        variable: ast.expr = stored[0] if len(stored) == 1 else ast.Tuple(elts=list(stored), ctx=ast.Store())
        self.depth += 1
        body, kind = write(self, node, inside, ast.comprehension(target=variable, iter=items, ifs=[], is_async=0))
        self.depth -= 1
        return (self.applied(whole, body, target) if assigns else body), kind

    def applied(self, parameter: str, body: ast.expr, argument: ast.expr) -> ast.expr:
        return called(ast.Lambda(args=parameters(parameter), body=body), argument)

    def quantifier(self, node: Macro, inside: dict[str, str], loop: ast.comprehension) -> tuple[ast.expr, str]:
        test = self.boolean(node.bodies[0], inside)
        generator = ast.GeneratorExp(elt=test, generators=[loop])
        return called(self.constant(any if node.name == "exists" else all), generator), "bool"

    def exactly_one(self, node: Macro, inside: dict[str, str], loop: ast.comprehension) -> tuple[ast.expr, str]:
        tests = ast.ListComp(elt=self.boolean(node.bodies[0], inside), generators=[loop])
        return called(self.constant(fast.exactly_one), tests), "bool"

    def filter(self, node: Macro, inside: dict[str, str], loop: ast.comprehension) -> tuple[ast.expr, str]:
        loop.ifs = [self.boolean(node.bodies[0], inside)]
        return ast.ListComp(elt=loaded(inside[node.variables[0]]), generators=[loop]), "list"

    def transform(self, node: Macro, inside: dict[str, str], loop: ast.comprehension) -> tuple[ast.expr, str]:
        if len(node.bodies) == 2:
            loop.ifs = [self.boolean(node.bodies[0], inside)]
        body, kind = self.write(node.bodies[-1], inside)
        made = ast.ListComp(elt=body, generators=[loop])
        return made if kind in ("string", "int", "bool") else called(self.constant(weighed), made), "list"


_SIGNS: dict[str, type[ast.cmpop]] = {"<": ast.Lt, "<=": ast.LtE, ">": ast.Gt, ">=": ast.GtE}

_MACROS: dict[str, Callable[[Writer, Macro, dict[str, str], ast.comprehension], tuple[ast.expr, str]]] = {
    "all": Writer.quantifier,
    "exists": Writer.quantifier,
    "exists_one": Writer.exactly_one,
    "existsOne": Writer.exactly_one,
    "filter": Writer.filter,
    "map": Writer.transform,
    "transformList": Writer.transform,
}

_WRITE: dict[type, Callable[[Writer, Any, dict[str, str]], tuple[ast.expr, str]]] = {
    Literal: Writer.literal,
    Name: Writer.name,
    Select: Writer.select,
    Has: Writer.has,
    Index: Writer.index,
    Call: Writer.call,
    Operation: Writer.operation,
    Conditional: Writer.conditional,
    ListLiteral: Writer.list_literal,
    MapLiteral: Writer.map_literal,
    Macro: Writer.macro,
}


def _chain(node: Node, operator: str) -> list[Node]:
    """The operands of `a && b && c` in one list."""
    found: list[Node] = []
    while isinstance(node, Operation) and node.operator == operator:
        found.append(node.operands[1])
        node = node.operands[0]
    return [node, *reversed(found)]
