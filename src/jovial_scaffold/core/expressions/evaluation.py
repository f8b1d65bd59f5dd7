"""A syntax tree and a scope to a value: the careful evaluator, which knows marks, budgets and the place of every error.

Pending, secret and unknown operands are taken off before an operator or function runs and decide what becomes of its
result; `&&`, `||`, `?:`, `all` and `exists` may decide without them (CEL language definition, "Logical Operators").

It is long because each form of the language has its method here; the table of operators and functions is elsewhere.
"""

import sys
from collections.abc import Callable, Iterable
from typing import Any, ClassVar

from jovial_scaffold.core.expressions import operators, residuals
from jovial_scaffold.core.expressions.errors import BudgetError, EvaluationError, StepsError
from jovial_scaffold.core.expressions.functions import FUNCTIONS, call
from jovial_scaffold.core.expressions.loops import Locals, Loops, is_pending, not_boolean, placed
from jovial_scaffold.core.expressions.parts import dotted_name, field_of, has_field, has_part, item_of, part_tests
from jovial_scaffold.core.expressions.pending import MarkMet, Pending
from jovial_scaffold.core.expressions.scopes import Scope
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
from jovial_scaffold.core.expressions.values import (
    NONE,
    Optional,
    Record,
    Secret,
    TypeValue,
    deep_marks,
    map_key,
    revealed,
)
from jovial_scaffold.core.limits import EVALUATION_STEPS
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.words import Amount, Value, nearest, say

_SIMPLE = frozenset((str, int, bool, float, type(None)))
_USUAL_DEPTH = 1_000  # calls inside of calls that Python allows where nobody asked for more
_CHEAP = EVALUATION_STEPS.most - 1_000  # steps that are left of an evaluation that need not be counted for the run
_STEP = 4  # rounds of generated code that take as long as a step here
_OWN_CALL_COST = 20  # steps that a call of a function of the template counts
_LOOKED_THROUGH = 16  # items of a list that count as one step where a function or `in` goes through them
_TYPES = frozenset(("int", "uint", "double", "string", "bytes", "bool", "list", "map", "null_type", "type", "optional_type"))


def evaluate(node: Node, scope: Scope, variables: Locals | None = None) -> Any:
    """The value of an expression. Raises EvaluationError with the offsets of the sub-expression that has none."""
    evaluator = Evaluator(scope)
    try:
        return evaluator.run(node, variables or {})
    except RecursionError:
        if sys.getrecursionlimit() > _USUAL_DEPTH:
            raise  # whoever gave more room gives more still
        message = say("The expression or its value is nested too deep to be evaluated.")
        raise BudgetError(message, hint=say("Name a part of it under `let`.")) from None
    finally:
        meter = getattr(scope, "meter", None)
        if meter is not None and evaluator.steps < _CHEAP:
            meter.spend((EVALUATION_STEPS.most - evaluator.steps) * _STEP)


