"""An expression before its values are there: evaluated with types in the place of what is not known.

What is known is computed as always, so that an error is a real one. Where only a type is known, an error is raised if no value of
the type fits; if some fit and some do not, nothing is said. What stands behind a condition that is not known may not come about: its errors are noted apart.

It is long because each form of the language has its method here, beside the others that it is checked with.
"""

from collections.abc import Callable, Collection, Iterator, Mapping
from itertools import product
from typing import Any

from jovial_scaffold.core.expressions import operators
from jovial_scaffold.core.expressions.errors import BudgetError, EvaluationError
from jovial_scaffold.core.expressions.evaluation import Evaluator
from jovial_scaffold.core.expressions.functions import FUNCTIONS, call, no_overload
from jovial_scaffold.core.expressions.library.strings import PATTERN_TAKING, compiled_pattern
from jovial_scaffold.core.expressions.loops import Locals
from jovial_scaffold.core.expressions.parts import no_field
from jovial_scaffold.core.expressions.pending import Pending
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
    children,
)
from jovial_scaffold.core.expressions.types import (
    ANY,
    BOOL,
    INT,
    LIST,
    MAP,
    MOST_OPTIONS,
    STRING,
    Abstract,
    Type,
    has_abstract,
    joined,
    settled,
    type_of_value,
    type_of_values,
)
from jovial_scaffold.core.expressions.typing_rules import (
    arithmetic,
    lengths_apart,
    may_fit,
    mismatch_of_types,
    ranges_apart,
    result_kinds,
    result_of_call,
)
from jovial_scaffold.core.expressions.values import NONE, Optional, Secret
from jovial_scaffold.core.records import replace
from jovial_scaffold.core.text.unknown import UNKNOWN
from jovial_scaffold.core.words import Sentence, Value, listed, say

_NUMBERS = ("int", "uint", "double")
_ORDERED = (*_NUMBERS, "string", "bool", "bytes", "timestamp", "duration")
Path = tuple[str, tuple[str | int, ...]]


NOT_THERE: Any = object()
"""What is assumed of a field that is not there."""


