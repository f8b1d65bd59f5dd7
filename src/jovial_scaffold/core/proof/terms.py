"""What is left of a condition once all that is known has been put in, decided by the types of what it reads.

A residual is an expression of the language: it is evaluated with types in the place of symbols, and, where that is not enough, with ranges of
numbers cut at the constants that it compares with.
"""

import math
from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from jovial_scaffold.core.expressions.checking import NEVER_FAIL, Checker
from jovial_scaffold.core.expressions.errors import EvaluationError, SyntaxProblem
from jovial_scaffold.core.expressions.evaluation import Evaluator
from jovial_scaffold.core.expressions.loops import Locals
from jovial_scaffold.core.expressions.parser import parse
from jovial_scaffold.core.expressions.pending import Pending, holds_secret, shown
from jovial_scaffold.core.expressions.scopes import MapScope
from jovial_scaffold.core.expressions.syntax import Call, Index, Literal, Name, Node, Operation, Select, nodes
from jovial_scaffold.core.expressions.types import ANY, Abstract, Type, type_of_value
from jovial_scaffold.core.limits import INT64_MAX, INT64_MIN, PROOF_RANGES
from jovial_scaffold.core.proof.accepted import EVERYTHING, Part, Path, Symbols
from jovial_scaffold.core.records import replace, value_record
from jovial_scaffold.core.templates.fitting import Fitting, Piece, PropertyPlace

_SURE_CALLS = NEVER_FAIL | {"matches"}
_PARTS = ("startsWith", "endsWith", "contains")


@value_record
class Term:
    """A residual read as an expression, with the paths of the symbols in it."""

    node: Node
    paths: tuple[Path, ...]

    @property
    def is_bare(self) -> bool:
        """Whether it is a symbol as it is."""
        return len(self.paths) == 1 and all(isinstance(each, Select | Name | Index | Literal) for each in nodes(self.node))


def term_of(value: Pending, symbols: Symbols) -> Term | None:
    """A pending value as a term; None where it holds a secret, or what only the deployment knows."""
    paths = [symbols.path(each) for each in sorted(value.origins)]
    if value.template or holds_secret(value) or None in paths or not paths:
        return None
    try:
        return Term(parse(shown(value.segments)), tuple(each for each in paths if each is not None))
    except SyntaxProblem:
        return None


class _Prover(Checker):
    """Evaluates a residual with types; `is_sure` says that it has a value for all values of them, which none of its parts may fail for."""

    def __init__(self, names: dict[str, Any]) -> None:
        super().__init__(MapScope(names))
        self.unsure = False

    @property
    def is_sure(self) -> bool:
        """Whether it cannot fail."""
        return not (self.unsure or self.doubtful or self.lacking or self.problems)

    def index(self, node: Index, names: Locals) -> Any:
        held = self.run(node.operand, names)
        key = self.run(node.index, names)
        known = type_of_value(held)
        if isinstance(key, Abstract) or (type(key) is int and not (known.is_only("list") and 0 <= key < known.shortest)):
            self.unsure = self.unsure or not node.optional
        return super().index(node, names)

    def part(self, node: Node, known: Type, key: Any, optional: bool, at: tuple[int, int]) -> Any:
        field = (known.fields or {}).get(key) if known.is_only("map") else None
        self.unsure = self.unsure or not (optional or (field is not None and field.required))
        return super().part(node, known, key, optional, at)

    def operation(self, node: Operation, names: Locals) -> Any:
        if node.operator in ("==", "!=") and _same(*node.operands):
            self.run(node.operands[0], names)
            return node.operator == "=="
        result = super().operation(node, names)
        known = type_of_value(result)
        if node.operator in ("+", "-", "*", "/", "%") and known.may_be("int", "uint", "timestamp", "duration"):
            bounds = (known.low, known.high)
            is_small = all(each is not None and INT64_MIN <= each <= INT64_MAX for each in bounds) and known.is_only("int")
            self.unsure = self.unsure or not is_small
        return result

    def call(self, node: Call, names: Locals) -> Any:
        if node.function not in _SURE_CALLS:
            self.unsure = True
        if node.target is not None and node.function in _PARTS and len(node.arguments) == 1:
            whole, piece = _pieces(node.target), _pieces(node.arguments[0])
            at = {"startsWith": whole[: len(piece)], "endsWith": whole[-len(piece) :]}.get(node.function, [])
            is_there = len(at) == len(piece) and all(map(_same, at, piece))
            if is_there and all(type_of_value(self.run(each, names)).is_only("string") for each in (node.target, node.arguments[0])):
                return True
        return super().call(node, names)


