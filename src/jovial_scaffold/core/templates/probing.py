"""Expressions that read nothing but parameters of few values, tried with all of these by generated code.

Most are right, and of those nothing has to be said: what is wrong, or may be, is looked at the careful way. Expressions that differ in
constants only share their code, and the values that they are tried with.
"""

import ast
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

_FORMS = (Literal, Name, Operation, Conditional, Select, Index, Call, ListLiteral, MapLiteral)
_RESULTS = frozenset((str, int, bool))


class _Probe(NamedTuple):
    """What expressions of one shape are tried by: their code, which notes what comparisons with a constant turn out to be, what each has to
    be at least once (`!=` false, all others true), and the values of their names."""

    run: Any
    wanted: tuple[bool, ...]
    names: list[dict[str, Any]]


class Probes:
    """The trials of one template's expressions."""

    def __init__(self, known: Known) -> None:
        self._known = known
        self._made: dict[Shape, _Probe | None] = {}

    def clear(self) -> None:
        """Forget with which values expressions are tried: `must` allows others from now on."""
        self._made.clear()

    def results(self, formula: Formula) -> list[Any] | None:
        """What an expression gives for each combination of values. None where it fails for one, where a comparison turns out the same for
        all, or where only the careful way can tell."""
        program = formula.program
        if program.shape not in self._made:
            self._made[program.shape] = self._probe(formula)
        probe = self._made[program.shape]
        if probe is None:
            return None
        noted: list[set[bool]] = [set() for _ in probe.wanted]
        run, constants = probe.run, program.constants
        try:
            results = [run(names, noted, constants) for names in probe.names]
        except RecursionError:
            raise
        except Exception:  # whatever it is
            return None
        for turned_out, wanted in zip(noted, probe.wanted, strict=True):
            if turned_out and wanted not in turned_out:
                return None
        return results if _RESULTS.issuperset(map(type, results)) else None

    def _probe(self, formula: Formula) -> _Probe | None:
        program = formula.program
        node = program.shape.node
        if not program.is_simple or not _is_plain(node):
            return None
        names = self._values(formula)
        writer = _Noting(node)
        try:
            body = writer.composed(node, program.shape.holes)[0] if names else None
        except Unsupported:
            return None
        if body is None:
            return None
        tree = ast.Expression(ast.Lambda(args=parameters("names", "noted", "constants"), body=body))
        run = compiled_code(tree, "eval", writer.constants)
        return _Probe(run, tuple(writer.wanted), names) if run else None

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