class Checker(Evaluator):
    """Evaluates one expression; `problems` are errors that come about only if an unknown condition holds.

    `assumed` gives values to fields of which the type alone is known, such as `station.zone`. `comparisons` notes what each equality
    turned out to be. `doubtful` says that some of the values that are possible would have failed. `never_there` are fields that are asked
    for safely (`.?`, `has`) and that what is declared does not have, `never_boolean` errors of operands of `&&` and `||`. `lacking` are the
    offsets of fields that are read and need not be there. Lists and maps of the names that are `filled` are taken to hold something; `gone_over`
    are those that were, as they are written.
    """

    def __init__(self, scope: Scope, assumed: dict[Path, Any] | None = None) -> None:
        super().__init__(scope)
        self.assumed = assumed or {}
        self.problems: list[EvaluationError] = []
        self.never_there: list[EvaluationError] = []
        self.never_boolean: list[EvaluationError] = []
        self.lacking: set[int] = set()
        self.doubtful = False
        self.comparisons: dict[Node, Any] = {}
        self.filled: frozenset[str] = frozenset()
        self.gone_over: dict[str, None] = {}

    def check(self, node: Node, variables: Locals) -> Any:
        """The value, or a mark with its type; unknown after an error that may not come about. Raises EvaluationError for one that will."""
        return self.run(node, variables)

    def maybe(self, node: Node, names: Locals) -> Any:
        """A value behind a condition that is not known: its error is noted, and nothing is known of it then."""
        try:
            return self.run(node, names)
        except BudgetError:
            raise
        except EvaluationError as error:
            self.problems.append(error)
            return UNKNOWN

    def strict(
        self, node: Node, function: Callable[..., Any], arguments: list[Any], left: Callable[[list[Any]], Any], shallow: bool = False
    ) -> Any:
        """What has no rule of its own: nothing is known of its result."""
        if any(map(has_abstract, arguments)):
            return Abstract(ANY)
        return super().strict(node, function, arguments, left, shallow)

    def list_literal(self, node: ListLiteral, names: Locals) -> Any:
        items = [self.run(item, names) for item in node.items]
        if any(optional and isinstance(item, Abstract) for item, optional in zip(items, node.optional, strict=True)):
            return Abstract(Type(frozenset(("list",)), longest=len(items)))
        done = tuple(_done(part, item) for part, item in zip(node.items, items, strict=True))
        return super().list_literal(ListLiteral(node.start, node.end, done, node.optional), names)

    def map_literal(self, node: MapLiteral, names: Locals) -> Any:
        keys = [self.run(key, names) for key in node.keys]
        values = [self.run(value, names) for value in node.values]
        optional = [isinstance(value, Abstract) for value, may_miss in zip(values, node.optional, strict=True) if may_miss]
        if any(optional) or any(isinstance(key, Abstract) for key in keys):
            return Abstract(MAP)
        done_keys = tuple(_done(part, key) for part, key in zip(node.keys, keys, strict=True))
        done_values = tuple(_done(part, value) for part, value in zip(node.values, values, strict=True))
        return super().map_literal(MapLiteral(node.start, node.end, done_keys, done_values, node.optional), names)

    # -- fields and items

    def select(self, node: Select, names: Locals) -> Any:
        if not node.optional and (path := _path(node)) in self.assumed:
            if self.assumed[path] is NOT_THERE:
                message = say("`{}` is not there.", ".".join(map(str, (path[0], *path[1]))))
                hint = say("Add it, or read it with .?{} where it may be missing.", node.field)
                raise _at(EvaluationError(message, hint=hint, id="key-missing"), (node.field_start, node.end))
            return self.assumed[path]
        operand = self.run(node.operand, names)
        if isinstance(operand, Abstract):
            return self.part(node, operand.type, node.field, node.optional, (node.field_start, node.end))
        if isinstance(operand, Optional) and isinstance(operand.value, Abstract):
            return self.part(node, operand.value.type, node.field, True, (node.field_start, node.end))
        if type(operand) in (Pending, Secret) or operand is UNKNOWN:
            return operand
        return super().select(_with(node, operand), names)

    def part(self, node: Node, known: Type, key: Any, optional: bool, at: tuple[int, int]) -> Any:
        """`.key` or `["key"]` of a value whose type is known."""
        if "optional_type" in known.kinds and known.items is not None:
            try:
                held = self.part(node, known.items, key, True, at)
            except EvaluationError as error:
                self.problems.append(error)  # an optional that holds nothing gives no error
                return UNKNOWN
            inner = type_of_value(held)
            return held if inner.is_only("optional_type") else Abstract(Type(frozenset(("optional_type",)), items=inner))
        if not known.may_be("map"):
            raise _at(EvaluationError(say("`.{}` needs a map or resource, and this is {}.", key, known.text()), id="type-mismatch"), at)
        found = ANY
        required = False
        if known.fields is not None and known.is_only("map"):
            field = known.fields.get(key)
            if field is not None:
                found, required = field.type, field.required
                if not (required or optional):
                    self.lacking.add(at[0])
            elif known.others is not None:
                found = known.others
            elif not optional:
                raise _at(no_field(known.owner, key, known.fields or ()), at)
            else:
                self.never_there.append(_at(no_field(known.owner, key, known.fields or ()), at))
                return NONE
        if optional:
            value = settled(found)
            return Optional(value) if required else Abstract(Type(frozenset(("optional_type",)), items=type_of_value(value)))
        return settled(found)

    def has(self, node: Has, names: Locals) -> Any:
        operand = self.run(node.operand, names)
        if isinstance(operand, Optional) and isinstance(operand.value, Abstract):
            operand = operand.value
        if not isinstance(operand, Abstract):
            return super().has(replace_operand(node, operand), names)
        known = operand.type
        if not known.may_be("map", "optional_type"):
            raise _at(
                EvaluationError(say("has() needs a map or resource, and this is {}.", known.text()), id="type-mismatch"),
                (node.start, node.end),
            )
        if known.fields is not None and known.is_only("map"):
            field = known.fields.get(node.field)
            if field is not None and field.required:
                return True
            if field is None and known.others is None:
                self.never_there.append(_at(no_field(known.owner, node.field, known.fields), (node.start, node.end)))
                return False
        return Abstract(BOOL)

    def index(self, node: Index, names: Locals) -> Any:
        operand = self.run(node.operand, names)
        key = self.run(node.index, names)
        at = (node.index.start, node.index.end)
        if not has_abstract(operand) and not isinstance(key, Abstract):
            return super().index(_with_index(node, operand, key), names)
        if operand is UNKNOWN or key is UNKNOWN:
            return UNKNOWN
        if isinstance(key, Abstract):
            return self.indexed_by_type(node, operand, key.type, at)
        if isinstance(operand, Abstract):
            known = operand.type
            if type(key) is str:
                return self.part(node, known, key, node.optional, at)
            if not known.may_be("list", "map", "optional_type"):
                raise _at(EvaluationError(say("`[…]` needs a list or map, and this is {}.", known.text()), id="type-mismatch"), at)
            if type(key) is int and known.is_only("list"):
                if key < 0 or (known.longest is not None and key >= known.longest):
                    raise _at(
                        EvaluationError(say("The list has no item {}; it has at most {}.", key, known.longest or 0), id="index-range"), at
                    )
                found = known.items or ANY
                return Abstract(Type(frozenset(("optional_type",)), items=found)) if node.optional else settled(found)
            return Abstract(ANY)
        return super().index(_with_index(node, operand, key), names)

    def indexed_by_type(self, node: Index, operand: Any, key: Type, at: tuple[int, int]) -> Any:
        """An item chosen by a key of which the type is known: an error where no possible key is there."""
        whole = type_of_value(operand)
        if whole.is_only("list") and not key.may_be(*_NUMBERS):
            raise _at(EvaluationError(say("An item of a list is chosen by an int, and this is {}.", key.text()), id="type-mismatch"), at)
        if key.options is not None and type(operand) is dict:
            found, missing = [], None
            for option in key.options:
                try:
                    found.append(type_of_value(operators.index(operand, option)))
                except EvaluationError as error:
                    missing = error
            if not found and missing is not None and not node.optional:
                raise _at(missing, at)
            self.doubtful = self.doubtful or (missing is not None and not node.optional)
            result = joined(found) if found else ANY
        elif whole.is_only("list"):
            result = whole.items or ANY
        elif whole.fields is not None and whole.is_only("map"):
            # Of very many fields, such as the resources of an environment, most are of one type.
            result = joined(dict.fromkeys([*(field.type for field in whole.fields.values()), *([whole.others] if whole.others else [])]))
        else:
            result = ANY
        return Abstract(Type(frozenset(("optional_type",)), items=result)) if node.optional else settled(result)

    # -- operators and functions

    def operation(self, node: Operation, names: Locals) -> Any:
        operator = node.operator
        if operator in ("&&", "||"):
            return self.logic(node, (lambda operand=operand: self.tested(operand, names) for operand in node.operands), operator == "||")
        operands = [self.run(operand, names) for operand in node.operands]
        if any(operand is UNKNOWN for operand in operands):
            return UNKNOWN
        if any(map(has_abstract, operands)):
            result = self.typed_operation(node, operands)
        else:
            result = super().operation(_with_operands(node, operands), names)
        if operator in COMPARING:
            before = self.comparisons.get(node, result)
            self.comparisons[node] = result if type(before) is type(result) is bool and before == result else Abstract(BOOL)
        return result

    def typed_operation(self, node: Operation, operands: list[Any]) -> Any:
        operator = node.operator
        if len(operands) == 1:
            function = operators.negate if operator == "-" else _not
            wanted = _NUMBERS if operator == "-" else ("bool",)
            known = type_of_value(operands[0])
            if not known.may_be(*wanted):
                raise _at(
                    EvaluationError(say("`{}` does not take {}.", operator, known.text()), id="type-mismatch"), (node.start, node.end)
                )
            tried = self.tried(node, function, operands)
            return tried if tried is not None else Abstract(BOOL if operator == "!" else replace(known, options=None, low=None, high=None))
        left, right = (type_of_value(operand) for operand in operands)
        if operator in ("==", "!="):
            return self.typed_equality(node, operands, left, right)
        tried = self.tried(node, operators.BINARY[operator], operands)
        if tried is not None:
            return tried
        if operator == "in":
            if not right.may_be("list", "map"):
                raise _at(
                    EvaluationError(say("`in` looks into a list or map, and this is {}.", right.text()), id="type-mismatch"),
                    (node.start, node.end),
                )
            return Abstract(BOOL)
        if operator in ("<", "<=", ">", ">="):
            return self.typed_order(node, left, right)
        kinds = result_kinds(operator, left, right)
        if not kinds:
            raise _at(mismatch_of_types(operator, left, right), (node.start, node.end))
        if operator in ("/", "%") and right.options == (0,) and right.is_only("int", "uint"):
            raise _at(EvaluationError(say("This is divided by zero."), id="division-by-zero"), (node.start, node.end))
        return Abstract(arithmetic(operator, left, right, kinds))

    def tried(self, node: Node, function: Callable[..., Any], operands: list[Any]) -> Any:
        """The results for every possible combination of values, where they are few; None where they are not."""
        choices = []
        for operand in operands:
            if not has_abstract(operand):
                choices.append((operand,))
            elif isinstance(operand, Abstract) and operand.type.options is not None:
                choices.append(operand.type.options)
            else:
                return None
        total = 1
        for each in choices:
            total *= len(each)
        if total > MOST_OPTIONS or total == 0:
            self.doubtful = self.doubtful or (isinstance(node, Call) and node.function not in NEVER_FAIL) or _may_fail(node)
            return None
        plain: dict[tuple[type, Any], Any] = {}  # most results are few texts, numbers or booleans
        others, error = [], None
        for values in product(*choices):
            try:
                result = function(*values)
            except EvaluationError as raised:
                error = raised
                continue
            if type(result) in _SCALARS:
                plain[type(result), result] = result
            else:
                others.append(result)
        results = [*plain.values(), *others]
        if error is not None:
            if not results:
                raise _at(error, (node.start, node.end))
            self.doubtful = True
        return settled(type_of_values(results))

    def typed_equality(self, node: Operation, operands: list[Any], left: Type, right: Type) -> Any:
        function = operators.BINARY[node.operator]
        tried = self.tried(node, function, operands)
        if tried is not None:
            return tried
        numbers = left.is_only(*_NUMBERS) and right.is_only(*_NUMBERS)
        apart = (
            left.kinds and right.kinds and left.kinds.isdisjoint(right.kinds) and not (left.may_be(*_NUMBERS) and right.may_be(*_NUMBERS))
        )
        apart = (
            apart
            or (numbers and ranges_apart(left, right))
            or (left.is_only("string") and right.is_only("string") and lengths_apart(left, right))
        )
        return (node.operator == "!=") if apart else Abstract(BOOL)

    def typed_order(self, node: Operation, left: Type, right: Type) -> Any:
        both_numbers = left.may_be(*_NUMBERS) and right.may_be(*_NUMBERS)
        if not both_numbers and not any(left.may_be(kind) and right.may_be(kind) for kind in _ORDERED):
            raise _at(mismatch_of_types(node.operator, left, right), (node.start, node.end))
        if left.is_only(*_NUMBERS) and right.is_only(*_NUMBERS):
            for operator, a, b in ((node.operator, left, right), (_MIRRORED[node.operator], right, left)):
                if operator in ("<", "<="):
                    if a.high is not None and b.low is not None and (a.high < b.low or (operator == "<=" and a.high == b.low)):
                        return True
                    if a.low is not None and b.high is not None and (a.low > b.high or (operator == "<" and a.low == b.high)):
                        return False
        return Abstract(BOOL)

    def call(self, node: Call, names: Locals) -> Any:
        arguments = [] if node.target is None else [self.run(node.target, names)]
        arguments += [self.run(argument, names) for argument in node.arguments]
        if any(argument is UNKNOWN for argument in arguments):
            return UNKNOWN
        function = FUNCTIONS.get((node.function, node.target is not None))
        if function is None and node.target is None and any(map(has_abstract, arguments)):
            own = self.scope.function(node.function)
            if own is not None:
                return self.own_call(node, own.typed, arguments)
        if function is None or not any(map(has_abstract, arguments)):
            return super().call(_with_arguments(node, arguments), names)
        if function.name == "type":
            return Abstract(ANY)
        types = [type_of_value(argument) for argument in arguments]
        fitting = [overload for overload in function.overloads if may_fit(overload.takes, types)]
        if not fitting:
            error = no_overload(function, [], [])
            given = listed(known.text() for known in types)
            raise _at(
                EvaluationError(say("{}() does not take {}.", function.name, given), hint=error.hint, id="type-mismatch"),
                (node.start, node.end),
            )
        if function.name in PATTERN_TAKING and len(arguments) > 1 and type(arguments[1]) is str:
            try:
                compiled_pattern(arguments[1])  # whatever it is asked of
            except EvaluationError as error:
                raise _at(error, (node.start, node.end)) from None
        tried = self.tried(node, lambda *values: call(function, list(values)), arguments)
        if tried is not None:
            return tried
        return result_of_call(function, arguments, types, {overload.gives for overload in fitting})

    # -- choices

    def tested(self, node: Node, names: Locals) -> Any:
        """A value that may be a boolean. Raises EvaluationError at the operand that cannot."""
        value = self.run(node, names)
        known = type_of_value(value)
        if known.may_be("bool"):
            return value
        message, hint = say("A condition is true or false, and this is {}.", known.text()), say("Compare it with something.")
        error = EvaluationError(message, hint=hint, id="type-mismatch")
        self.never_boolean.append(_at(error, (node.start, node.end)))
        raise error

    def conditional(self, node: Conditional, names: Locals) -> Any:
        condition = self.run(node.condition, names)
        if isinstance(condition, Abstract):
            if not condition.type.may_be("bool"):
                at = (node.condition.start, node.condition.end)
                raise _at(
                    EvaluationError(say("A condition is true or false, and this is {}.", condition.type.text()), id="type-mismatch"), at
                )
            results = [self.maybe(branch, names) for branch in (node.then, node.otherwise)]
            return UNKNOWN if any(result is UNKNOWN for result in results) else settled(type_of_values(results))
        if condition is UNKNOWN:
            return UNKNOWN
        return super().conditional(_with_condition(node, condition), names)

    # -- macros

    def macro(self, node: Macro, names: Locals) -> Any:
        target = self.run(node.target, names)
        if node.name == "bind":
            return self.run(node.bodies[0], {**names, node.variables[0]: target})
        if isinstance(target, Abstract):
            return self.typed_macro(node, target.type, names)
        if type(target) is Optional and isinstance(target.value, Abstract):
            return self.typed_macro(node, type_of_value(target), names)
        result = super().macro(_with_target(node, target), names)
        return Abstract(MAP) if node.name == "transformMapEntry" and has_abstract(result) else result

    def typed_macro(self, node: Macro, known: Type, names: Locals) -> Any:
        if node.name in ("optMap", "optFlatMap"):
            if not known.may_be("optional_type"):
                raise _at(
                    EvaluationError(say("{}() takes an optional, and this is {}.", node.name, known.text()), id="type-mismatch"),
                    (node.target.start, node.target.end),
                )
            result = self.maybe(node.bodies[0], {**names, node.variables[0]: settled(known.items or ANY)})
            held = ANY if result is UNKNOWN else type_of_value(result)
            return Abstract(Type(frozenset(("optional_type",)), items=held if node.name == "optMap" else (held.items or ANY)))
        if not known.may_be("list", "map"):
            raise _at(
                EvaluationError(say("{}() goes over a list or map, and this is {}.", node.name, known.text()), id="type-mismatch"),
                (node.target.start, node.target.end),
            )
        item = (known.items or ANY) if known.is_only("list") else (STRING if known.is_only("map") else ANY)
        inside = {**names, node.variables[-1]: settled(item)}
        if len(node.variables) == 2:
            inside[node.variables[0]] = Abstract(INT if known.is_only("list") else (STRING if known.is_only("map") else ANY))
            if known.is_only("map"):
                inside[node.variables[1]] = Abstract(ANY)
        before, name = self.filled, _path(node.target)[0]
        is_filled = known.longest != 0 and name in before
        if is_filled:
            self.filled |= {*node.variables}
            self.gone_over[".".join((name, *map(str, _path(node.target)[1])))] = None
        run = self.run if known.shortest > 0 or is_filled else self.maybe
        try:
            results = [run(body, inside) if index == 0 else self.maybe(body, inside) for index, body in enumerate(node.bodies)]
        finally:
            self.filled = before
        return self.macro_result(node, known, item, results)

    def macro_result(self, node: Macro, known: Type, item: Type, results: list[Any]) -> Any:
        tests = results[:1] if node.name in ("all", "exists", "exists_one", "existsOne", "filter") or len(results) == 2 else []
        for test in tests:
            if not type_of_value(test).may_be("bool") and test is not UNKNOWN:
                error = EvaluationError(
                    say("A condition is true or false, and this is {}.", type_of_value(test).text()), id="type-mismatch"
                )
                self.problems.append(_at(error, (node.bodies[0].start, node.bodies[0].end)))
                return UNKNOWN
        if node.name in ("all", "exists", "exists_one", "existsOne"):
            return results[0] if type(results[0]) is bool and results[0] is (node.name == "all") else Abstract(BOOL)
        if node.name == "filter":
            if results[0] is False:
                return []
            return Abstract(Type(frozenset(("list",)), longest=known.longest, items=item))
        if node.name in ("map", "transformList"):
            held = ANY if results[-1] is UNKNOWN else type_of_value(results[-1])
            return Abstract(
                Type(frozenset(("list",)), shortest=known.shortest if len(results) == 1 else 0, longest=known.longest, items=held)
            )
        return Abstract(LIST if node.name == "sortBy" else Type(frozenset(("map",))))

    def decided(self, node: Macro, tests: list[Any], result: Callable[[list[Any]], Any], left: Callable[[], Any]) -> Any:
        if any(isinstance(test, Abstract) for test in tests):
            if node.name in ("exists_one", "existsOne"):
                return Abstract(BOOL)
            return Abstract(Type(frozenset(("map",) if node.name.startswith("transformMap") else ("list",)), longest=len(tests)))
        return super().decided(node, tests, result, left)

    def logic(self, node: Node, operands: Any, decisive: bool) -> Any:
        """`&&`, `||`, `all` and `exists`: an error beside an operand that is not known may not matter."""
        unknown = False
        error: EvaluationError | None = None
        for operand in operands:
            try:
                value = operand()
            except BudgetError:
                raise
            except EvaluationError as raised:
                error = error or raised
                continue
            if value is decisive:
                return decisive
            unknown = unknown or isinstance(value, Abstract) or value is UNKNOWN
        if error is not None:
            if not unknown:
                raise error
            self.problems.append(error)
            return UNKNOWN
        return Abstract(BOOL) if unknown else not decisive