_Prover.forms = {form: getattr(_Prover, method.__name__) for form, method in Evaluator.forms.items()}


def _pieces(node: Node) -> list[Node]:
    """What a text is joined of, as far as it is written with `+`; texts beside each other are told apart by letters."""
    found: list[Node] = []
    waiting = [node]
    while waiting:
        each = waiting.pop()
        if isinstance(each, Operation) and each.operator == "+" and len(each.operands) == 2:
            waiting += reversed(each.operands)
        elif isinstance(each, Call) and each.function == "string" and each.target is None and len(each.arguments) == 1:
            found.append(each)
        elif isinstance(each, Literal) and type(each.value) is str:
            found += [Literal(0, 0, letter) for letter in each.value]
        else:
            found.append(each)
    return found


_PLACES = frozenset(("start", "end", "at", "name_start", "field_start"))


def _same(a: Node, b: Node) -> bool:
    """Whether two expressions are written the same, wherever they stand: none gives another value each time."""
    waiting: list[tuple[Any, Any]] = [(a, b)]
    while waiting:
        one, other = waiting.pop()
        if type(one) is not type(other):
            return False
        if isinstance(one, Node):
            waiting += [(getattr(one, name), getattr(other, name)) for name in one.__match_args__ if name not in _PLACES]
        elif isinstance(one, tuple):
            if len(one) != len(other):
                return False
            waiting += zip(one, other, strict=True)
        elif repr(one) != repr(other):
            return False
    return True


@value_record
class Fit:
    """That what some terms and texts give, joined where they are several, fits a place of a schema."""

    pieces: tuple[Term | str, ...]
    symbols: Symbols
    fitting: Fitting
    place: PropertyPlace

    def truth(self, names: dict[str, Any]) -> tuple[Any, bool]:
        """True where every value fits, as far as types and letters tell; nothing is known of all others."""
        parts: list[str | Type | Piece] = []
        for piece in self.pieces:
            known = piece if isinstance(piece, str) else self._known(piece, names)
            if known is None:
                return None, False
            if len(self.pieces) == 1 and isinstance(known, Type):
                return (True, True) if self.fitting.is_certain(self.place, known) else (None, False)
            parts.append(known)
        return (True, True) if self.fitting.takes_joined(parts, self.place) else (None, False)

    def _known(self, term: Term, names: dict[str, Any]) -> Type | Piece | None:
        """What is known of the values of a term: the letters of a text, where its declaration says them, else its type. None where it may
        fail."""
        prover = _Prover(names)
        try:
            known = type_of_value(prover.check(term.node, {}))
        except EvaluationError:
            return None
        schema = self.symbols.schema(term.paths[0]) if term.is_bare and known.options is None else None
        letters = Piece.of_schema(schema, known) if schema is not None else None
        return (letters or known) if prover.is_sure else None


def fit_of(value: Pending, symbols: Symbols, fitting: Fitting, place: PropertyPlace) -> Fit | None:
    """That a pending value fits a place; None where it holds a secret, or what only the deployment knows."""
    pieces: list[Term | str] = []
    for piece in value.joined or (value,):
        term = term_of(piece, symbols) if isinstance(piece, Pending) else piece
        if not isinstance(term, Term | str):
            return None
        pieces.append(term)
    return Fit(tuple(pieces), symbols, fitting, place)


@value_record
class Value:
    """That a term has a value: that nothing it reads is missing."""

    term: Term

    def truth(self, names: dict[str, Any]) -> tuple[Any, bool]:
        """True where it has one, whatever its symbols are."""
        _, sure = _truth(self.term, names)
        return (True, True) if sure else (None, False)


@value_record
class Goal:
    """What has to be shown: that `require` holds wherever all `guards` do. A term, that something fits or has a value, or what it is known
    to be."""

    guards: tuple[Term, ...]
    require: Term | Fit | Value | bool

    @property
    def terms(self) -> tuple[Term, ...]:
        """What is not known in it."""
        own: tuple[Term | str, ...] = ()
        if isinstance(self.require, Fit):
            own = self.require.pieces
        elif isinstance(self.require, Value):
            own = (self.require.term,)
        elif isinstance(self.require, Term):
            own = (self.require,)
        return (*self.guards, *(each for each in own if isinstance(each, Term)))


