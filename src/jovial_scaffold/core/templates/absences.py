"""Reading a resource that may be absent: an expression is evaluated as if it were, and only a read that is reached is a mistake."""

from collections.abc import Iterator, Mapping, Sequence
from itertools import islice
from typing import Any

from jovial_scaffold.core.expressions.checking import Checker, Path
from jovial_scaffold.core.expressions.errors import BudgetError, EvaluationError
from jovial_scaffold.core.expressions.loops import Locals
from jovial_scaffold.core.expressions.placeholders import Formula
from jovial_scaffold.core.expressions.scopes import Scope
from jovial_scaffold.core.expressions.syntax import Name, Node, Operation, children
from jovial_scaffold.core.expressions.values import Record
from jovial_scaffold.core.limits import STATIC_COMBINATIONS
from jovial_scaffold.core.templates.around import Around, is_held
from jovial_scaffold.core.templates.families import same_program
from jovial_scaffold.core.templates.knowledge import Assignment, Known, KnownScope
from jovial_scaffold.core.templates.mistakes import Place
from jovial_scaffold.core.templates.model import Condition, Dynamic, Resource, Template
from jovial_scaffold.core.templates.trials import Acceptance, literals
from jovial_scaffold.core.words import say

_ID = "resource-absent"


class _Absent(Record):
    """A resource whose `$when` is false."""

    __slots__ = ("name",)
    there = False

    def __init__(self, name: str) -> None:
        self.name = name

    def __repr__(self) -> str:
        return f"the absent resource `{self.name}`"

    def select(self, field: str) -> Any:
        """Always raises EvaluationError."""
        message = say("`{}` may be absent: its `$when` is not always true.", self.name)
        raise EvaluationError(message, hint=say("Write {}.?{}, which is empty then.", self.name, field), id=_ID)

    def has(self, field: str) -> Any:
        """Always False."""
        return False

    def whole(self) -> Any:
        """Always raises EvaluationError."""
        return self.select("name")


class Without(Checker):
    """Evaluates as if a resource were absent: then its `$when` is false wherever it stands, by itself or under a name."""

    def __init__(
        self, scope: Scope, assumed: dict[Path, Any] | None, resource: Resource, false: Sequence[Node], names: frozenset[str]
    ) -> None:
        super().__init__(scope, assumed)
        self.resource = resource
        self.false = false
        self.false_names = names

    def run(self, node: Node, names: Locals) -> Any:
        """A value; false for what says that the resource is there."""
        if any(_follows(node, each) for each in self.false):
            return False
        return super().run(node, names)

    def name(self, node: Name, names: Locals) -> Any:
        """A name; the resource is absent."""
        if node.name not in names:
            if node.name == self.resource.name:
                return _Absent(node.name)
            if node.name in self.false_names:
                return False
        return super().name(node, names)

    def reads(self, node: Node, variables: Mapping[str, Any]) -> tuple[EvaluationError, bool] | None:
        """The mistake of reading the resource, and whether it surely comes about; None where nothing reads it."""
        try:
            self.check(node, variables)
        except BudgetError:
            return None
        except EvaluationError as error:
            return (error, True) if error.id == _ID else None
        found = next((each for each in self.problems if each.id == _ID), None)
        return (found, False) if found is not None else None


Without.forms = {form: getattr(Without, method.__name__) for form, method in Checker.forms.items()}


