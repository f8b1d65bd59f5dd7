"""Tokens to a syntax tree, by the grammar of the CEL language definition (section "Syntax"), with optional syntax and macros."""

from jovial_scaffold.core.expressions.errors import CutShort, SyntaxProblem
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
from jovial_scaffold.core.expressions.tokens import RESERVED, Token, tokenize
from jovial_scaffold.core.expressions.values import TypeValue
from jovial_scaffold.core.limits import EXPRESSION_LENGTH, EXPRESSION_NESTING, INT64_MAX
from jovial_scaffold.core.regexes import regex
from jovial_scaffold.core.words import NOTHING, Amount, Counted, listed, say

_PRECEDENCE = {"||": 1, "&&": 2, "==": 3, "!=": 3, "<": 3, "<=": 3, ">": 3, ">=": 3, "in": 3, "+": 4, "-": 4, "*": 5, "/": 5, "%": 5}

# name -> (numbers of variables, number of bodies): CEL's standard macros, its two-variable ones, and those of optionals.
MACROS: dict[str, tuple[tuple[int, ...], tuple[int, ...]]] = {
    "all": ((1, 2), (1,)),
    "exists": ((1, 2), (1,)),
    "exists_one": ((1, 2), (1,)),
    "existsOne": ((1, 2), (1,)),
    "filter": ((1,), (1,)),
    "map": ((1,), (1, 2)),
    "transformList": ((2,), (1, 2)),
    "transformMap": ((2,), (1, 2)),
    "transformMapEntry": ((2,), (1, 2)),
    "sortBy": ((1,), (1,)),
    "optMap": ((1,), (1,)),
    "optFlatMap": ((1,), (1,)),
}
NAMESPACES = frozenset(("math", "optional", "cel", "lists", "sets", "base64", "regex", "strings"))


def parse(text: str) -> Node:
    """The syntax tree of an expression. Raises SyntaxProblem with offsets in `text`."""
    if _CHAIN.match(text):
        return _chain(text)
    if len(text) > EXPRESSION_LENGTH.most:
        raise SyntaxProblem(
            say("This expression has more than {} characters.", Amount(EXPRESSION_LENGTH.most)), 0, 1, id=EXPRESSION_LENGTH.finding
        )
    return _Parser(text).whole()


_CHAIN = regex(r"[a-z_][a-z0-9_]*(?:\.[a-z_][a-z0-9_]*)*\Z")
_WORDS = frozenset((*RESERVED, "true", "false", "null", "in", "google"))


def _chain(text: str) -> Node:
    """`a.b.c`, which very many expressions are, without tokens; whatever is particular about it goes the long way."""
    steps = text.split(".")
    if len(steps) > EXPRESSION_NESTING.most or not _WORDS.isdisjoint(steps) or (len(steps) > 1 and steps[0] in NAMESPACES):
        return _Parser(text).whole()
    at = len(steps[0])
    node: Node = Name(0, at, steps[0])
    for field in steps[1:]:
        start, at = at + 1, at + 1 + len(field)
        node = Select(0, at, node, field, False, start)
    return node