Ranges = Mapping[Path, Type]
"""Types that say more than the declarations, by path."""


class Refuted:
    """Values within these ranges are said to break it, by what is known of types: to be confirmed."""

    def __init__(self, ranges: Ranges) -> None:
        self.ranges = ranges


def decided(goals: Sequence[Goal], limits: Sequence[Term], symbols: Symbols, part: Part) -> bool | Refuted | None:
    """True where all goals hold for all values of a part that meet the `limits`; refuted where one surely does not for some; None where types
    cannot tell."""
    waiting: list[dict[Path, Type]] = [{}]
    told: bool | None = True
    rounds = 0
    while waiting:
        rounds += 1
        ranges = waiting.pop()
        names = symbols.names(part, ranges)
        if any(_truth(each, names)[0] is False for each in limits):
            continue  # which no parameter set is in
        open_goals = []
        for goal in goals:
            held = _holds(goal, names)
            if held is False:
                return Refuted(ranges)
            if held is None:
                open_goals.append(goal)
        if not open_goals:
            continue
        cut = _cut(open_goals, symbols, ranges, part) if rounds < PROOF_RANGES.most else None
        if cut is None:
            told = None
        else:
            waiting += reversed(cut)  # small numbers first
    return told


def _holds(goal: Goal, names: dict[str, Any]) -> bool | None:
    guards = [_truth(each, names) for each in goal.guards]
    if any(held is False and sure for held, sure in guards):
        return True
    if isinstance(goal.require, bool):
        held, sure = goal.require, True
    else:
        held, sure = _truth(goal.require, names) if isinstance(goal.require, Term) else goal.require.truth(names)
    if held is True:
        return True if sure else None
    return False if held is False and all(each is True for each, _ in guards) else None


def _truth(term: Term, names: dict[str, Any]) -> tuple[Any, bool]:
    """What a term comes to as far as types tell, and whether it cannot fail."""
    prover = _Prover(names)
    try:
        value = prover.check(term.node, {})
    except EvaluationError:
        return None, False
    return (value if type(value) is bool else None), prover.is_sure


def _cut(goals: Iterable[Goal], symbols: Symbols, ranges: Ranges, part: Part) -> list[dict[Path, Type]] | None:
    """Ranges that make up one: of a number that an open goal reads, cut at a constant of it, else in the middle."""
    for goal in goals:
        constants = sorted({int(each) for each in constants_of(goal.terms) if type(each) in (int, float) and math.isfinite(each)})
        for path in dict.fromkeys(path for term in goal.terms for path in term.paths):
            known = ranges.get(path, symbols.type(path))
            if path in part.settled or not known.is_only("int"):
                continue
            for least, most in _cuts(known, constants):
                return [{**ranges, path: replace(known, options=_only(low, high), low=low, high=high)} for low, high in (least, most)]
    return None


Bounds = tuple[float | None, float | None]


def _cuts(known: Type, constants: Sequence[int]) -> Iterable[tuple[Bounds, Bounds]]:
    """The two halves of a range of integers, where it has more than one."""
    low, high = known.low, known.high
    at = [cut for each in constants for cut in (each - 1, each) if (low is None or low <= cut) and (high is None or cut < high)]
    if not at and low is not None and high is not None and high > low:
        at = [int(low + high) // 2]
    for cut in at[:1]:
        yield (low, cut), (cut + 1, high)


def _only(low: float | None, high: float | None) -> tuple[int, ...] | None:
    return (int(low),) if low is not None and low == high else None


def constants_of(terms: Iterable[Term]) -> list[Any]:
    """The constants that terms speak of."""
    return [each.value for term in terms for each in nodes(term.node) if isinstance(each, Literal)]


def type_of_term(term: Term, symbols: Symbols) -> Type:
    """What is known of a term, whatever the parameters are."""
    prover = _Prover(symbols.names(EVERYTHING, {}))
    try:
        return type_of_value(prover.check(term.node, {}))
    except EvaluationError:
        return ANY