Checker.forms = {form: getattr(Checker, method.__name__) for form, method in Evaluator.forms.items()}

COMPARING = frozenset(("==", "!=", "<", "<=", ">", ">="))
_MIRRORED = {"<": ">", "<=": ">=", ">": "<", ">=": "<="}


_SCALARS = frozenset((str, int, bool))


def constant_comparisons(outcomes: Mapping[Node, Collection[Any]]) -> Iterator[tuple[Operation, Literal, Node]]:
    """Equalities with a constant that never hold, and inequalities that always do, with that constant and the other side. `outcomes` are all
    that each turned out to be; None where that is not known."""
    for node, turned_out in outcomes.items():
        # That something always lies within its bounds is no news.
        if isinstance(node, Operation) and len(turned_out) == 1 and next(iter(turned_out)) is (node.operator == "!="):
            constants = [operand for operand in node.operands if isinstance(operand, Literal)]
            if len(constants) == 1:
                yield node, constants[0], next(operand for operand in node.operands if operand is not constants[0])


def constantly(node: Operation, literal: Literal) -> Sentence:
    """What a comparison of `constant_comparisons` comes to."""
    return say("This comparison with {} is always {}.", Value(literal.value), "true" if node.operator == "!=" else "false")


def never_members(node: Node, type_of: Callable[[Node], Type]) -> Iterator[tuple[Literal, Node, tuple[Any, ...]]]:
    """Constants in the list of an `in` that the other side never is, with that side and what it can be; `type_of` says what is known of it."""
    waiting = [node]
    while waiting:
        current = waiting.pop()
        waiting += children(current)
        if isinstance(current, Operation) and current.operator == "in" and isinstance(current.operands[1], ListLiteral):
            options = type_of(current.operands[0]).options
            for item in current.operands[1].items if options is not None and len(options) > 1 else ():
                if isinstance(item, Literal) and not any(type(item.value) is type(each) and item.value == each for each in options or ()):
                    yield item, current.operands[0], options or ()


