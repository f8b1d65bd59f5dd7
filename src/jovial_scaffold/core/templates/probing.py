"""Expressions that read nothing but parameters of few values, tried with all of these by generated code.

Most are right, and of those nothing has to be said: what is wrong, or may be, is looked at the careful way. Expressions that differ in
constants only share their code, and the values that they are tried with. Of integers between bounds, the two bounds are tried, which is
enough for a condition that cannot fail and is true for one of them and false for the other.
"""

import ast
import math
from collections.abc import Mapping
from itertools import product
from typing import Any, NamedTuple

from jovial_scaffold.core.code import called, compiled_code, loaded, parameters
from jovial_scaffold.core.expressions.checking import COMPARING
from jovial_scaffold.core.expressions.generation import Unsupported, Writer
from jovial_scaffold.core.expressions.placeholders import Formula
from jovial_scaffold.core.expressions.shapes import Shape
from jovial_scaffold.core.expressions.syntax import (
    Call,
    Conditional,
    Index,
    ListLiteral,
    Literal,
    MapLiteral,
    Name,
    Node,
    Operation,
    Select,
    children,
)
from jovial_scaffold.core.expressions.types import has_abstract
from jovial_scaffold.core.limits import STATIC_COMBINATIONS
from jovial_scaffold.core.templates.knowledge import Known
from jovial_scaffold.core.templates.trials import choices_of
from jovial_scaffold.core.text.unknown import UNKNOWN

FEW = 3  # expressions of a shape of which it is not worth while to make code
_SMALL = 2**20  # integers of which sums of products are far from what is too large
_KINDS = {str: "string", int: "int", bool: "bool"}
_FORMS = (Literal, Name, Operation, Conditional, Select, Index, Call, ListLiteral, MapLiteral)
_RESULTS = frozenset((str, int, bool))


class _Probe(NamedTuple):
    """What expressions of one shape are tried by: their code, which notes what comparisons with a constant turn out to be, what each has to
    be at least once (`!=` false, all others true), and the values of their names; `is_sample` says that those are not all."""

    run: Any
    wanted: tuple[bool, ...]
    names: list[dict[str, Any]]
    is_sample: bool


class Probes:
    """The trials of one template's expressions."""

    def __init__(self, known: Known) -> None:
        self._known = known
        self._made: dict[Shape, _Probe | None] = {}
        self._tries: dict[Shape, int] = {}

    def clear(self) -> None:
        """Forget with which values expressions are tried: `must` allows others from now on."""
        self._made.clear()

    def results(self, formula: Formula) -> list[Any] | None:
        """What an expression gives for each combination of values, of a condition true and false where it may be both. None where it fails
        for one, where a comparison turns out the same for all, or where only the careful way can tell."""
        probe = self._of(formula)
        if probe is None:
            return None
        noted: list[set[bool]] = [set() for _ in probe.wanted]
        results = _tried(probe, formula, noted)
        for turned_out, wanted in zip(noted, probe.wanted, strict=True):
            if turned_out and wanted not in turned_out:
                return None
        if probe.is_sample and not (True in results and False in results):
            return None
        return results if results and _RESULTS.issuperset(map(type, results)) else None

    def can_hold(self, formula: Formula) -> bool:
        """Whether a condition is true for values that were tried, however few conditions there are."""
        probe = self._made_of(formula)
        return probe is not None and True in _tried(probe, formula, [set() for _ in probe.wanted])

    def _of(self, formula: Formula) -> _Probe | None:
        shape = formula.program.shape
        if shape not in self._made:
            self._tries[shape] = self._tries.get(shape, 0) + 1
            if self._tries[shape] <= FEW:
                return None
        return self._made_of(formula)

    def _made_of(self, formula: Formula) -> _Probe | None:
        shape = formula.program.shape
        if shape not in self._made:
            self._made[shape] = self._probe(formula)
        return self._made[shape]

    def _probe(self, formula: Formula) -> _Probe | None:
        program = formula.program
        node = program.shape.node
        if not program.is_simple or not _is_plain(node):
            return None
        names = self._values(formula)
        is_sample = not names
        if is_sample:
            names = self._samples(formula)
        writer = _Noting(node)
        try:
            body = writer.composed(node, program.shape.holes)[0] if names else None
        except Unsupported:
            return None
        if body is None:
            return None
        tree = ast.Expression(ast.Lambda(args=parameters("names", "noted", "constants"), body=body))
        run = compiled_code(tree, "eval", writer.constants)
        return _Probe(run, tuple(writer.wanted), names, is_sample) if run else None

    def _values(self, formula: Formula) -> list[dict[str, Any]]:
        """All that the names may be together; nothing where that is not known, or too much."""
        known = self._known
        reads = formula.program.reads
        names = {each.name for each in reads}
        if not names <= known.finite.keys() | known.template.values.keys():
            return []
        choices = choices_of(known, sorted(names), reads, {})
        if choices.count > STATIC_COMBINATIONS.most or choices.contexts != [{}]:
            return []
        found = []
        for assignment, assumed in choices.each():
            scope = known.scope(assignment, assumed)
            values = {name: scope.value(name) for name in names}
            if any(value is UNKNOWN or has_abstract(value) for value in values.values()):
                return []
            found.append(values)
        return found

    def _samples(self, formula: Formula) -> list[dict[str, Any]]:
        """Some of what the names of a condition may be together, where it cannot fail: all that have few values, and integers at their
        bounds."""
        options: dict[str, tuple[Any, ...]] = {}
        for each in formula.program.reads:
            known = self._known.parameter_types.get(each.name)
            if known is None or each.path or each.name in self._known.requirements:
                return []
            values = known.options
            if values is None and known.is_only("int") and known.low is not None and known.high is not None:
                values = (int(known.low), int(known.high))
            if values is None or not all(type(value) is not int or abs(value) <= _SMALL for value in values):
                return []
            options[each.name] = values
        if math.prod(map(len, options.values())) > STATIC_COMBINATIONS.most or _kind(formula.program.shape.node, options) != "bool":
            return []
        return [dict(zip(options, values, strict=True)) for values in product(*options.values())]