class Evaluator(Loops):
    """One evaluation: the scope, and the steps that are left. `forms` says which method runs which form of the tree."""

    forms: ClassVar[dict[type, Callable[[Any, Any, Locals], Any]]] = {}

    def __init__(self, scope: Scope) -> None:
        super().__init__()
        self.scope = scope
        self.steps = EVALUATION_STEPS.most
        self.dotted: frozenset[str] = getattr(scope, "dotted", frozenset())

    def run(self, node: Node, names: Locals) -> Any:
        self.steps -= 1
        if self.steps < 0:
            raise placed(
                StepsError(
                    say("The evaluation takes more than {} {}.", Amount(EVALUATION_STEPS.most), EVALUATION_STEPS.unit),
                    hint=say("Loop over fewer items."),
                ),
                node,
            )
        return self.forms[type(node)](self, node, names)

    # -- marks

    def strict(
        self, node: Node, function: Callable[..., Any], arguments: list[Any], left: Callable[[list[Any]], Any], shallow: bool = False
    ) -> Any:
        """Apply a function to operands without marks, and give its result what marks they had; `left` writes what is left of pending ones."""
        secret = False
        kept = arguments.copy()
        for position, argument in enumerate(arguments):
            if type(argument) in _SIMPLE:
                continue
            if isinstance(argument, Record):
                argument = arguments[position] = kept[position] = argument.whole()
            if argument is UNKNOWN:
                return UNKNOWN
            if shallow and type(argument) is not Pending and type(argument) is not Secret:
                continue
            origins, has_secret, unknown = deep_marks(argument)
            if unknown:
                return UNKNOWN
            if origins:
                if any(deep_marks(other)[2] for other in arguments):
                    return UNKNOWN
                return left(kept)
            if has_secret:
                secret = True
                arguments[position] = revealed(argument)
        try:
            result = function(*arguments)
        except MarkMet:
            return self.strict(node, function, kept, left)
        except EvaluationError as error:
            if secret:
                error.mask()
            raise placed(error, node) from None
        return Secret(result) if secret else result

    # -- forms

    def literal(self, node: Literal, names: Locals) -> Any:
        return node.value

    def name(self, node: Name, names: Locals) -> Any:
        if node.name in names:
            return names[node.name]
        try:
            return self.scope.value(node.name)
        except EvaluationError as error:
            if error.id == "name-unknown" and node.name in _TYPES:
                return TypeValue(node.name)
            raise placed(error, node) from None

    def select(self, node: Select, names: Locals) -> Any:
        if self.dotted and (whole_name := dotted_name(node)) in self.dotted:
            return self.scope.value(whole_name)
        operand = self.run(node.operand, names)
        if node.optional or type(operand) is Optional:
            return self.optional_step(node, operand, node.field, lambda whole: field_of(whole, node.field))
        if is_pending(operand):
            return residuals.field_of(operand, node.field)
        return self.through_secret(node, operand, lambda whole: field_of(whole, node.field), (node.field_start, node.end))

    def through_secret(self, node: Node, operand: Any, step: Callable[[Any], Any], at: tuple[int, int] | None = None) -> Any:
        """Go one step into a value that may be marked: a secret's parts are secret."""
        kind = type(operand)
        if operand is UNKNOWN:
            return operand
        try:
            if kind is Secret:
                found = step(operand.value)
                return found if isinstance(found, Secret) else Secret(found)
            return step(operand)
        except EvaluationError as error:
            if kind is Secret:
                error.mask()
            if at is not None and error.start < 0:
                error.start, error.end = at
            raise placed(error, node) from None

    def optional_step(self, node: Node, operand: Any, key: Any, step: Callable[[Any], Any]) -> Any:
        if type(operand) is Secret or type(key) is Secret:
            # Whether a secret has a part is secret, so the optional as a whole is.
            try:
                found = self.optional_step(node, revealed(operand), revealed(key), lambda whole: item_of(whole, revealed(key)))
            except EvaluationError as error:
                error.mask()
                raise
            return found if found is UNKNOWN or type(found) is Secret else Secret(found)
        if operand is NONE:
            return NONE
        inside = operand.value if type(operand) is Optional else operand
        if type(inside) is Secret:
            return self.optional_step(node, inside, key, step)
        if inside is UNKNOWN or key is UNKNOWN:
            return UNKNOWN
        if type(inside) is Pending or type(key) is Pending:
            return residuals.item_of(inside, key, True) if isinstance(node, Index) else residuals.field_of(inside, key, True)
        whole = inside
        if isinstance(whole, Record) or type(whole) in (dict, list):
            try:
                there = has_part(whole, key)
            except EvaluationError as error:
                raise placed(error, node) from None
            if there is not True:
                return NONE if there is False else there
            return Optional(self.through_secret(node, whole, step))
        return self.through_secret(node, whole, step)

    def has(self, node: Has, names: Locals) -> Any:
        operand = self.run(node.operand, names)
        if type(operand) is Optional:
            operand = operand.value if operand is not NONE else {}
        if is_pending(operand):
            return residuals.called("has", [residuals.field_of(operand, node.field)], False)
        return self.through_secret(node, operand, lambda whole: has_field(whole, node.field))

    def index(self, node: Index, names: Locals) -> Any:
        operand = self.run(node.operand, names)
        key = self.run(node.index, names)
        if node.optional or type(operand) is Optional:
            return self.optional_step(node, operand, key, lambda whole: item_of(whole, key))
        if operand is UNKNOWN or key is UNKNOWN:
            return UNKNOWN
        if type(key) is Pending or type(operand) is Pending:
            return residuals.item_of(operand.whole() if isinstance(operand, Record) else operand, key)
        if type(key) in _SIMPLE and not is_pending(operand):
            return self.through_secret(node, operand, lambda whole: item_of(whole, key), (node.index.start, node.index.end))
        return self.strict(node, item_of, [operand, key], lambda kept: residuals.item_of(*kept))

    def present(self, node: Node, names: Locals) -> Any:
        """Whether what is read is there: `present` looks at a resource without reading it."""
        if isinstance(node, Select | Index) and not node.optional:
            operand = self.run(node.operand, names)
            if isinstance(operand, Record):
                key = node.field if isinstance(node, Select) else self.run(node.index, names)
                return operand.there and operand.has(key) if isinstance(key, str) else False
        value = self.run(node, names)
        if value is UNKNOWN:
            return value
        held = value.value if type(value) is Secret else value
        if type(held) is Pending:
            return residuals.called("present", [value], False)
        if type(value) is Secret:
            return Secret(value.value is not NONE)
        return value.there if isinstance(value, Record) else value is not NONE

    def call(self, node: Call, names: Locals) -> Any:
        if node.function == "present" and node.target is None and len(node.arguments) == 1:
            return self.present(node.arguments[0], names)
        arguments = [] if node.target is None else [self.run(node.target, names)]
        arguments += [self.run(argument, names) for argument in node.arguments]
        function = FUNCTIONS.get((node.function, node.target is not None))
        if function is None:
            own = self.scope.function(node.function) if node.target is None else None
            if own is None:
                raise unknown_function(node)
            return self.own_call(node, own.run, arguments)
        if node.function in ("orValue", "or") and len(arguments) == 2 and type(arguments[0]) is Optional:
            present, otherwise = arguments  # what is not chosen says nothing: neither that it is pending nor that it is secret
            if present is not NONE and (node.function == "orValue" or type(otherwise) in (Optional, Secret, Pending)):
                return present.value if node.function == "orValue" else present
            if present is NONE and type(otherwise) is Pending:
                return otherwise
        self.steps -= function.cost + sum(len(each) for each in arguments if type(each) is list) // _LOOKED_THROUGH
        name, method = node.function, node.target is not None
        return self.strict(
            node,
            lambda *plain: call(function, list(plain)),
            arguments,
            lambda kept: residuals.called(name, kept, method),
            function.shallow,
        )

    def own_call(self, node: Call, run: Callable[[list[Any]], Any], arguments: list[Any]) -> Any:
        """A function of the template; its errors are placed at the call."""
        self.steps -= _OWN_CALL_COST
        try:
            return run(arguments)
        except EvaluationError as error:
            raise placed(error, node) from None

    def operation(self, node: Operation, names: Locals) -> Any:
        operator = node.operator
        if operator in ("&&", "||"):
            return self.logic(node, (lambda operand=operand: self.run(operand, names) for operand in node.operands), operator == "||")
        operands = [self.run(operand, names) for operand in node.operands]
        if len(operands) == 1:
            run = _not if operator == "!" else operators.negate
            return self.strict(node, run, operands, lambda kept: residuals.unary(operator, *kept))
        if operator == "+" and type(operands[0]) is type(operands[1]) is list:
            return self.strict(node, operators.add, operands, lambda kept: residuals.binary("+", *kept), shallow=True)
        if operator in ("==", "!="):
            return self.equality(node, operands)
        if operator == "in" and (type(operands[1]) is list or (type(operands[1]) is dict and type(operands[0]) in _SIMPLE)):
            return self.membership(node, operands[0], operands[1])
        return self.strict(node, operators.BINARY[operator], operands, lambda kept: residuals.binary(operator, *kept))

    def equality(self, node: Operation, operands: list[Any]) -> Any:
        """`==` and `!=`: parts that surely differ decide, whatever pending, secret or unknown parts stand beside them."""
        equal_ = self.equal(node, *operands)
        if node.operator == "==" or equal_ is UNKNOWN:
            return equal_
        if is_pending(equal_):
            return residuals.unary("!", equal_)
        return Secret(not equal_.value) if type(equal_) is Secret else not equal_

    def equal(self, node: Node, a: Any, b: Any) -> Any:
        """Whether two values are equal, or the mark of what that depends on."""
        a, b = (each.whole() if isinstance(each, Record) else each for each in (a, b))
        if not {list, dict} & {type(a), type(b)}:
            return self.strict(node, operators.BINARY["=="], [a, b], lambda kept: residuals.binary("==", *kept))
        tests = list(part_tests(a, b))
        return self.logic(node, (lambda test=test: test for test in tests), False)

    def membership(self, node: Node, item: Any, container: Any) -> Any:
        """`in` looks at keys only in a map; in a list it may find the item before it meets a pending one."""
        self.steps -= len(container) // _LOOKED_THROUGH if type(container) is list else 0
        if type(container) is dict:
            return self.strict(node, operators.contains, [item, container], lambda kept: residuals.binary("in", *kept), shallow=True)
        if type(item) in _SIMPLE:
            plain = [other for other in container if type(other) in _SIMPLE]
            if len(plain) == len(container) or operators.contains(item, plain):
                return operators.contains(item, plain)
        return self.logic(node, (lambda other=other: self.equal(node, item, other) for other in container), True)

    def logic(self, node: Node, operands: Any, decisive: bool) -> Any:
        """`||` (decisive true) and `&&` (decisive false): one decisive operand outweighs errors, pending and unknown ones."""
        error: EvaluationError | None = None
        pending: list[Any] = []
        unknown = secret = decided = False
        for index, operand in enumerate(operands):
            try:
                given = operand()
            except BudgetError:
                raise
            except EvaluationError as raised:
                error = error or raised
                continue
            value = given.value if type(given) is Secret else given
            secret = secret or type(given) is Secret
            if value is decisive:
                if not secret:
                    return decisive
                decided = True  # that it decides is secret, so whether another is pending shows as it would without it
            if value is UNKNOWN:
                unknown = True
            elif type(value) is Pending or (type(given) is Secret and type(value) is bool):
                pending.append(given)
            elif type(value) is not bool:
                error = error or placed(not_boolean(given), _tested(node, index))
        if unknown and not decided:
            return UNKNOWN
        if any(type(each) is Pending or type(each.value) is Pending for each in pending):
            return residuals.logic("||" if decisive else "&&", pending)
        if decided:
            return Secret(decisive)
        if error:
            raise error
        return Secret(not decisive) if secret else not decisive

    def conditional(self, node: Conditional, names: Locals) -> Any:
        condition = self.run(node.condition, names)
        if type(condition) is bool:
            return self.run(node.then if condition else node.otherwise, names)
        if condition is UNKNOWN:
            return condition
        if is_pending(condition):
            return self.left_of(residuals.conditional, [condition], (node.then, node.otherwise), names)
        if type(condition) is Secret and type(condition.value) is bool:
            chosen = self.run(node.then if condition.value else node.otherwise, names)
            return chosen if isinstance(chosen, Secret) or chosen is UNKNOWN else Secret(chosen)
        raise placed(not_boolean(condition), node.condition)

    def list_literal(self, node: ListLiteral, names: Locals) -> Any:
        result = []
        secret = False
        values = [self.run(item, names) for item in node.items]
        if any(node.optional):
            given = [value for value, optional in zip(values, node.optional, strict=True) if optional]
            if any(value is UNKNOWN for value in given):
                return UNKNOWN
            if any(is_pending(value) for value in given):
                return residuals.optional_entries([(o, None, v) for o, v in zip(node.optional, values, strict=True)], False)
        for item, value, optional in zip(node.items, values, node.optional, strict=True):
            if optional:
                if type(value) is Secret and type(value.value) is Optional:  # how long the list is, is secret then
                    secret, value = True, value.value
                if type(value) is not Optional:
                    raise placed(
                        EvaluationError(say("`?` before an item takes an optional, and this is {}.", Value(value)), id="type-mismatch"),
                        item,
                    )
                if value is NONE:
                    continue
                value = value.value
            result.append(value)
        return Secret(operators.weighed(result)) if secret else operators.weighed(result)

    def map_literal(self, node: MapLiteral, names: Locals) -> Any:
        result: dict[Any, Any] = {}
        secret = False
        keys = [self.run(each, names) for each in node.keys]
        values = [self.run(each, names) for each in node.values]
        entries = list(zip(keys, values, node.optional, strict=True))
        if any(key is UNKNOWN or (optional and value is UNKNOWN) for key, value, optional in entries):
            return UNKNOWN
        if any(is_pending(key) or (optional and is_pending(value)) for key, value, optional in entries):
            return residuals.optional_entries([(optional, key, value) for key, value, optional in entries], True)
        for key_node, value_node, (key, value, optional) in zip(node.keys, node.values, entries, strict=True):
            if optional and type(value) is Secret and type(value.value) is Optional:
                secret, value = True, value.value
            if type(key) is Secret:  # which entries a map has is as secret as its keys
                secret, key = True, key.value
            if optional:
                if type(value) is not Optional:
                    raise placed(
                        EvaluationError(say("`?` before a key takes an optional, and this is {}.", Value(value)), id="type-mismatch"),
                        value_node,
                    )
                if value is NONE:
                    continue
                value = value.value
            try:
                self.put(result, key, value, key_node)
            except EvaluationError as error:
                if secret:
                    error.mask()
                raise
        return Secret(operators.weighed(result)) if secret else operators.weighed(result)

    def put(self, result: dict[Any, Any], key: Any, value: Any, node: Node) -> None:
        try:
            if type(key) is float:  # a double finds an integer key, and is none itself
                raise TypeError(key)
            stored = map_key(key)
        except (TypeError, ValueError, OverflowError):
            raise placed(EvaluationError(operators.no_key(key), id="type-mismatch"), node) from None
        if stored in result:
            raise placed(EvaluationError(say("The key {} stands twice in the map.", Value(key)), id="duplicate-key"), node)
        result[stored] = value


