"""Resources of one shape before any environment: what cannot be wrong in any of them is found out once.

One of them is looked at as always. Where its expressions read the same as those of the others, so are those; where they differ in integers,
one look with all those integers at once is a proof, if every result that is possible fits. What is not proved is looked at one by one.
"""

from collections.abc import Callable, Iterator, Sequence
from typing import Any

from jovial_scaffold.core.expressions.checking import Checker, Path
from jovial_scaffold.core.expressions.errors import EvaluationError
from jovial_scaffold.core.expressions.loops import Locals
from jovial_scaffold.core.expressions.placeholders import Formula, Joined
from jovial_scaffold.core.expressions.program import Program
from jovial_scaffold.core.expressions.scopes import Scope
from jovial_scaffold.core.expressions.syntax import Call, Conditional, Literal, Name, Node, Operation, Select, children
from jovial_scaffold.core.expressions.types import Abstract, Type, has_abstract, type_of_value, type_of_values
from jovial_scaffold.core.limits import FEW_COMBINATIONS
from jovial_scaffold.core.templates.fitting import Fitting, PropertyPlace
from jovial_scaffold.core.templates.joined_texts import JoinedTexts
from jovial_scaffold.core.templates.knowledge import Known
from jovial_scaffold.core.templates.members import (
    Constants,
    Members,
    ResourceKind,
    constants_of_condition,
    count,
    kind_of,
    properties_of,
    steps_of,
)
from jovial_scaffold.core.templates.mistakes import ELSEWHERE
from jovial_scaffold.core.templates.model import Compiled, Condition, Constant, Dynamic, Resource
from jovial_scaffold.core.templates.trials import choices_of

_BOUND = 2**62  # integers beyond it may be too large once something is done with them
_OF_ANY = {"string": 0, "slug": 0, "carve": 2}  # functions, each with the argument of which the value does not matter, as far as types tell
_ARITHMETIC = frozenset(("+", "-", "*", "%"))


class Families:
    """The families of one template: resources of one type and shape, without loops. `looked_at` looks at a property of one of them, and says
    whether nothing was found; what it is told last is whether every resource that they read is there."""

    def __init__(
        self,
        known: Known,
        fitting: Fitting,
        texts: JoinedTexts,
        conditional: frozenset[str],
        looked_at: Callable[[Resource, str, Compiled, bool], bool],
    ) -> None:
        self._known = known
        self._fitting = fitting
        self._texts = texts
        self._conditional = conditional
        self._looked_at = looked_at
        self._members = Members(known.template.resources.values())
        self._quiet: dict[ResourceKind, frozenset[str]] = {}

    def quiet(self, resource: Resource) -> frozenset[str]:
        """The properties of a resource of which it is proved that no expression in them is wrong."""
        members = self._members.of(resource)
        if not members:
            return frozenset()
        key = kind_of(resource)
        if key not in self._quiet:
            self._quiet[key] = frozenset(self._found(members))
        return self._quiet[key]

    def _found(self, members: list[Resource]) -> Iterator[str]:
        first, kind = members[0], members[0].type
        assert kind is not None
        there = all(map(self._reads_what_is_there, members))
        for name, compiled, constants in properties_of(members):
            place = self._fitting.place(kind, name)
            if self._looked_at(first, name, compiled, there) and self._are_alike(compiled, place, constants, there):
                yield name

    def _reads_what_is_there(self, member: Resource) -> bool:
        """Whether each resource that one of them reads is there wherever that is, since they have the same condition."""
        read = {*member.shape.reads, *(member.constants[index] for index, _ in member.shape.holes)} & self._conditional
        return all(same_program(member.when, self._known.template.resources[name].when) for name in read)

    def _are_alike(self, compiled: Compiled, place: PropertyPlace, constants: Constants, there: bool) -> bool:
        """Whether nothing is wrong with a part of all members, as nothing is with that of one; `constants` are those of the part."""
        if isinstance(compiled, Constant):
            return True  # which is judged with the whole
        if isinstance(compiled, Dynamic):
            content = compiled.content
            if isinstance(content, Joined):
                return self._is_joined_well(content, place, constants, there)
            return isinstance(content, Formula) and self._is_sound(content, place, "", constants, there)
        at = 0
        for step, item in steps_of(compiled):
            below = PropertyPlace(place.schema, place.type_id, (*place.pointer, step))
            own = constants_of_condition(item)
            if len({each[at : at + own] for each in constants} if own else ()) > 1:
                return False
            inside = at + own
            at += count(item)
            if not self._are_alike(item, below, [each[inside:at] for each in constants], there):
                return False
        return True

    # -- expressions

    def _is_sound(self, formula: Formula, place: PropertyPlace, role: str, constants: Constants, there: bool) -> bool:
        """Whether no expression of a shape, with each of these constants, can be wrong where one is not."""
        different = set(constants)
        if len(different) == 1:
            return True
        if self._read_alike(formula, different, there):
            return True
        program = formula.program
        if not there and not self._conditional.isdisjoint(name for each in different for name in program.shape.names(each)):
            return False  # what is read may be absent
        columns = list(zip(*different, strict=True))
        choices = choices_of(self._known, [each.name for each in program.reads], program.reads, {})
        trials = choices.each() if choices.count <= FEW_COMBINATIONS.most else [({}, {})]
        for assignment, assumed in trials:
            scope = self._known.scope(assignment, assumed)
            prover = _Prover(scope, assumed, program, columns)
            try:
                known = type_of_value(prover.prove(program.shape.node))
                fits = (
                    known.is_only("string", "bool", "int", "double", "uint") if role == "text" else self._fitting.is_certain(place, known)
                )
            except (EvaluationError, _NotProved):
                return False
            if not fits and not prover.gives_alike(program.shape.node):  # else all are as right as one, with which nothing is wrong
                return False
        return True

    def _read_alike(self, formula: Formula, different: set[tuple[Any, ...]], there: bool) -> bool:
        """Whether expressions read the same field of resources that are alike."""
        node = formula.node
        if not (isinstance(node, Select) and not node.optional and isinstance(node.operand, Name) and len(next(iter(different))) == 1):
            return False
        alike = {self.field_of(str(name), node.field, there) for (name,) in different}
        return len(alike) == 1 and None not in alike

    def field_of(self, name: str, field: str, there: bool) -> tuple[str, str, bool] | None:
        """What tells fields of resources apart: the type, the name, and whether it is written; None of what may be absent, unless it is known
        to be `there`, and of what is many."""
        resource = self._known.template.resources.get(name)
        if resource is None or resource.type is None or resource.loop or (resource.when and not there) or resource.module:
            return None
        return (resource.type.id, field, field in resource.shape.names)

    # -- joined texts

    def _is_joined_well(self, content: Joined, place: PropertyPlace, constants: Constants, there: bool) -> bool:
        texts: list[list[str]] = []
        at = 0
        for part in content.parts:
            if isinstance(part, str):
                texts.append([each[at] for each in constants])
                at += 1
            else:
                count = len(part.program.constants)
                if not self._is_sound(part, ELSEWHERE, "text", [each[at : at + count] for each in constants], there):
                    return False
                at += count
        if len(set(constants)) == 1 or place.schema is None:
            return True
        literal = [dict.fromkeys(each) for each in texts]
        if any(self._fitting.never([text], place) is not None for each in literal for text in each):
            return False
        return self._texts.all_fit(content, list(zip(*texts, strict=True)), place)


