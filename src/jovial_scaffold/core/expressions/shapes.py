"""What expressions have in common that differ in integers, texts and names of resources only: parsed and turned into code once.

The nodes of a shape are those of the expression that was met first; a hole is where another one has a constant of its own. `holes` are
the offsets of those nodes: a literal or a name, which alone begins there.
"""

from collections.abc import Collection, Iterator, Mapping
from typing import Any

from jovial_scaffold.core.expressions.generation import Generated, generate
from jovial_scaffold.core.expressions.parser import NAMESPACES, parse
from jovial_scaffold.core.expressions.references import Facts, facts
from jovial_scaffold.core.expressions.syntax import Literal, Name, Node, Select, children
from jovial_scaffold.core.expressions.tokens import KEYWORDS, RESERVED
from jovial_scaffold.core.limits import EXPRESSION_LENGTH
from jovial_scaffold.core.regexes import regex

Constants = tuple[Any, ...]

# Integers that stand by themselves and have one spelling, texts without escapes, and names that no function has.
_TOKENS = regex(
    r"""(?P<text>\w?(?:"[^"\n\r]*"|'[^'\n\r]*'))|(?<![\w.])(?:(?P<integer>0|[1-9][0-9]{0,8})(?![\w.])|(?P<name>[a-z_][a-z0-9_]*)(?!\s*\(|['"]))"""
)
SHARED = True  #: whether anything is shared: without it, each expression is read for itself
_LEFT_ALONE = frozenset((*KEYWORDS, *RESERVED, *NAMESPACES, "google"))


class Shape:
    """A syntax tree with holes, and the code that was made of it."""

    __slots__ = ("_facts", "_generated", "_reading", "count", "fast", "holes", "node", "variables")

    def __init__(self, node: Node, holes: Mapping[int, int] | None = None) -> None:
        self.node = node
        #: which constant stands where, by the offset of its node
        self.holes = holes or {}
        #: how often an expression of this shape was evaluated before there was code
        self.count = 0
        #: the code, once there is some, for places where `variables` are variables
        self.fast: Generated | None = None
        self.variables: frozenset[str] = frozenset()
        self._generated: dict[frozenset[str], Generated | None] = {}
        self._facts: Facts | None = None
        self._reading: list[tuple[str | int, str]] | None = None

    @property
    def facts(self) -> Facts:
        """What one walk over it finds, found once."""
        if self._facts is None:
            self._facts = facts(self.node)
        return self._facts

    def generate(self, variables: Mapping[str, Any]) -> Generated | None:
        """Code for places where these names are variables: which ones are is written into it."""
        names = frozenset(variables)
        if names not in self._generated:
            self._generated[names] = generate(self.node, names, self.holes)
        self.fast, self.variables = self._generated[names], names
        return self.fast

    @property
    def reading(self) -> list[tuple[str | int, str]]:
        """Each name that expressions of this shape read, or which of their constants it is, with the first field read from it, or nothing."""
        if self._reading is None:
            reads = self.facts.reads
            self._reading = [(self.holes.get(each.start, each.name), str(each.path[0]) if each.path else "") for each in reads]
        return self._reading

    @property
    def only_read(self) -> tuple[str | int, str] | None:
        """The name, or which of the constants it is, and the field, of expressions that do nothing but read a field of a name."""
        node = self.node
        return self.reading[0] if isinstance(node, Select) and not node.optional and isinstance(node.operand, Name) else None

    def steps(self, constants: Constants) -> frozenset[tuple[str, str]]:
        """Each name that an expression of this shape reads, with the first field read from it, or nothing."""
        if not self.holes:
            return self.facts.steps
        return frozenset([(constants[name] if isinstance(name, int) else name, field) for name, field in self.reading])

    def names(self, constants: Constants) -> frozenset[str]:
        """The names that an expression of this shape reads."""
        return frozenset([name for name, _ in self.steps(constants)]) if self.holes else self.facts.names


class Shapes:
    """The shapes of one template's expressions."""

    def __init__(self) -> None:
        #: the names of resources that may be constants
        self.resources: frozenset[str] = frozenset()
        self._known: dict[str, Shape | None] = {}

    def know(self, resources: Collection[str]) -> None:
        """Say which names resources have, before the first expression."""
        self.resources = frozenset(resources) - _LEFT_ALONE

    def of(self, text: str) -> tuple[Shape, Constants]:
        """The shape of an expression, and its constants. Raises SyntaxProblem."""
        found = list(constants_in(text, self.resources)) if _may_have_holes(text) else []
        # What stands before a quote makes another kind of text of it; then nothing is shared.
        if not found or any(kind == "text" and text[start] not in "\"'" for kind, start, _ in found):
            return Shape(parse(text)), ()
        pieces: list[str] = []
        last = 0
        constants: list[Any] = []
        for kind, start, end in found:
            pieces += (text[last:start], kind)
            constants.append(
                text[start + 1 : end - 1] if kind == "text" else int(text[start:end]) if kind == "integer" else text[start:end]
            )
            last = end
        key = "\0".join((*pieces, text[last:]))
        at = [start for _, start, _ in found]
        if key not in self._known:
            node = parse(text)
            are_holes = _are_holes(node, dict(zip(at, constants, strict=True)))
            self._known[key] = shape = Shape(node, {start: index for index, start in enumerate(at)}) if are_holes else None
            return (shape, tuple(constants)) if shape is not None else (Shape(node), ())
        shape = self._known[key]
        return (shape, tuple(constants)) if shape is not None else (Shape(parse(text)), ())


def constants_in(text: str, resources: Collection[str]) -> Iterator[tuple[str, int, int]]:
    """What may be constants of an expression: "integer", "text" with its quotes, or "name" of a resource, and where each begins and ends."""
    for found in _TOKENS.finditer(text):
        kind = str(found.lastgroup)
        if kind != "name" or found.group() in resources:
            yield kind, found.start(), found.end()


def _may_have_holes(text: str) -> bool:
    return (
        SHARED
        and len(text) <= EXPRESSION_LENGTH.most
        and "\\" not in text
        and "`" not in text
        and "//" not in text
        and '""' not in text
        and "''" not in text
    )


def _are_holes(node: Node, wanted: dict[int, Any]) -> bool:
    """Whether each constant that was seen in the text is a node by itself, and a name that no macro binds."""
    free = {each.start for each in facts(node).reads}
    found: dict[int, Any] = {}
    stack = [node]
    while stack:
        current = stack.pop()
        if isinstance(current, Literal):
            found[current.start] = current.value
        elif isinstance(current, Name) and current.start in free:
            found[current.start] = current.name
        stack.extend(children(current))
    return all(at in found and type(found[at]) is type(value) and found[at] == value for at, value in wanted.items())