def _tried(probe: _Probe, formula: Formula, noted: list[set[bool]]) -> list[Any]:
    """What an expression gives; nothing where it fails for some values."""
    run, constants = probe.run, formula.program.constants
    if probe.is_sample and any(type(each) is int and abs(each) > _SMALL for each in constants):
        return []
    try:
        return [run(names, noted, constants) for names in probe.names]
    except RecursionError:
        raise
    except Exception:  # whatever it is
        return []


def _kind(node: Node, options: Mapping[str, tuple[Any, ...]]) -> str:
    """What kind of value an expression surely gives, whatever small integers stand in it; nothing where it may fail."""
    if isinstance(node, Literal):
        is_large = type(node.value) is int and abs(node.value) > _SMALL
        return "" if is_large else _KINDS.get(type(node.value), "")
    if isinstance(node, Name):
        kinds = {_KINDS.get(type(each), "") for each in options[node.name]}
        return kinds.pop() if len(kinds) == 1 else ""
    if not isinstance(node, Operation):
        return ""
    kinds = {_kind(each, options) for each in node.operands}
    kind = kinds.pop() if len(kinds) == 1 else ""
    if node.operator in ("&&", "||", "!"):
        return "bool" if kind == "bool" else ""
    if node.operator in COMPARING:
        return "bool" if kind else ""
    if kind != "int" or node.operator not in ("+", "-", "*") or len(node.operands) != 2:
        return ""
    # One product of two small integers is far from what is too large; more of them are looked at the careful way.
    return "int" if node.operator != "*" or not any(isinstance(each, Operation) for each in node.operands) else ""


class _Noting(Writer):
    """Writes code that notes what comparisons with a constant turn out to be."""

    def __init__(self, whole: Node) -> None:
        super().__init__(frozenset())
        self.wanted: list[bool] = []
        self._whole = whole

    def write(self, node: Node, bound: dict[str, str]) -> tuple[ast.expr, str]:
        written, kind = super().write(node, bound)
        if self._is_noted(node):
            self.wanted.append(getattr(node, "operator", "") != "!=")
            written = called(self.constant(_note), loaded("noted"), ast.Constant(len(self.wanted) - 1), written)
        return written, kind

    def _is_noted(self, node: Node) -> bool:
        """Whether something would be said of a comparison that always turns out the same; of a whole expression, its results say it."""
        if not isinstance(node, Operation) or node.operator not in COMPARING or (node is self._whole and node.operator not in ("==", "!=")):
            return False
        return sum(isinstance(each, Literal) for each in node.operands) == 1


def _note(noted: list[set[bool]], index: int, turned_out: bool) -> bool:
    noted[index].add(turned_out)
    return turned_out


def _is_plain(node: Node) -> bool:
    """Whether there is nothing in it that is looked at in another way than by evaluating it."""
    waiting = [node]
    while waiting:
        current = waiting.pop()
        if type(current) not in _FORMS or (isinstance(current, Operation) and current.operator == "in"):
            return False
        if isinstance(current, Select | Index) and current.optional:
            return False
        waiting += children(current)
    return True