Evaluator.forms = {
    Literal: Evaluator.literal,
    Name: Evaluator.name,
    Select: Evaluator.select,
    Has: Evaluator.has,
    Index: Evaluator.index,
    Call: Evaluator.call,
    Operation: Evaluator.operation,
    Conditional: Evaluator.conditional,
    ListLiteral: Evaluator.list_literal,
    MapLiteral: Evaluator.map_literal,
    Macro: Evaluator.macro,
}


def unknown_function(node: Call, own: Iterable[str] = ()) -> EvaluationError:
    """The error of a call to what is no function, placed on its name. `own` are functions of the template."""
    method = node.target is not None
    names = [*([] if method else own), *(name for name, is_method in FUNCTIONS if is_method == method)]
    other_form = (node.function, not method) in FUNCTIONS
    hint = nearest(node.function, names)
    if other_form:
        hint = say("It is written x.{}(…).", node.function) if not method else say("It is written {}(x).", node.function)
    error = EvaluationError(say("There is no function `{}`.", node.function), hint=hint, id="function-unknown")
    error.start, error.end = node.name_start, node.name_start + len(node.function)
    return error


def _tested(node: Node, index: int) -> Node:
    """What is asked whether it holds, of `&&`, `||`, `all` and `exists`."""
    if isinstance(node, Operation) and node.operator in ("&&", "||"):
        return node.operands[index]
    return node.bodies[0] if isinstance(node, Macro) else node


def _not(value: Any) -> bool:
    if type(value) is bool:
        return not value
    raise not_boolean(value)