NEVER_FAIL = frozenset(
    (
        *("string", "size", "startsWith", "endsWith", "contains", "join", "trim", "lowerAscii", "upperAscii", "replace", "reverse"),
        *("quote", "slug", "digest", "as_json", "dyn", "type", "orValue", "hasValue", "present", "optional.of", "optional.none", "split"),
    )
)
"""Functions that give something for all values of the types that they take."""


def _may_fail(node: Node) -> bool:
    """Whether an operator fails for some values of types that it takes."""
    return isinstance(node, Operation) and node.operator in ("/", "%")


def _at(error: EvaluationError, place: tuple[int, int]) -> EvaluationError:
    if error.start < 0:
        error.start, error.end = place
    return error


def _not(value: Any) -> bool:
    if type(value) is bool:
        return not value
    raise EvaluationError(say("A condition is true or false, and this is {}.", Value(value)), id="type-mismatch")


def _path(node: Node) -> Path:
    """`station.zone` as ("station", ("zone",)); an empty name for other forms."""
    fields: list[str | int] = []
    while isinstance(node, Select) and not node.optional:
        fields.append(node.field)
        node = node.operand
    return (node.name, tuple(reversed(fields))) if isinstance(node, Name) else ("", ())


# The evaluator runs a node's parts itself; a part that was run already is handed to it as a literal.


