"""What is known around an expression: the variables of its loops, whether it is reached, and the values that it may read."""

from collections.abc import Mapping
from typing import Any

from jovial_scaffold.core.expressions.checking import Checker, Path
from jovial_scaffold.core.expressions.errors import BudgetError, EvaluationError
from jovial_scaffold.core.expressions.placeholders import Formula
from jovial_scaffold.core.expressions.syntax import Name, Node, Select
from jovial_scaffold.core.expressions.types import ANY, STRING, Abstract, Type, joined, settled, type_of_value
from jovial_scaffold.core.templates.knowledge import Assignment, Known, KnownScope
from jovial_scaffold.core.templates.mistakes import Place
from jovial_scaffold.core.templates.model import Condition, Constant
from jovial_scaffold.core.templates.trials import Choices, choices_of
from jovial_scaffold.core.text.unknown import UNKNOWN


class Around:
    """The same of one template. In the `first_round` of loops, positions of lists are 0."""

    def __init__(self, known: Known) -> None:
        self.known = known
        self.template = known.template
        self.first_round = False

    def choices(self, formula: Formula, place: Place) -> Choices:
        """The finite values that an expression, and the conditions around it, read."""
        found = [*formula.program.reads, *(each for condition in place.conditions for each in _condition_references(condition))]
        fields: dict[Path, tuple[Any, ...]] = {}
        for reference in found:
            options = self.field_options(reference.name, reference.path, place)
            if options:
                fields[reference.name, reference.path] = options
        return choices_of(self.known, names_read(formula, place), found, fields)

    def field_options(self, name: str, path: tuple[str | int, ...], place: Place) -> tuple[Any, ...]:
        """The possible values of `station.zone`, where the field is always there and they are few."""
        if not path:
            return ()
        known = self.known.parameter_types.get(name)
        for loop in place.loops:
            if name == loop.variables[-1]:
                over = loop.over.content
                chain = over.program.reads if isinstance(over, Formula) else []
                known = (
                    self.known.parameter_types.get(chain[0].name)
                    if len(chain) == 1 and not chain[0].path and chain[0].end == len(chain[0].name) + chain[0].start
                    else None
                )
                known = known.items if known is not None and known.is_only("list") else None
        for step in path:
            if (
                known is None
                or not known.is_only("map")
                or known.fields is None
                or step not in known.fields
                or not known.fields[str(step)].required
            ):
                return ()
            known = known.fields[str(step)].type
        return known.options or () if known is not None else ()

    def reached(self, place: Place, assignment: Assignment, assumed: dict[Path, Any]) -> bool | None:
        """Whether the conditions around a place hold: None where that is not known."""
        sure: bool | None = None if self.may_exclude_each_other(place, assignment) else True
        if not place.conditions:
            return sure
        scope = self.known.scope(assignment, assumed)
        for condition in place.conditions:
            checker = Checker(scope, assumed)
            variables = self.variables(place, scope, checker)
            held = self.known.truth(condition, scope, variables, assumed) if variables is not None else False
            if held is False:
                return False
            sure = sure if held is True else None
        return sure

    def _fails_filled(self, formula: Formula, scope: KnownScope, variables: dict[str, Any]) -> bool:
        """Whether what a loop goes over fails wherever the lists that it is made of hold anything: then no round comes of it."""
        checker = Checker(scope, scope.assumed)
        checker.filled = frozenset((*self.template.parameters, *variables))
        try:
            checker.check(formula.node, variables)
        except BudgetError:
            return False
        except EvaluationError:
            return True
        return False

    def may_exclude_each_other(self, place: Place, assignment: Assignment) -> bool:
        """Whether two loops around a place hang on one parameter of which nothing is assumed, so that where one has rounds, the other may
        have none."""
        if len(place.loops) < 2:
            return False
        variables = {name for loop in place.loops for name in loop.variables}
        hanging: dict[str, Formula] = {}
        for loop in place.loops:
            over = loop.over.content
            if isinstance(over, Formula):
                for name in self.known.closure([each for each in over.program.names if each not in variables]) - assignment.keys():
                    other = hanging.setdefault(name, over)
                    if other.program is not over.program and not (_is_plain(other.node) and _is_plain(over.node)):
                        return True
        return False

    def variables(self, place: Place, scope: KnownScope, checker: Checker) -> dict[str, Any] | None:
        """The loop variables at a place, as far as they are known; None where a loop has no rounds, or goes over what has a mistake of its own."""
        if not place.loops:
            return dict(place.names)
        found: dict[str, Any] = dict(place.names)
        for loop in place.loops:
            content = loop.over.content
            over = checker.maybe(content.node, found) if isinstance(content, Formula) else content.value
            if checker.problems:  # which are said where the loop stands
                checker.problems.clear()
                if isinstance(content, Formula) and self._fails_filled(content, scope, found):
                    return None
            known = ANY if over is UNKNOWN else type_of_value(over)
            if over is UNKNOWN or not known.may_be("list", "map") or (known.is_only("list", "map") and known.longest == 0):
                return None
            if type(over) is list and len(over) == 1 and len(loop.variables) == 1:
                found[loop.variables[0]] = over[0]
                continue
            item = (known.items or ANY) if known.is_only("list") else (STRING if known.is_only("map") else ANY)
            found[loop.variables[-1]] = settled(item)
            if len(loop.variables) == 2:
                first = Type(frozenset(("int",)), low=0) if known.is_only("list") else STRING if known.is_only("map") else ANY
                found[loop.variables[0]] = 0 if self.first_round and known.is_only("list") else Abstract(first)
                if known.is_only("map"):
                    entries = [entry.type for entry in (known.fields or {}).values()] + ([known.others] if known.others else [])
                    found[loop.variables[1]] = settled(joined(entries)) if entries and known.fields is not None else Abstract(ANY)
        return found


def _is_plain(node: Node) -> bool:
    """Whether an expression is a name, or a field below of one."""
    while isinstance(node, Select):
        node = node.operand
    return isinstance(node, Name)


def is_held(place: Place, checker: Checker, variables: Mapping[str, Any]) -> bool | None:
    """Whether the conditions around a place hold where a resource is absent: None where that is not known."""
    sure: bool | None = True
    for condition in place.conditions:
        if isinstance(condition.content, Constant):
            held = condition.content.value
        else:
            try:
                held = checker.check(condition.content.node, variables)
            except EvaluationError:
                held = None
        if held is False:
            return False
        sure = sure if held is True else None
    checker.problems.clear()
    return sure


def names_read(formula: Formula, place: Place) -> list[str]:
    """The names that an expression, the conditions around it and its loops read."""
    loop_variables = {name for loop in place.loops for name in loop.variables}
    found = [*formula.program.reads, *(each for condition in place.conditions for each in _condition_references(condition))]
    names = [each.name for each in found if each.name not in loop_variables]
    return names + [name for loop in place.loops for name in _condition_names(loop.over)]


def _condition_references(condition: Condition) -> list[Any]:
    return condition.content.program.reads if isinstance(condition.content, Formula) else []


def _condition_names(condition: Condition) -> list[str]:
    return [reference.name for reference in _condition_references(condition)]