def same_program(one: Condition | None, other: Condition | None) -> bool:
    """Whether two conditions are the same expression."""
    first, second = (each.content if each is not None else None for each in (one, other))
    return isinstance(first, Formula) and isinstance(second, Formula) and first.program is second.program


class _NotProved(Exception):
    """There is no proof this way."""


class _Prover(Checker):
    """Evaluates an expression of a shape with all the integers at once that differ: what may be too large for one of them is no proof.

    `columns` are the values of each of its constants.
    """

    def __init__(self, scope: Scope, assumed: dict[Path, Any], program: Program, columns: Sequence[Sequence[Any]]) -> None:
        super().__init__(scope, assumed)
        self.holes = program.shape.holes
        self.columns = columns

    def prove(self, node: Node) -> Any:
        """What is known of the result. Raises _NotProved, or EvaluationError."""
        if not self.is_simple(node):
            raise _NotProved
        result = self.check(node, {})
        if self.problems or self.never_there or self.doubtful or not has_abstract(result):
            raise _NotProved  # a result without marks is rare where integers differ
        return result

    def is_simple(self, node: Node) -> bool:
        """Whether a part is the same in all of them, or of a form of which the types say all."""
        if not self.differs(node):
            return True
        form = (
            isinstance(node, Literal | Name)
            or (isinstance(node, Select) and not node.optional)
            or (isinstance(node, Operation) and node.operator in _ARITHMETIC)
            or (isinstance(node, Call) and node.target is None and self.takes_any(node))
            or (isinstance(node, Conditional) and not self.differs(node.condition))
        )
        return form and all(map(self.is_simple, children(node)))

    def takes_any(self, node: Call) -> bool:
        """Whether of the arguments that differ, only the types say whether a function fails, and what it gives."""
        return all(index == _OF_ANY.get(node.function) for index, each in enumerate(node.arguments) if self.differs(each))

    def gives_alike(self, node: Node) -> bool:
        """Whether as much is known of what each of them gives: what differs stands where it does not matter."""
        if not self.differs(node) or (isinstance(node, Call) and node.function != "string" and self.takes_any(node)):
            return True
        parts = children(node)
        return bool(parts) and all(map(self.gives_alike, parts))

    def differs(self, node: Node) -> bool:
        """Whether a part is not the same in all of them."""
        index = self.holes.get(node.start) if isinstance(node, Literal | Name) else None
        return (index is not None and len(set(self.columns[index])) > 1) or any(map(self.differs, children(node)))

    def literal(self, node: Literal, names: Locals) -> Any:
        index = self.holes.get(node.start)
        if index is None:
            return node.value
        values = dict.fromkeys(self.columns[index])
        if len(values) == 1:
            return self.columns[index][0]
        if len(set(map(type, values))) > 1 or type(node.value) not in (int, str):
            raise _NotProved
        return Abstract(type_of_values([*values]))

    def name(self, node: Name, names: Locals) -> Any:
        index = self.holes.get(node.start)
        if index is None:
            return super().name(node, names)
        found = [super(_Prover, self).name(Name(node.start, node.end, each), names) for each in dict.fromkeys(self.columns[index])]
        types = [each.type if isinstance(each, Abstract) else None for each in found]
        if types[0] is None or any(each is not types[0] for each in types):
            raise _NotProved
        return found[0]

    def typed_operation(self, node: Operation, operands: list[Any]) -> Any:
        result = super().typed_operation(node, operands)
        if node.operator in _ARITHMETIC:
            known, last = type_of_value(result), type_of_value(operands[-1])
            if node.operator == "+" and known.is_only("string"):
                return result
            divides = node.operator == "%"
            if not known.is_only("int") or not _is_within(known, -_BOUND, _BOUND) or (divides and not _is_within(last, 1, _BOUND)):
                raise _NotProved
        return result


_Prover.forms = {form: getattr(_Prover, method.__name__) for form, method in Checker.forms.items()}


def _is_within(known: Type, low: int, high: int) -> bool:
    return known.low is not None and known.high is not None and low <= known.low and known.high <= high