class Absences:
    """What of one template may be absent, and what that means for the expressions that read it; `conditional` are the names of resources that
    may be."""

    def __init__(self, known: Known, conditional: frozenset[str], around: Around, acceptance: Acceptance) -> None:
        self._known = known
        self._template = known.template
        self.conditional = conditional
        self._around = around
        self._acceptance = acceptance
        #: what is false where a resource is absent
        self._false_where_absent: dict[str, tuple[list[Node], frozenset[str]]] = {}

    def are_there(self, formula: Formula, place: Place) -> bool:
        """Whether an expression reads resources that may be absent, and the condition of each is around it."""
        read = formula.program.names & self.conditional
        return bool(read) and all(self.is_there(self._template.resources[name], place) for name in read)

    def is_there(self, resource: Resource, place: Place) -> bool:
        """Whether a resource that may be absent is there at a place, since its condition holds there."""
        return place.there or any(same_program(each, resource.when) for each in place.conditions)

    def reads(self, formula: Formula, place: Place) -> Iterator[tuple[Resource, tuple[EvaluationError, bool, Assignment, dict[Path, Any]]]]:
        """Resources that may be absent, read where they are: with a witness where their `$when` can be false while this is there."""
        for name in sorted(formula.program.names & self.conditional):
            resource = self._template.resources[name]
            assert resource.when is not None and isinstance(resource.when.content, Formula)
            if self.is_there(resource, place) or all(each.optional for each in formula.program.reads if each.name == name):
                continue  # it is there wherever this is, or only asked for
            false, false_names = self._false_without(resource)
            around = (*place.conditions, resource.when)
            found: tuple[EvaluationError, bool, Assignment, dict[Path, Any]] | None = None
            choices = self._around.choices(formula, place._replace(conditions=around))
            for assignment, assumed in islice(choices.each(literals(formula, around)), STATIC_COMBINATIONS.most):
                scope = self._known.scope(assignment, assumed)
                there = self._known.truth(resource.when, scope, {}, assumed)
                if there is True:
                    continue
                checker = Without(scope, assumed, resource, false, false_names)
                variables = self._around.variables(place, scope, checker)
                if variables is None:
                    continue
                here = is_held(place, checker, variables)
                mistake = checker.reads(formula.node, variables) if here is not False else None
                if mistake is None or not self._acceptance.accepts(assignment, assumed):
                    continue
                error, certain = mistake
                sure = certain and here is True and there is False and not self._around.may_exclude_each_other(place, assignment)
                if found is None or (sure and not found[1]):
                    found = (error, sure, assignment, assumed)
                if sure:
                    break
            if found is not None:
                yield resource, found

    def is_never_beside(self, resource: Resource, formula: Formula, place: Place) -> bool:
        """Whether a resource is absent wherever an expression is evaluated that reads it."""
        assert resource.when is not None
        around = (*place.conditions, resource.when)
        choices = self._around.choices(formula, place._replace(conditions=around))
        if choices.count > STATIC_COMBINATIONS.most:
            return False
        for assignment, assumed in choices.each():
            scope = self._known.scope(assignment, assumed)
            checker = Checker(scope, assumed)
            variables = self._around.variables(place, scope, checker)
            if variables is None or (
                self._known.truth(resource.when, scope, {}, assumed) is not False and is_held(place, checker, variables) is not False
            ):
                return False
        return True

    def is_lost(self, formula: Formula, place: Place, scope: KnownScope, assumed: dict[Path, Any], variables: Mapping[str, Any]) -> bool:
        """Whether an expression surely reads a resource that is absent with these values: nothing else comes of it, then."""
        for name in formula.program.names & self.conditional if not place.there else ():
            resource = self._template.resources[name]
            assert resource.when is not None
            if not self.is_there(resource, place) and self._known.truth(resource.when, scope, {}, assumed) is False:
                read = Without(scope, assumed, resource, *self._false_without(resource)).reads(formula.node, variables)
                if read is not None and read[1]:
                    return True
        return False

    def _false_without(self, resource: Resource) -> tuple[list[Node], frozenset[str]]:
        """What is false where a resource is absent."""
        if resource.name not in self._false_where_absent:
            assert resource.when is not None
            self._false_where_absent[resource.name] = what_is_false(self._template, resource.when)
        return self._false_where_absent[resource.name]


def what_is_false(template: Template, when: Condition) -> tuple[list[Node], frozenset[str]]:
    """The expressions, and the named values, that are false where a condition is."""
    nodes = [when.content.node] if isinstance(when.content, Formula) else []
    names: set[str] = set()
    written = {
        name: each.value.content.node
        for name, each in template.values.items()
        if isinstance(each.value, Dynamic) and isinstance(each.value.content, Formula)
    }
    for node in nodes:  # a name stands for what it is
        if isinstance(node, Name) and node.name in written and node.name not in names:
            names.add(node.name)
            nodes.append(written[node.name])
    names |= {name for name, node in written.items() if any(_follows(node, each) for each in nodes)}
    return [node for node in nodes if not isinstance(node, Name)], frozenset(names)


def _follows(node: Node, false: Node) -> bool:
    """Whether an expression is false because another is: it is the same, or demands that and more."""
    if type(node) is not type(false):
        return False
    if isinstance(node, Operation) and isinstance(false, Operation) and node.operator == false.operator == "&&":
        demanded = list(_demands(node))
        return all(any(_alike(each, other) for other in demanded) for each in _demands(false))
    return _alike(node, false)


def _demands(node: Node) -> Iterator[Node]:
    """What must hold for an expression to be true."""
    if isinstance(node, Operation) and node.operator == "&&":
        for operand in node.operands:
            yield from _demands(operand)
    else:
        yield node


def _alike(one: Node, other: Node) -> bool:
    """Whether two expressions are the same, wherever they stand."""
    if type(one) is not type(other):
        return False
    for field in getattr(type(one), "__slots__", ()):
        ours, theirs = getattr(one, field), getattr(other, field)
        if field not in _PLACES and not _has_nodes(ours) and (type(ours) is not type(theirs) or ours != theirs):
            return False
    below, there = children(one), children(other)
    return len(below) == len(there) and all(map(_alike, below, there))


def _has_nodes(value: Any) -> bool:
    return isinstance(value, Node) or (isinstance(value, tuple) and any(isinstance(each, Node) for each in value))


_PLACES = frozenset(("start", "end", "at", "field_start", "name_start"))