def _done(node: Node, value: Any) -> Node:
    return Literal(node.start, node.end, value)


def _with(node: Select, operand: Any) -> Select:
    return Select(node.start, node.end, _done(node.operand, operand), node.field, node.optional, node.field_start)


def replace_operand(node: Has, operand: Any) -> Has:
    """The same test on an operand that was computed already."""
    return Has(node.start, node.end, _done(node.operand, operand), node.field)


def _with_index(node: Index, operand: Any, key: Any) -> Index:
    return Index(node.start, node.end, _done(node.operand, operand), _done(node.index, key), node.optional)


def _with_operands(node: Operation, operands: list[Any]) -> Operation:
    return Operation(
        node.start, node.end, node.operator, tuple(_done(part, value) for part, value in zip(node.operands, operands, strict=True)), node.at
    )


def _with_arguments(node: Call, arguments: list[Any]) -> Call:
    rest = arguments if node.target is None else arguments[1:]
    target = None if node.target is None else _done(node.target, arguments[0])
    return Call(
        node.start,
        node.end,
        node.function,
        target,
        tuple(_done(part, value) for part, value in zip(node.arguments, rest, strict=True)),
        node.name_start,
    )


def _with_condition(node: Conditional, condition: Any) -> Conditional:
    return Conditional(node.start, node.end, _done(node.condition, condition), node.then, node.otherwise)


def _with_target(node: Macro, target: Any) -> Macro:
    return Macro(node.start, node.end, node.name, _done(node.target, target), node.variables, node.bodies)