class _Parser:
    def __init__(self, text: str) -> None:
        self.text = text
        self.tokens = tokenize(text)
        self.at = 0
        self.depth = 0

    # -- tokens

    def take(self, kind: str) -> Token | None:
        token = self.tokens[self.at]
        if token.kind == kind:
            self.at += 1
            return token
        return None

    def expect(self, kind: str, what: str, opened: int = -1) -> Token:
        token = self.take(kind)
        if token is None:
            found = self.tokens[self.at]
            if found.kind == "end" and opened >= 0:
                raise CutShort(say("`{}` is not closed; {} is expected.", self.text[opened], what), opened, opened + 1)
            raise self.unexpected(what)
        return token

    def unexpected(self, what: str) -> SyntaxProblem:
        found = self.tokens[self.at]
        if found.kind == "end":
            if not self.text.strip():
                return SyntaxProblem(say("The expression is empty."), 0, max(1, len(self.text)), say("Write a name or a value."))
            return CutShort(say("The expression ends where {} is expected.", what), found.start, found.end)
        hint = say("Text stands in quotes.") if found.kind in ("name", "quoted") else NOTHING
        return SyntaxProblem(
            say("`{}` stands where {} is expected.", self.text[found.start : found.end], what), found.start, found.end, hint
        )

    # -- grammar

    def whole(self) -> Node:
        node = self.expression()
        if self.tokens[self.at].kind != "end":
            raise self.unexpected("an operator or the end")
        return node

    def expression(self) -> Node:
        """Expr = ConditionalOr ["?" ConditionalOr ":" Expr]"""
        self.depth += 1
        if self.depth > EXPRESSION_NESTING.most:
            token = self.tokens[self.at]
            raise SyntaxProblem(
                say("The expression is nested deeper than {} levels.", EXPRESSION_NESTING.most),
                token.start,
                token.end,
                id=EXPRESSION_NESTING.finding,
            )
        node = self.binary(1)
        if self.take("?"):
            then = self.binary(1)
            self.expect(":", "the `:` of a condition")
            otherwise = self.expression()
            node = Conditional(node.start, otherwise.end, node, then, otherwise)
        self.depth -= 1
        return node

    def binary(self, least: int) -> Node:
        """ConditionalOr, ConditionalAnd, Relation, Addition, Multiplication: left-associative, by precedence."""
        left = self.unary()
        while True:
            token = self.tokens[self.at]
            precedence = _PRECEDENCE.get(token.kind, 0)
            if precedence < least:
                return left
            self.at += 1
            right = self.binary(precedence + 1)
            left = Operation(left.start, right.end, token.kind, (left, right), token.start)

    def unary(self) -> Node:
        """Unary = Member | "!" {"!"} Member | "-" {"-"} Member"""
        token = self.tokens[self.at]
        if token.kind not in ("!", "-"):
            return self.member()
        operators = []
        while self.tokens[self.at].kind == token.kind:
            operators.append(self.tokens[self.at])
            self.at += 1
        if token.kind == "-" and type(self.tokens[self.at].value) in (int, float) and self.tokens[self.at].kind == "value":
            minus = operators.pop()
            node = self.member(minus)
        else:
            node = self.member()
        if len(operators) > EXPRESSION_NESTING.most:
            raise SyntaxProblem(say("The expression repeats an operator too often."), token.start, token.end, id=EXPRESSION_NESTING.finding)
        for operator in reversed(operators):
            node = Operation(operator.start, node.end, operator.kind, (node,), operator.start)
        return node

    def member(self, minus: Token | None = None) -> Node:
        """Member = Primary {"." ["?"] SELECTOR ["(" [ExprList] ")"] | "[" ["?"] Expr "]"}"""
        node = self.primary(minus)
        if isinstance(node, Name) and node.name == "google":
            node = self.official_type(node)
        while True:
            if self.take("."):
                optional = self.take("?") is not None
                token = self.selector()
                opened = self.tokens[self.at]
                if opened.kind == "(" and not optional and token.kind == "name":
                    node = self.call(node, token)
                elif opened.kind == "{" and _dotted(node):
                    raise SyntaxProblem(
                        say("Messages of a protocol are not part of this language."),
                        node.start,
                        opened.end,
                        say("Write a map: {'key': value}"),
                    )
                else:
                    node = Select(node.start, token.end, node, token.value, optional, token.start)
            elif opened_token := self.take("["):
                optional = self.take("?") is not None
                index = self.expression()
                closing = self.expect("]", "`]`", opened_token.start)
                node = Index(node.start, closing.end, node, index, optional)
            else:
                return node

    def official_type(self, node: Node) -> Node:
        """`google.protobuf.Timestamp` and `.Duration`: the names that the language definition gives to two types."""
        rest = self.tokens[self.at : self.at + 4]
        if (
            [token.kind for token in rest] == [".", "name", ".", "name"]
            and rest[1].value == "protobuf"
            and rest[3].value in ("Timestamp", "Duration")
        ):
            self.at += 4
            return Literal(node.start, rest[3].end, TypeValue(f"google.protobuf.{rest[3].value}"))
        return node

    def selector(self) -> Token:
        """SELECTOR: any name, even a reserved one, or a name in back-quotes."""
        token = self.take("name") or self.take("quoted")
        if token is None:
            raise self.unexpected("the name of a field")
        return token

    def primary(self, minus: Token | None) -> Node:
        """Primary = ["."] IDENT ["(" [ExprList] ")"] | "(" Expr ")" | list | map | LITERAL"""
        token = self.tokens[self.at]
        if token.kind == "value":
            self.at += 1
            return self.literal(token, minus)
        if token.kind == "." and self.tokens[self.at + 1].kind == "name":
            self.at += 1
            token = self.tokens[self.at]
        if token.kind == "name":
            self.at += 1
            if token.value in RESERVED:
                raise SyntaxProblem(
                    say("`{}` is a reserved word of the language.", token.value), token.start, token.end, say("Use another name.")
                )
            if self.tokens[self.at].kind == "(":
                return self.call(None, token)
            if self.tokens[self.at].kind == "{":
                raise SyntaxProblem(
                    say("Messages of a protocol are not part of this language."), token.start, token.end, say("Write a map: {'key': value}")
                )
            return Name(token.start, token.end, token.value)
        if token.kind == "(":
            self.at += 1
            node = self.expression()
            self.expect(")", "`)`", token.start)
            return node
        if token.kind == "[":
            return self.list_literal()
        if token.kind == "{":
            return self.map_literal()
        raise self.unexpected("a value")

    def literal(self, token: Token, minus: Token | None) -> Node:
        value = token.value
        if minus is not None:
            return Literal(minus.start, token.end, -value)
        if type(value) is int and value > INT64_MAX:
            raise SyntaxProblem(say("{} is outside the 64 bits of an integer.", value), token.start, token.end)
        return Literal(token.start, token.end, value)

    def list_literal(self) -> Node:
        """list = "[" [["?"] Expr {"," ["?"] Expr}] [","] "]\""""
        opened = self.expect("[", "`[`")
        items: list[Node] = []
        optional: list[bool] = []
        while not (closing := self.take("]")):
            optional.append(self.take("?") is not None)
            items.append(self.expression())
            if not self.take(","):
                closing = self.expect("]", "`,` or `]`", opened.start)
                break
        assert closing is not None
        return ListLiteral(opened.start, closing.end, tuple(items), tuple(optional))

    def map_literal(self) -> Node:
        """map = "{" [["?"] Expr ":" Expr {"," ["?"] Expr ":" Expr}] [","] "}\""""
        opened = self.expect("{", "`{`")
        keys: list[Node] = []
        values: list[Node] = []
        optional: list[bool] = []
        while not (closing := self.take("}")):
            optional.append(self.take("?") is not None)
            keys.append(self.expression())
            self.expect(":", "`:` after a key")
            values.append(self.expression())
            if not self.take(","):
                closing = self.expect("}", "`,` or `}`", opened.start)
                break
        assert closing is not None
        return MapLiteral(opened.start, closing.end, tuple(keys), tuple(values), tuple(optional))

    def call(self, target: Node | None, name: Token) -> Node:
        """`name(…)` or `target.name(…)`: a macro where the name is one, else a function."""
        opened = self.expect("(", "`(`")
        arguments: list[Node] = []
        while not (closing := self.take(")")):
            arguments.append(self.expression())
            if not self.take(","):
                closing = self.expect(")", "`,` or `)`", opened.start)
                break
        assert closing is not None
        start = target.start if target is not None else name.start
        function = name.value
        if target is None:
            if function == "has":
                return self.has(arguments, start, closing.end)
            return Call(start, closing.end, function, None, tuple(arguments), name.start)
        if isinstance(target, Name) and target.name in NAMESPACES:
            if (target.name, function) == ("cel", "bind"):
                return self.bind(arguments, start, closing.end)
            return Call(start, closing.end, f"{target.name}.{function}", None, tuple(arguments), start)
        if function in MACROS:
            return self.macro(function, target, arguments, start, closing.end)
        return Call(start, closing.end, function, target, tuple(arguments), name.start)

    def has(self, arguments: list[Node], start: int, end: int) -> Node:
        if len(arguments) != 1 or not isinstance(arguments[0], Select) or arguments[0].optional:
            raise SyntaxProblem(say("has() takes one field, as in has(gate.size)."), start, end)
        return Has(start, end, arguments[0].operand, arguments[0].field)

    def bind(self, arguments: list[Node], start: int, end: int) -> Node:
        if len(arguments) != 3 or not isinstance(arguments[0], Name):
            raise SyntaxProblem(say("cel.bind() takes a name, its value, and an expression that uses it."), start, end)
        return Macro(start, end, "bind", arguments[1], (arguments[0].name,), (arguments[2],))

    def macro(self, name: str, target: Node, arguments: list[Node], start: int, end: int) -> Node:
        variables, bodies = MACROS[name]
        for count in sorted(variables, reverse=True):
            if len(arguments) - count in bodies and all(isinstance(a, Name) for a in arguments[:count]):
                names = tuple(a.name for a in arguments[:count] if isinstance(a, Name))
                if len(set(names)) != len(names):
                    raise SyntaxProblem(say("The two variables of {}() have the same name.", name), start, end)
                return Macro(start, end, name, target, names, tuple(arguments[count:]))
        takes = listed((say("{} and {}", Counted(v, "variable"), Counted(b, "expression")) for v in variables for b in bodies), "or")
        raise SyntaxProblem(
            say("{}() takes {}.", name, takes), start, end, say("For example: stations.{}(s, …)", name) if 1 in variables else NOTHING
        )


def _dotted(node: Node) -> bool:
    return isinstance(node, Name) or (isinstance(node, Select) and not node.optional and _dotted(node.operand))
